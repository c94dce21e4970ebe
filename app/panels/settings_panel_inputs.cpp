// Named inputs: those of the thing itself at the top, those of what it uses below the row that uses it.
#include "app/panels/param_row.h"
#include "app/panels/settings_panel.h"
#include "core/document/inputs.h"

#include <QVBoxLayout>

namespace ilumbra {

void SettingsPanel::buildInputs(QWidget* page, const Node& n) {
  if (n.inputs.empty()) return;
  auto* column = page->layout();
  column->addWidget(sectionHead(page, tr("Inputs"), {}, {}));
  for (const NamedInput& i : n.inputs)
    if (inputDefinition(m_studio.doc(), n, i.name))
      column->addWidget(makeParamRow(m_studio, {n.id, "inputs", 0, i.name}, page));
  column->addWidget(rule(page));
}

void SettingsPanel::buildUsedInputs(QWidget* page, const Address& use,
                                    const std::function<bool(const std::string&)>& rows) {
  const Node* used = m_studio.doc().find(useAt(m_studio.doc(), use).target);
  if (!used || !takesOverrides(*used)) return;
  auto* part = new QWidget(page);
  auto* column = new QVBoxLayout(part);
  column->setContentsMargins(12, 0, 0, 4);
  column->setSpacing(0);
  for (const std::string& name : shownInputs(m_studio.doc(), use))
    if (!rows || rows(name)) column->addWidget(makeParamRow(m_studio, {use.node, use.param, use.index, name}, part));
  if (column->isEmpty())
    delete part;
  else
    page->layout()->addWidget(part);
}

} // namespace ilumbra
