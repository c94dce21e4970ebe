#include "app/panels/pattern_menu.h"

#include "app/panels/preset_icons.h"

#include "core/pattern/program.h"
#include "core/placing/driving.h"

#include <QApplication>
#include <QFileDialog>
#include <QMenu>
#include <QMimeData>
#include <QProxyStyle>
#include <QUrl>

namespace ilumbra {
namespace {

// Menu pictures that one can tell apart.
class LargePictures : public QProxyStyle {
 public:
  explicit LargePictures(QObject* parent) { setParent(parent); }
  int pixelMetric(PixelMetric m, const QStyleOption* o, const QWidget* w) const override {
    return m == PM_SmallIconSize ? 36 : QProxyStyle::pixelMetric(m, o, w);
  }
};

} // namespace

PatternMenu::PatternMenu(QMenu* menu, Studio& studio, const Value& now) : m_studio(studio) {
  if (!menu) return;
  if (now.pattern()) m_present = now.pattern()->pattern.target;
  QMenu* presets = menu->addMenu(QObject::tr("Pattern preset"));
  presets->setToolTipsVisible(true);
  presets->setStyle(new LargePictures(presets));
  for (const PatternPreset& p : patternPresets()) {
    QAction* a = presets->addAction(qs(p.name));
    a->setToolTip(qs(p.helpText));
    m_presets.push_back(a);
  }
  for (int i = 0; i < std::min(m_presets.size(), presetPictures().size()); ++i)
    m_presets[i]->setIcon(QPixmap::fromImage(presetPictures()[i]));
  QMenu* fresh = menu->addMenu(QObject::tr("New pattern"));
  const auto list = [&](QMenu* to, PatternGroup group) {
    to->setToolTipsVisible(true);
    for (const PatternKind& k : allPatterns()) {
      if (!k.compile || k.group != group) continue;
      QAction* a = to->addAction(qs(k.kind.label));
      a->setData(qs(k.kind.id));
      a->setToolTip(qs(k.kind.helpText));
      m_made.push_back(a);
    }
  };
  list(fresh, PatternGroup::Shape);
  fresh->addSeparator();
  list(fresh->addMenu(QObject::tr("By place or time")), PatternGroup::Place);
  list(menu->addMenu(m_present ? QObject::tr("Change the pattern by") : QObject::tr("Work out the value by")),
       PatternGroup::Operation);
  QMenu* there = menu->addMenu(QObject::tr("Pattern of the scene"));
  for (const Node* n : studio.doc().family("pattern")) {
    QAction* a = there->addAction(qs(n->name));
    a->setData(uint(n->id));
    a->setCheckable(true);
    a->setChecked(n->id == m_present);
    m_there.push_back(a);
  }
  there->setEnabled(!there->isEmpty());
  if (const Node* n = studio.doc().find(m_present)) m_show = menu->addAction(QObject::tr("Show %1").arg(qs(n->name)));
}

bool PatternMenu::chose(const QAction* action, const Address& address, const QString& where) const {
  if (!action) return false;
  if (action == m_show) {
    m_studio.select({m_present});
    return true;
  }
  const auto among = [&](const QList<QAction*>& all) { return std::find(all.begin(), all.end(), action) != all.end(); };
  const QString label = QObject::tr("%1 drives %2").arg(action->text(), where);
  if (among(m_there)) {
    const NodeId id = action->data().toUInt();
    m_studio.edit(label, [&](const Document& doc) { return setAt(doc, address, PatternUse{{id, nullptr}}); });
    return true;
  }
  if (among(m_presets)) {
    drivePatternPreset(m_studio, address, findPatternPreset(action->text().toStdString()));
    return true;
  }
  if (!among(m_made)) return false;
  return drivePattern(m_studio, address, action->data().toString().toStdString());
}

bool drivePattern(Studio& studio, const Address& address, const std::string& kind, QString file) {
  const Kind* k = studio.kinds()->find(kind);
  const ParamDef* picture = k ? k->param("file") : nullptr;
  // Without a picture there is nothing to be seen of it.
  if (picture && file.isEmpty()) {
    file = QFileDialog::getOpenFileName(QApplication::activeWindow(), QObject::tr("A picture to lay over it"),
                                        qs(studio.doc().folder()));
    if (file.isEmpty()) return false;
  }
  const QString where = qs(addressText(studio.doc(), address));
  NodeId made = 0;
  const ScenePtr scene = studio.session().scene();
  const auto change = [&](const Document& doc) {
    const Document driven = drivenBy(doc, address, kind, scene.get(), &made);
    return picture ? setValue(driven, made, picture->name, Constant(file.toStdString())) : driven;
  };
  if (!studio.edit(QObject::tr("%1 drives %2").arg(k ? qs(k->label) : qs(kind), where), change)) return false;
  studio.tell(QObject::tr("%1 drives %2").arg(qs(studio.doc().find(made)->name), where));
  return true;
}

bool drivePatternPreset(Studio& studio, const Address& address, const PatternPreset& preset) {
  const QString where = qs(addressText(studio.doc(), address));
  NodeId made = 0;
  const ScenePtr scene = studio.session().scene();
  if (!studio.edit(QObject::tr("%1 drives %2").arg(qs(preset.name), where),
                   [&](const Document& doc) { return drivenByPreset(doc, address, preset, scene.get(), &made); }))
    return false;
  studio.tell(QObject::tr("%1 drives %2").arg(qs(studio.doc().find(made)->name), where));
  return true;
}

QString pictureIn(const QMimeData* data) {
  for (const QUrl& u : data->urls())
    if (u.isLocalFile()) return u.toLocalFile();
  return {};
}

} // namespace ilumbra
