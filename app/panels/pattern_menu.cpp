#include "app/panels/pattern_menu.h"

#include "app/panels/large_pictures.h"
#include "app/panels/pattern_pictures.h"

#include "app/library.h"
#include "core/compile/even_patterns.h"
#include "core/document/file.h"
#include "core/pattern/program.h"
#include "core/placing/driving.h"

#include <QApplication>
#include <QDesktopServices>
#include <QFileDialog>
#include <QMenu>
#include <QMimeData>
#include <QUrl>

namespace ilumbra {

PatternMenu::PatternMenu(QMenu* menu, Studio& studio, const Address& address) : m_studio(studio) {
  if (!menu) return;
  if (const Value now = valueAt(studio.doc(), address); now.pattern()) m_present = now.pattern()->pattern.target;
  // What an action puts there is drawn when its menu is first opened.
  const auto pictured = [&studio, address](QMenu* of) {
    of->setStyle(new LargePictures(of, 36));
    QObject::connect(
        of, &QMenu::aboutToShow, of,
        [&studio, address, of] {
          std::vector<PatternChoice> choices;
          for (QAction* a : of->actions()) {
            if (a->isSeparator() || a->menu() || a->objectName() == QStringLiteral("folder")) continue;
            const std::string name = a->text().toStdString(), kind = a->data().toString().toStdString();
            if (kind.ends_with(".ilum")) {
              choices.push_back({a, [=, kinds = studio.kinds()](const Document& doc, const Scene*) {
                                   return drivenByCutting(doc, address, readDocument(kinds, kind));
                                 }});
              continue;
            }
            const NodeId there = a->data().userType() == QMetaType::UInt ? a->data().toUInt() : 0;
            choices.push_back({a, [=](const Document& doc, const Scene* scene) {
                                 if (there) return setAt(doc, address, PatternUse{{there, nullptr}});
                                 if (!kind.empty()) return drivenBy(doc, address, kind, scene, nullptr);
                                 return drivenByPreset(doc, address, findPatternPreset(name), scene, nullptr);
                               }});
          }
          drawPatternChoices(studio, address, std::move(choices));
        },
        Qt::SingleShotConnection);
  };
  const ParamDef& def = definitionAt(studio.doc(), address);
  if (def.evenOnly) {
    // Said where it is looked for.
    QAction* why = menu->addAction(QObject::tr("Pattern: only what is the same everywhere"));
    why->setEnabled(false);
    why->setToolTip(qs(whyEven(def)));
    menu->setToolTipsVisible(true);
  }
  QMenu* presets = menu->addMenu(QObject::tr("Pattern preset"));
  presets->setToolTipsVisible(true);
  pictured(presets);
  for (const PatternPreset& p : patternPresets()) {
    QAction* a = presets->addAction(qs(p.name));
    a->setToolTip(qs(p.helpText));
    m_presets.push_back(a);
  }
  presets->menuAction()->setVisible(!def.evenOnly);
  QMenu* library = menu->addMenu(QObject::tr("Pattern of the library"));
  library->setToolTipsVisible(true);
  pictured(library);
  for (const QFileInfo& f : patternLibrary().kept()) {
    QAction* a = library->addAction(f.completeBaseName());
    a->setData(f.filePath());
    a->setToolTip(f.filePath());
    m_kept.push_back(a);
  }
  library->menuAction()->setVisible(!m_kept.empty());
  library->addSeparator();
  m_folder = library->addAction(QObject::tr("Open its folder"));
  m_folder->setObjectName(QStringLiteral("folder"));
  m_folder->setToolTip(patternLibrary().folder());
  QMenu* fresh = menu->addMenu(QObject::tr("New pattern"));
  const auto list = [&](QMenu* to, PatternGroup group) {
    to->setToolTipsVisible(true);
    pictured(to);
    for (const PatternKind& k : allPatterns()) {
      if (!k.compile || k.group != group || (def.evenOnly && !k.even)) continue;
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
  pictured(there);
  there->setEnabled(!there->isEmpty());
  if (const Node* n = studio.doc().find(m_present)) {
    m_show = menu->addAction(QObject::tr("Show %1").arg(qs(n->name)));
    m_keep = menu->addAction(QObject::tr("Keep %1 in the library").arg(qs(n->name)));
  }
}

bool PatternMenu::chose(const QAction* action, const Address& address, const QString& where) const {
  if (!action) return false;
  if (action == m_show) {
    m_studio.select({m_present});
    return true;
  }
  if (action == m_folder) {
    QDesktopServices::openUrl(QUrl::fromLocalFile(patternLibrary().folder()));
    return true;
  }
  if (action == m_keep) {
    patternLibrary().keep(m_studio, m_present);
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
  if (among(m_kept)) {
    drivePatternFile(m_studio, address, action->data().toString());
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

bool drivePatternFile(Studio& studio, const Address& address, const QString& file) {
  const QString where = qs(addressText(studio.doc(), address)), name = QFileInfo(file).completeBaseName();
  if (!studio.edit(QObject::tr("%1 drives %2").arg(name, where), [&](const Document& doc) {
        return drivenByCutting(doc, address, readDocument(studio.kinds(), file.toStdString()));
      }))
    return false;
  studio.tell(QObject::tr("%1 drives %2").arg(name, where));
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
