#include "app/panels/movers.h"

#include "app/panels/param_row.h"
#include "app/panels/settings_panel.h"
#include "core/document/follow.h"
#include "core/document/mover.h"
#include "core/placing/arrange.h"

#include <QMenu>
#include <QVBoxLayout>

namespace ilumbra {

void addMoverMenu(QMenu& menu, Studio& studio, const Address& address) {
  const std::vector<const MoverKind*> kinds = moversFor(definitionAt(studio.doc(), address));
  if (kinds.empty()) return;
  QMenu* sub = menu.addMenu(QObject::tr("Move it"));
  sub->setToolTipsVisible(true);
  for (const MoverKind* kind : kinds) {
    QAction* a = sub->addAction(qs(kind->label));
    a->setToolTip(qs(kind->helpText));
    a->setCheckable(true);
    a->setChecked(moverValue(valueAt(studio.doc(), address), kind->id) == Constant(true));
    QObject::connect(a, &QAction::triggered, &studio, [&studio, address, kind](bool on) {
      const QString where = qs(addressText(studio.doc(), address));
      studio.edit(on ? QObject::tr("%1 of %2").arg(qs(kind->label), where)
                     : QObject::tr("No %1 of %2").arg(qs(kind->label).toLower(), where),
                  [&](const Document& doc) {
                    return setAt(doc, {address.node, address.param, 0, kind->id}, Constant(on));
                  });
    });
  }
}

void bakeMovers(Studio& studio, const Address& address) {
  const ParamDef& def = definitionAt(studio.doc(), address);
  // A thousandth of what its ruled line spans; of a turn a twentieth of a degree.
  const double tolerance = def.unit == "°" ? 0.05 : (def.softMax - def.softMin) * 1e-3;
  const QString where = qs(addressText(studio.doc(), address));
  size_t count = 0;
  if (studio.edit(QObject::tr("Keys of the movers of %1").arg(where), [&](const Document& doc) {
        const Params s = settingsOf(doc);
        Keys keys = baked(valueAt(doc, address), def, s.number("first_frame"),
                          std::max(s.number("first_frame"), s.number("last_frame")), tolerance);
        count = keys.keys.size();
        return setAt(doc, address, std::move(keys));
      }))
    studio.tell(QObject::tr("%1 has %n key(s) now, in place of its movers", nullptr, int(count)).arg(where));
}

void followPath(Studio& studio) {
  NodeId follower = 0;
  if (!studio.edit(QObject::tr("Follow a path"),
                   [&](const Document& d) { return following(d, studio.selection(), &follower); }))
    return;
  studio.select({follower});
  const Params settings = settingsOf(studio.doc());
  const double frames = settings.number("last_frame") - settings.number("first_frame") + 1,
               length = pathLength(studio.doc(), *studio.currentNode(), studio.frame());
  studio.tell(QObject::tr("%1 m of path at %2 m/s: Along and its mover Run say where and how fast")
                  .arg(length, 0, 'g', 3)
                  .arg(length * settings.number("rate") / std::max(1.0, frames), 0, 'g', 3));
}

void SettingsPanel::buildMovers(QWidget* page, const Address& of) {
  const Moved* moved =
      m_studio.doc().find(of.node)->find(of.param) ? m_studio.doc().find(of.node)->find(of.param)->moved() : nullptr;
  if (!moved) return;
  auto* part = new QWidget(page);
  auto* column = new QVBoxLayout(part);
  column->setContentsMargins(12, 0, 0, 4);
  column->setSpacing(0);
  for (const Mover& m : moved->movers) {
    const MoverKind* kind = moverKind(m.kind);
    column->addWidget(makeParamRow(m_studio, {of.node, of.param, 0, kind->id}, part));
    for (const ParamDef* d : kind->paramsFor(definitionAt(m_studio.doc(), of)))
      column->addWidget(makeParamRow(m_studio, {of.node, of.param, 0, kind->id + "." + d->name}, part));
  }
  page->layout()->addWidget(part);
}

} // namespace ilumbra
