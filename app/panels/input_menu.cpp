#include "app/panels/input_menu.h"

#include "core/document/inputs.h"
#include "core/document/mover.h"

#include <QInputDialog>
#include <QMenu>

namespace ilumbra {

QString inputLabel(const std::string& name) {
  const QString text = qs(name);
  return text.left(1).toUpper() + text.mid(1);
}

InputMenu::InputMenu(QMenu& menu, Studio& studio, const Address& address) : m_studio(studio), m_address(address) {
  const Document& doc = studio.doc();
  const Node* n = doc.find(address.node);
  const ParamDef* own = n ? n->kind->param(address.param) : nullptr;
  if (!n || address.param == "name" || (own && moverInput(*own, address.input))) return;
  if (address.param == "inputs") {
    const std::string name = address.input;
    m_acts[menu.addAction(QObject::tr("Name the input anew…"))] = [this, name](QWidget* parent) {
      bool ok = false;
      const QString text = QInputDialog::getText(parent, QObject::tr("Name of the input"), QObject::tr("Name"),
                                                 QLineEdit::Normal, qs(name), &ok);
      if (!ok || text.trimmed().isEmpty() || text.trimmed() == qs(name)) return;
      m_studio.edit(QObject::tr("Name %1").arg(text.trimmed()), [&](const Document& d) {
        return renameInput(d, m_address.node, name, text.trimmed().toStdString());
      });
    };
    m_acts[menu.addAction(QObject::tr("Take the input away"))] = [this, name](QWidget*) {
      m_studio.edit(QObject::tr("Take away input %1").arg(qs(name)),
                    [&](const Document& d) { return renameInput(d, m_address.node, name, ""); });
    };
    return;
  }
  const ParamDef& def = definitionAt(doc, address);
  places(menu, def);
  if (!address.input.empty()) return;
  // What drives or fills the parameter is shared, or was copied from what is.
  const Node* used = doc.find(useAt(doc, address).target);
  if (!used || !takesOverrides(*used)) return;
  m_acts[menu.addAction(QObject::tr("Own copy of %1 here").arg(qs(used->name)))] = [this,
                                                                                    name = qs(used->name)](QWidget*) {
    m_studio.edit(QObject::tr("Own copy of %1").arg(name),
                  [&](const Document& d) { return ownCopy(d, m_address.node, m_address.param); });
  };
  if (const Node* from = copiedFrom(doc, *used))
    m_acts[menu.addAction(QObject::tr("Join %1 again").arg(qs(from->name)))] = [this, name = qs(from->name)](QWidget*) {
      m_studio.edit(QObject::tr("Join %1").arg(name),
                    [&](const Document& d) { return joinAgain(d, m_address.node, m_address.param); });
    };
}

void InputMenu::places(QMenu& menu, const ParamDef& def) {
  const Document& doc = m_studio.doc();
  if (def.type == ParamType::References || def.name == "on") return;
  const std::vector<InputPlace> all = inputPlaces(doc, m_address);
  if (all.empty()) return;
  QMenu* sub = menu.addMenu(QObject::tr("Input"));
  for (const InputPlace& place : all) {
    const Node& owner = *doc.find(place.owner);
    const auto has = std::find_if(owner.inputs.begin(), owner.inputs.end(), [&](const NamedInput& i) {
      return std::find(i.sets.begin(), i.sets.end(), place.target) != i.sets.end();
    });
    if (has != owner.inputs.end()) {
      m_acts[sub->addAction(QObject::tr("Take %1 of %2 away").arg(inputLabel(has->name), qs(owner.name)))] =
          [this, id = place.owner, name = has->name](QWidget*) {
            m_studio.edit(QObject::tr("Take away input %1").arg(qs(name)),
                          [&](const Document& d) { return renameInput(d, id, name, ""); });
          };
      continue;
    }
    const auto add = [&](const QString& text, const std::string& name) {
      m_acts[sub->addAction(text)] = [this, place, name, owned = qs(owner.name)](QWidget*) {
        if (m_studio.edit(QObject::tr("Input %1 of %2").arg(qs(name), owned),
                          [&](const Document& d) { return addInput(d, place.owner, name, place.target); }))
          m_studio.tell(QObject::tr("%1 is an input of %2 now: it stands at the top of its settings")
                            .arg(inputLabel(name), owned));
      };
    };
    const std::string wanted = place.target.input.empty() || !namedInputAt(doc, m_address)
                                   ? qs(def.label).toLower().toStdString()
                                   : *namedInputAt(doc, m_address);
    std::string name = wanted;
    for (int k = 2; namedInput(owner, name); ++k) name = wanted + " " + std::to_string(k);
    add(QObject::tr("Make it an input of %1").arg(qs(owner.name)), name);
    for (const NamedInput& i : owner.inputs) {
      const ParamDef* d = inputDefinition(doc, owner, i.name);
      if (d && d->type == def.type && d->unit == def.unit)
        add(QObject::tr("Set it by %1 of %2").arg(inputLabel(i.name), qs(owner.name)), i.name);
    }
  }
}

bool InputMenu::chose(const QAction* action, QWidget* parent) const {
  const auto it = m_acts.find(action);
  if (it == m_acts.end()) return false;
  it->second(parent);
  return true;
}

} // namespace ilumbra
