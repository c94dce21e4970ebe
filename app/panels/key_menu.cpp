#include "app/panels/key_menu.h"

#include "core/document/key_edit.h"
#include "core/document/mover.h"

#include <QMenu>

namespace ilumbra {

namespace {
bool keyStandsAt(const Keys& keys, double frame) {
  return std::any_of(keys.keys.begin(), keys.keys.end(), [&](const Key& k) { return k.frame == frame; });
}
} // namespace

QString keysText(const Value& value, double frame) {
  const Keys* k = value.anyKeys();
  if (!k) return {};
  const QString count = QObject::tr("%n key(s)", nullptr, int(k->keys.size()));
  return keyStandsAt(*k, frame) ? QObject::tr("%1 · one here").arg(count) : count;
}

void addKeyMenu(QMenu& menu, Studio& studio, const Address& a) {
  if (a.param == "name" || !definitionAt(studio.doc(), a).keyable) return;
  const QString where = qs(addressText(studio.doc(), a));
  const double frame = studio.frame();
  const auto offer = [&](const char* as, const QString& label, const QString& step, auto change) {
    QAction* action = menu.addAction(label);
    action->setData(QLatin1String(as));
    QObject::connect(action, &QAction::triggered, &studio, [&studio, step, change] { studio.edit(step, change); });
  };
  offer(
      "key", QObject::tr("Key at frame %1").arg(frame), QObject::tr("Key %1").arg(where),
      [a, frame](const Document& doc) { return setAt(doc, a, keyedAt(valueAt(doc, a), definitionAt(doc, a), frame)); });
  const Keys* keys = keysAt(studio.doc(), a);
  if (!keys) return;
  if (keyStandsAt(*keys, frame))
    offer("take away", QObject::tr("Take away the key at frame %1").arg(frame),
          QObject::tr("Take away a key of %1").arg(where), [a, frame](const Document& doc) {
            return withoutKeys(doc, {{a, frame}});
          });
  offer(
      "hold", QObject::tr("Hold this value always"), QObject::tr("Hold %1").arg(where),
      [a, frame](const Document& doc) { return setAt(doc, a, unkeyed(valueAt(doc, a), definitionAt(doc, a), frame)); });
}

} // namespace ilumbra
