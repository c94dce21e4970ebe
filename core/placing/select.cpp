#include "core/placing/select.h"

#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/geometry/form.h"
#include "core/geometry/mesh_tools.h"
#include "core/surface/material.h"

#include <fmt/format.h>
#include <set>

namespace ilumbra {
namespace {

bool takesLight(const Document& doc, const Node& light, const Node& object) {
  if (!light.kind->param("links")) return true;
  const Params p(light, currentFrame(doc));
  const std::string which = p.text("links");
  if (which == "everything") return true;
  bool named = false;
  for (const Reference& r : p.references("linked"))
    for (const Node* o = &object; o; o = doc.find(o->parent)) named |= o->id == r.target;
  return named == (which == "only these");
}

} // namespace

std::vector<NodeId> wearersOf(const Document& doc, const std::vector<NodeId>& things) {
  std::set<NodeId> wanted;
  const double frame = currentFrame(doc);
  for (const NodeId id : things)
    for (const NodeId inside : treeOf(doc, id)) {
      const Node& n = *doc.find(inside);
      if (n.kind->family() == "material")
        wanted.insert(n.id);
      else if (n.kind->family() == "object" && n.kind->param("material"))
        wanted.insert(wornMaterial(doc, n, frame).target);
    }
  wanted.erase(0);
  std::vector<NodeId> out;
  for (const Node* n : doc.family("object")) {
    if (!n->kind->param("material")) continue;
    const std::set<NodeId> worn = layersOf(doc, wornMaterial(doc, *n, frame).target, frame);
    if (std::any_of(worn.begin(), worn.end(), [&](NodeId m) { return wanted.count(m) > 0; })) out.push_back(n->id);
  }
  return out;
}

std::vector<NodeId> linkedBy(const Document& doc, const std::vector<NodeId>& things) {
  std::vector<const Node*> lights, objects;
  for (const NodeId id : things)
    for (const NodeId inside : treeOf(doc, id)) {
      const Node* n = doc.find(inside);
      if (n->kind->family() == "light") lights.push_back(n);
      if (n->kind->family() == "object" && n->kind->param("material")) objects.push_back(n);
    }
  std::vector<NodeId> out;
  if (!lights.empty()) {
    for (const Node* o : doc.family("object"))
      if (o->kind->param("material") &&
          std::any_of(lights.begin(), lights.end(), [&](const Node* l) { return takesLight(doc, *l, *o); }))
        out.push_back(o->id);
  } else {
    for (const Node* l : doc.family("light"))
      if (std::any_of(objects.begin(), objects.end(), [&](const Node* o) { return takesLight(doc, *l, *o); }))
        out.push_back(l->id);
  }
  return out;
}

Document withPart(const Document& doc, NodeId of, uint32_t copy, NodeId material, NodeId* part) {
  const Node *thing = doc.find(of), *worn = doc.find(material);
  if (!thing || (thing->kind->family() != "object" && thing->kind->family() != "light"))
    throw badInput("a part is one of an object or a light");
  const std::string copies = copy ? std::to_string(copy) : std::string();
  for (const Node* n : doc.family("source")) {
    const Params p(*n, 0);
    if (p.reference("of").target != of || p.text("copies") != copies || p.reference("material").target != material)
      continue;
    *part = n->id;
    return doc;
  }
  Document out =
      addNode(doc, "source.part",
              worn ? worn->name + " on " + thing->name : thing->name + " " + (copy ? copies : "part"), {}, part);
  out = setValue(out, *part, "of", Constant(Reference{of, nullptr}));
  if (copy) out = setValue(out, *part, "copies", Constant(copies));
  if (worn) out = setValue(out, *part, "material", Constant(Reference{material, nullptr}));
  return out;
}

// A copy without what rides on the original, which stays there.
static Document bareCopy(const Document& doc, NodeId object, NodeId* copy) {
  Document out = duplicate(doc, object, copy);
  const Node& n = *out.find(*copy);
  if (const auto carried = n.children.find("carries"); carried != n.children.end()) {
    const std::vector<NodeId> gone = carried->second;
    for (const NodeId c : gone) out = removeNode(out, c);
  }
  return out;
}

Document takenApart(const Document& doc, NodeId object, const Assets& assets, std::vector<NodeId>* made,
                    const CancelFlag* cancel) {
  constexpr size_t most = 64;
  const Node* n = doc.find(object);
  if (!n || n->kind->family() != "object" || !n->kind->slot("modifiers") || isGroup(*n))
    throw badInput("select an object with a form of its own to take it apart");
  Form form = formOf(*n, {doc, currentFrame(doc), assets, cancel});
  const size_t pieces = piecesBySize(meshOf(form)).size();
  if (pieces < 2) throw badInput(n->name + " is one piece");
  if (pieces > most) throw badInput(fmt::format("{} has {} pieces; up to {} are taken apart", n->name, pieces, most));
  Document out = doc;
  std::vector<NodeId> all;
  for (size_t i = 1; i <= pieces; ++i) {
    NodeId id = object, modifier = 0;
    if (i > 1) {
      out = bareCopy(out, object, &id);
      const std::vector<NodeId> list = out.find(id)->children.at("modifiers");
      out = setValue(out, list.back(), "which", Constant(double(i)));
    } else {
      out = addNode(out, "modifier.piece", "", {id, "modifiers"}, &modifier);
    }
    all.push_back(id);
  }
  if (made) *made = std::move(all);
  return out;
}

Document takenApartByMaterial(const Document& doc, NodeId object, std::vector<NodeId>* made) {
  const Node* n = doc.find(object);
  if (!n || n->kind->family() != "object") throw badInput("select an object to take it apart");
  Reference inside;
  if (const auto it = n->children.find("modifiers"); it != n->children.end())
    for (const NodeId id : it->second)
      if (const Node* m = doc.find(id);
          m && m->kind->param("inside_material") && Params(*m, currentFrame(doc)).flag("on"))
        if (const Reference use = Params(*m, currentFrame(doc)).reference("inside_material"); use.target) inside = use;
  if (!inside.target)
    throw badInput(n->name + " has one material alone: none of its modifiers gives cut faces another");
  NodeId other = 0, keepOut = 0, keepIn = 0;
  Document out = bareCopy(doc, object, &other);
  out = rename(out, other, n->name + " cut faces");
  out = setValue(out, other, "material", Constant(inside));
  out = addNode(out, "modifier.piece", "", {object, "modifiers"}, &keepOut);
  out = setValue(out, keepOut, "keep", Constant(std::string("all but cut faces")));
  out = addNode(out, "modifier.piece", "", {other, "modifiers"}, &keepIn);
  out = setValue(out, keepIn, "keep", Constant(std::string("cut faces")));
  if (made) *made = {object, other};
  return out;
}

} // namespace ilumbra
