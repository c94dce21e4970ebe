#include "core/lens/preset.h"

#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/document/transplant.h"
#include "core/document/units.h"

#include <fmt/format.h>
#include <map>

namespace ilumbra {

bool belongsToLook(const ParamDef& d) {
  if (d.type == ParamType::Reference || d.type == ParamType::References || d.name == "on") return false;
  if (d.group == "Sources" || d.group == "Where it acts" || d.group == "Output") return false;
  for (const char* end : {"_by", "_place", "_x", "_y"})
    if (d.name.ends_with(end) && d.name != "scale_by") return false;
  return true;
}

Document withLook(const Document& doc, NodeId stage, const StageLook& look) {
  Document out = doc;
  for (const ParamDef& d : doc.find(stage)->kind->params)
    if (belongsToLook(d) && out.find(stage)->find(d.name)) out = resetValue(out, stage, d.name);
  for (const auto& [name, value] : look.values) {
    const ParamDef* d = out.find(stage)->kind->param(name);
    if (!d)
      throw badInput(
          fmt::format("{}: the look {} sets \"{}\", which there is not", doc.find(stage)->name, look.name, name));
    out = setValue(out, stage, name, parseValue(out, *d, value));
  }
  return out;
}

Document inOrder(const Document& doc, const std::vector<NodeId>& stages) {
  Document out = doc;
  for (const NodeId id : stages)
    if (out.find(id)) out = moveNode(out, id, {0, "", size_t(-1)});
  for (const Node* n : doc.family("lens"))
    if (std::find(stages.begin(), stages.end(), n->id) == stages.end()) out = moveNode(out, n->id, {0, "", size_t(-1)});
  return out;
}

// Without references into its scene.
static Document unbound(const Document& doc, NodeId stage) {
  Document out = doc;
  for (const NodeId id : treeOf(doc, stage))
    for (const ParamDef& d : doc.find(id)->kind->params)
      if ((d.type == ParamType::Reference || d.type == ParamType::References) && out.find(id)->find(d.name))
        out = resetValue(out, id, d.name);
  return out;
}

Document stagePreset(const Document& doc, NodeId stage) { return cutting(unbound(doc, stage), stage); }

Document withPreset(const Document& doc, NodeId stage, const Document& preset) {
  const Node& own = *doc.find(stage);
  const Node* from = nullptr;
  for (const Node* n : preset.family("lens"))
    if (!from && n->kind->id == own.kind->id) from = n;
  if (!from) throw badInput(fmt::format("the file holds no stage of the kind {}", own.kind->label));
  // The preset comes in beside the stage, gives what it has and goes.
  NodeId made = 0;
  Document out = transplant(doc, unbound(preset, from->id), from->id, &made);
  for (const ParamDef& d : own.kind->params) {
    if (!belongsToLook(d)) continue;
    if (const Value* v = out.find(made)->find(d.name))
      out = setValue(out, stage, d.name, *v);
    else if (out.find(stage)->find(d.name))
      out = resetValue(out, stage, d.name);
  }
  for (const ChildSlot& slot : own.kind->slots) {
    if (slot.name == "areas") continue;
    const auto list = [&](NodeId of) {
      const auto it = out.find(of)->children.find(slot.name);
      return it == out.find(of)->children.end() ? std::vector<NodeId>() : it->second;
    };
    for (const NodeId c : list(stage)) out = removeNode(out, c);
    for (const NodeId c : list(made)) out = moveNode(out, c, {stage, slot.name, size_t(-1)});
  }
  return removeNode(out, made);
}

Document addPreset(const Document& doc, const Document& preset, std::vector<NodeId>* made) {
  Document out = doc;
  std::map<NodeId, NodeId> here; ///< by the preset's stages
  for (const NodeId id : preset.roots()) {
    const Node* n = preset.find(id);
    if (!n || n->kind->family() != "lens") continue;
    out = transplant(out, unbound(preset, id), id, &here[id]);
    if (made) made->push_back(here[id]);
  }
  if (here.empty()) throw badInput("the file holds no lens stage");
  // Of each other they go on.
  for (const auto& [there, stage] : here)
    for (const char* list : {"sources", "acts_on"}) {
      std::vector<Reference> named;
      for (const Reference& r : Params(*preset.find(there), 0).references(list))
        if (const auto it = here.find(r.target); it != here.end()) named.push_back({it->second, nullptr});
      if (!named.empty()) out = setValue(out, stage, list, Constant(named));
    }
  return out;
}

} // namespace ilumbra
