#include "core/effects/dressing.h"

#include "core/document/inputs.h"

#include "core/effects/effect.h"
#include "core/effects/making.h"
#include "core/geometry/shape.h"

namespace ilumbra {
namespace {

bool isLayerOf(const Document& doc, NodeId material, const Dress& dress) {
  const Node* n = doc.find(material);
  const Value* mask = n && n->kind->param("mask") ? n->find("mask") : nullptr;
  return mask && mask->pattern() && mask->pattern()->pattern.target == dress.mask;
}

Reference ownMaterial(const Document& doc, NodeId object) {
  return wornMaterial(doc, *doc.find(object), currentFrame(doc));
}

void dress(Document& doc, NodeId object, const Dress& by) {
  const Reference worn = ownMaterial(doc, object);
  // Under what other effects have put over it.
  for (Reference r = worn; r.target;) {
    if (isLayerOf(doc, r.target, by)) return;
    const Node* n = doc.find(r.target);
    if (!n || !n->kind->param("below")) break;
    r = Params(*n, currentFrame(doc)).reference("below");
  }
  for (const Node* n : doc.family("material"))
    if (isLayerOf(doc, n->id, by) && Params(*n, currentFrame(doc)).reference("below") == worn) {
      doc = setValue(doc, object, "material", Constant(Reference{n->id, nullptr}));
      return;
    }
  Reference below = worn;
  if (!below.target) below.target = add(doc, "material.surface", doc.find(object)->name + " surface", {});
  const NodeId layer = add(doc, "material.layer", by.name + " on " + doc.find(below.target)->name, {});
  doc = setValue(doc, layer, "below", Constant(below));
  doc = setValue(doc, layer, "above", Constant(Reference{by.above, nullptr}));
  doc = setValue(doc, layer, "keeps_openings", Constant(true));
  doc = setValue(doc, layer, "mask", PatternUse{{by.mask, nullptr}});
  const auto pass = [&](const std::string& name, const InputTarget& target) {
    const Node& n = *doc.find(layer);
    Node one = n;
    one.inputs = {{name, {target}}};
    if (!namedInput(n, name) && inputDefinition(doc, one, name)) doc = addInput(doc, layer, name, target);
  };
  for (const NamedInput& i : doc.find(below.target)->inputs) pass(i.name, {0, "below", i.name});
  for (const NamedInput& i : by.inputs)
    for (const InputTarget& t : i.sets) pass(i.name, t);
  doc = setValue(doc, object, "material", Constant(Reference{layer, nullptr}));
}

void undress(Document& doc, NodeId object, const Dress& by) {
  const Node* n = doc.find(object);
  const Value* own = n->find("material");
  const Constant* c = own ? own->constant() : nullptr;
  const auto* worn = c ? std::get_if<Reference>(c) : nullptr;
  if (!worn || !isLayerOf(doc, worn->target, by)) return;
  const NodeId layer = worn->target;
  // With what the object set for itself below the layer.
  const Params p(*doc.find(layer), currentFrame(doc), worn->with.get());
  doc = setValue(doc, object, "material", Constant(p.reference("below")));
  if (!isUsed(doc, layer)) doc = removeNode(doc, layer);
}

} // namespace

std::vector<NodeId> objectsAmong(const Document& doc, const std::vector<NodeId>& things) {
  std::vector<NodeId> out;
  for (const NodeId id : things)
    for (const NodeId part : treeOf(doc, id)) {
      const Node* n = doc.find(part);
      if (n && n->kind->family() == "object" && n->kind->param("material") &&
          std::find(out.begin(), out.end(), part) == out.end())
        out.push_back(part);
    }
  return out;
}

Document withoutEffect(const Document& doc, NodeId effect) {
  Document out = doc;
  if (const EffectKind* kind = effectKind(*doc.find(effect)); kind && kind->dress)
    for (const NodeId id : roleOf(doc, *doc.find(effect), "onto")) out = leaveRole(out, effect, "onto", id);
  return removeNode(out, effect);
}

Document dressed(const Document& doc, const std::vector<NodeId>& things, const Dress& by) {
  Document out = doc;
  if (!doc.find(by.mask) || !doc.find(by.above)) return out;
  const std::vector<NodeId> objects = objectsAmong(doc, things);
  for (const Node* n : doc.family("object"))
    if (n->kind->param("material") && std::find(objects.begin(), objects.end(), n->id) == objects.end())
      undress(out, n->id, by);
  for (const NodeId id : objects) dress(out, id, by);
  return out;
}

} // namespace ilumbra
