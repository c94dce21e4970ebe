#include "app/drawer/line_inputs.h"

#include "app/panels/param_row.h"
#include "core/document/edit.h"

#include <QGridLayout>
#include <QKeyEvent>

namespace ilumbra {

LineInputs::LineInputs(Studio& studio, NodeId node, QWidget* parent)
    : QWidget(parent), m_studio(studio), m_node(node), m_grid(new QGridLayout(this)) {
  m_grid->setContentsMargins(0, 2, 8, 6);
  m_grid->setHorizontalSpacing(18);
  m_grid->setVerticalSpacing(2);
  refresh();
}

void LineInputs::keyPressEvent(QKeyEvent* e) {
  e->accept();
  if (e->key() == Qt::Key_Escape) parentWidget()->setFocus();
}

std::vector<std::string> LineInputs::wanted() const {
  std::vector<std::string> out;
  const Node* n = m_studio.doc().find(m_node);
  if (!n) return out;
  for (const ParamDef& d : n->kind->params)
    if (d.name != "on" && counts(*n, d, m_studio.frame()) &&
        !valueAt(m_studio.doc(), {m_node, d.name, 0, {}}).pattern())
      out.push_back(d.name);
  return out;
}

void LineInputs::refresh() {
  std::vector<std::string> names = wanted();
  if (names == m_names) {
    for (ParamRow* r : m_rows) r->refresh();
    return;
  }
  m_names = std::move(names);
  // A row may be what has just changed this.
  for (ParamRow* r : m_rows) {
    r->hide();
    r->deleteLater();
  }
  m_rows.clear();
  for (const std::string& name : m_names) m_rows.push_back(makeParamRow(m_studio, {m_node, name, 0, {}}, this));
  lay(std::max(1, m_columns));
}

// Down one column, then the next.
void LineInputs::lay(int columns) {
  m_columns = columns;
  while (m_grid->count()) delete m_grid->takeAt(0);
  const int each = (int(m_rows.size()) + columns - 1) / columns;
  for (int i = 0; i < int(m_rows.size()); ++i) {
    m_grid->addWidget(m_rows[size_t(i)], i % each, i / each, Qt::AlignTop);
    m_rows[size_t(i)]->show();
  }
  for (int c = 0; c < 4; ++c) m_grid->setColumnStretch(c, c < columns ? 1 : 0);
}

int LineInputs::heightAt(int width) {
  const int columns = std::clamp(width / columnWidth, 1, 3);
  if (columns != m_columns) lay(columns);
  return m_grid->hasHeightForWidth() ? m_grid->heightForWidth(width) : m_grid->sizeHint().height();
}

} // namespace ilumbra
