#include "app/panels/pattern_menu.h"

#include "core/placing/driving.h"

#include <QMenu>

namespace ilumbra {

PatternMenu::PatternMenu(QMenu* menu, Studio& studio, const Value& now) : m_studio(studio) {
  if (!menu) return;
  if (now.pattern()) m_present = now.pattern()->pattern.target;
  m_made = menu->addMenu(QObject::tr("New pattern"));
  m_made->setObjectName(QStringLiteral("new pattern"));
  m_made->setToolTipsVisible(true);
  // Shapes first, then what works on another pattern.
  for (const bool works : {false, true}) {
    if (works) m_made->addSection(QObject::tr("Changes what is there"));
    for (const Kind& k : studio.doc().kinds().all()) {
      if (k.family() != "pattern" || (worksOn(k) != nullptr) != works) continue;
      QAction* a = m_made->addAction(qs(k.label));
      a->setData(qs(k.id));
      a->setToolTip(qs(k.helpText));
    }
  }
  m_there = menu->addMenu(QObject::tr("Pattern of the scene"));
  m_there->setObjectName(QStringLiteral("pattern of the scene"));
  for (const Node* n : studio.doc().family("pattern")) {
    QAction* a = m_there->addAction(qs(n->name));
    a->setData(uint(n->id));
    a->setCheckable(true);
    a->setChecked(n->id == m_present);
  }
  m_there->setEnabled(!m_there->isEmpty());
  if (const Node* n = studio.doc().find(m_present)) m_show = menu->addAction(QObject::tr("Show %1").arg(qs(n->name)));
}

bool PatternMenu::chose(const QAction* action, const Address& address, const QString& where) const {
  if (!m_made || !action) return false;
  if (m_show && action == m_show) {
    m_studio.select({m_present});
    return true;
  }
  if (m_there->actions().contains(action)) {
    const NodeId id = action->data().toUInt();
    m_studio.edit(QObject::tr("%1 drives %2").arg(action->text(), where), [&](const Document& doc) {
      return setAt(doc, address, PatternUse{{id, nullptr}});
    });
    return true;
  }
  if (!m_made->actions().contains(action)) return false;
  const std::string kind = action->data().toString().toStdString();
  NodeId made = 0;
  const ScenePtr scene = m_studio.session().scene();
  if (m_studio.edit(QObject::tr("%1 drives %2").arg(action->text(), where),
                    [&](const Document& doc) { return drivenBy(doc, address, kind, scene.get(), &made); }))
    m_studio.tell(QObject::tr("%1 drives %2: select it to shape it").arg(qs(m_studio.doc().find(made)->name), where));
  return true;
}

} // namespace ilumbra
