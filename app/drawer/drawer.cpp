#include "app/drawer/drawer.h"

#include "app/viewport/picture_bar.h"

#include <QHBoxLayout>
#include <QStackedWidget>
#include <QToolButton>

namespace ilumbra {

// A line each, in the order of menus.
#define EACH_PAGE(X)                                                                                                   \
  X(proofsPage)                                                                                                        \
  X(stripPage)                                                                                                         \
  X(balancePage)                                                                                                       \
  X(motionPage)                                                                                                        \
  X(patternPage)                                                                                                       \
  X(readingsPage)                                                                                                      \
  X(queuePage)

#define DECLARE(name) DrawerPage name();
EACH_PAGE(DECLARE)
#undef DECLARE

std::vector<DrawerPage> drawerPages() {
#define MADE(name) name(),
  return {EACH_PAGE(MADE)};
#undef MADE
}

Drawer::Drawer(Studio& studio, QWidget* parent) : QWidget(parent), m_studio(studio), m_all(drawerPages()) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  auto* row = new QHBoxLayout;
  row->setContentsMargins(4, 0, 8, 0);
  m_pages = new QStackedWidget(this);
  for (const DrawerPage& p : m_all) {
    QToolButton* tab = flatButton(this, p.label, p.help, "tab");
    tab->setCheckable(true);
    connect(tab, &QToolButton::clicked, this, [this, id = p.id] { showPage(id); });
    row->addWidget(tab);
    m_tabs.push_back(tab);
    m_pages->addWidget(p.make(studio, this));
  }
  m_tabs.front()->setChecked(true);
  row->addStretch(1);
  column->addLayout(row);
  column->addWidget(m_pages, 1);
}

void Drawer::showPage(const QString& id) {
  for (size_t i = 0; i < m_all.size(); ++i) {
    if (m_all[i].id != id) continue;
    const bool same = m_pages->currentIndex() == int(i), open = !folded();
    m_pages->setCurrentIndex(int(i));
    setFolded(open && same);
  }
}

bool Drawer::folded() const { return !m_pages->isVisible(); }

void Drawer::setFolded(bool folded) {
  m_pages->setVisible(!folded);
  const size_t current = size_t(m_pages->currentIndex());
  for (size_t i = 0; i < m_tabs.size(); ++i) m_tabs[i]->setChecked(!folded && i == current);
  Studio::View v = m_studio.view();
  v.groups = !folded && m_all[current].groups;
  m_studio.setView(v);
  setMaximumHeight(folded ? foldedHeight : QWIDGETSIZE_MAX);
  Q_EMIT foldChanged(folded);
}

} // namespace ilumbra
