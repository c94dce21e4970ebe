#include "core/exchange/extras.h"

#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/document/file.h"
#include "core/document/json.h"

#include <filesystem>
#include <fmt/format.h>
#include <set>

namespace ilumbra {
namespace {

constexpr const char* key = "ilumbra";

// Our part of a JSON object; null if there is none.
Json ours(const std::string& extra) {
  if (extra.empty()) return {};
  const Json all = Json::parse(extra, nullptr, false);
  if (!all.is_object() || !all.contains(key) || !all[key].is_object()) return {};
  return all[key];
}

std::string wrap(Json value) { return Json{{key, std::move(value)}}.dump(); }

// Triangles and square metres: what a form is known by again, however its vertices are ordered.
Json formOf(const ModelNode& node, const Model& model) {
  double triangles = 0, area = 0;
  for (const int p : node.parts) {
    const Mesh& m = model.parts[size_t(p)].mesh;
    triangles += double(m.triangles.size());
    for (const Mesh::Triangle& t : m.triangles)
      area += double(length(cross(m.positions[t.b] - m.positions[t.a], m.positions[t.c] - m.positions[t.a]))) / 2;
  }
  return Json::array({triangles, area});
}

Json numbersOf(const ModelMaterial& m) {
  Json out = Json::array();
  for (const float v :
       {m.opacity, m.metalness, m.roughness, m.ior, m.transmission,
        m.transmission > 0 || m.translucency > 0 ? float(m.thin) : 0, m.attenuationDepth, m.abbe, m.specular,
        m.anisotropy, m.anisotropy > 0 ? m.grainTurn : 0, m.coat, m.coat > 0 ? m.coatRoughness : 0,
        isBlack(m.sheenColor) ? 0 : m.sheenRoughness, m.film, m.film > 0 ? m.filmIor : 0,
        m.film > 0 ? m.filmThickness : 0, m.translucency, m.emissionTexture.image >= 0 ? 1.0f : 0})
    out.push_back(v);
  for (const V3f& c : {m.baseColor, m.attenuationDepth > 0 ? m.attenuationColor : V3f(1.0f), m.specularTint,
                       m.sheenColor, m.translucency > 0 ? m.translucencyColor : V3f(1.0f), m.emission})
    for (int i = 0; i < 3; ++i) out.push_back(c[i]);
  for (const auto texture : modelTextures)
    if (texture != &ModelMaterial::emissionTexture) out.push_back((m.*texture).image >= 0 ? 1 : 0);
  return out;
}

bool same(const Json& a, const Json& b) {
  if (!a.is_array() || !b.is_array() || a.size() != b.size()) return false;
  for (size_t i = 0; i < a.size(); ++i) {
    if (!a[i].is_number() || !b[i].is_number()) return false;
    const double x = a[i], y = b[i];
    if (std::abs(x - y) > 1e-4 * std::max({1.0, std::abs(x), std::abs(y)})) return false;
  }
  return true;
}

Json numbersOf(const M44f& m) {
  Json out = Json::array();
  for (int i = 0; i < 16; ++i) out.push_back((&m[0][0])[i]);
  return out;
}

Triple triple(const V3f& v) {
  Triple t{double(v.x), double(v.y), double(v.z)};
  for (double& x : t) x = std::abs(x) < 1e-7 ? 0 : x;
  return t;
}

Document placed(const Document& doc, const Node& n, const M44f& m, std::vector<std::string>& notes) {
  Document out = doc;
  if (isAnimated(n))
    notes.push_back(n.name + " was moved in another program: it stands where that has it, without its keys");
  const V3f at(m[3][0], m[3][1], m[3][2]), back = normalize(transformVector(m, {0, 0, 1}));
  if (n.kind->family() == "object") {
    V3f position, turn, size;
    if (!unplace(m, position, turn, size)) notes.push_back(n.name + " is sheared in the file, which is left out");
    out = setValue(out, n.id, "position", Constant(triple(position)));
    out = setValue(out, n.id, "turn", Constant(triple(turn)));
    return setValue(out, n.id, "size", Constant(triple(size)));
  }
  if (n.kind->param("bearing")) {
    out = setValue(out, n.id, "height", Constant(double(std::asin(std::clamp(back.y, -1.0f, 1.0f)) * 180 / pi)));
    return setValue(out, n.id, "bearing", Constant(double(std::atan2(back.x, -back.z) * 180 / pi)));
  }
  const Params p(n, currentFrame(doc));
  if (n.kind->param("target")) {
    const Triple from = p.triple("position"), to = p.triple("target");
    const double reach =
        std::sqrt(std::pow(to[0] - from[0], 2) + std::pow(to[1] - from[1], 2) + std::pow(to[2] - from[2], 2));
    out = setValue(out, n.id, "target", Constant(triple(at - back * float(std::max(1e-3, reach)))));
  }
  return setValue(out, n.id, "position", Constant(triple(at)));
}

// The form that another program gave a thing, with the place, the material and the switches that it had here.
Document reshaped(const Document& doc, const Node& n, const ModelPart& part, const std::string& file) {
  DocumentBuilder b(doc);
  Node mesh = n;
  mesh.kind = doc.kinds().find("object.mesh");
  mesh.values.clear();
  for (const auto& [param, value] : n.values) {
    const ParamDef *before = n.kind->param(param), *now = mesh.kind->param(param);
    if (before && now && before->type == now->type && before->stage != Invalidation::Geometry)
      mesh.values.emplace(param, value);
  }
  mesh.values["file"] = Constant(file);
  mesh.values["part"] = Constant(part.name);
  std::vector<NodeId> gone;
  for (const ChildSlot& slot : n.kind->slots)
    if (slot.name == "modifiers" || !mesh.kind->slot(slot.name)) {
      if (const auto it = mesh.children.find(slot.name); it != mesh.children.end()) {
        gone.insert(gone.end(), it->second.begin(), it->second.end());
        mesh.children.erase(it);
      }
    }
  for (const NodeId id : gone)
    for (const NodeId inside : treeOf(doc, id)) b.erase(inside);
  b.put(std::move(mesh));
  return b.take();
}

void collect(const Document& doc, const Value& value, std::vector<NodeId>& out);
void collect(const Document& doc, const Reference& r, std::vector<NodeId>& out) {
  if (doc.find(r.target)) out.push_back(r.target);
  if (r.with)
    for (const auto& [input, value] : *r.with) collect(doc, value, out);
}
void collect(const Document& doc, const Constant& c, std::vector<NodeId>& out) {
  if (const Reference* r = std::get_if<Reference>(&c)) collect(doc, *r, out);
  if (const auto* list = std::get_if<std::vector<Reference>>(&c))
    for (const Reference& r : *list) collect(doc, r, out);
}
void collect(const Document& doc, const Value& value, std::vector<NodeId>& out) {
  if (const Constant* c = value.constant()) collect(doc, *c, out);
  if (const Keys* k = value.keys())
    for (const Key& one : k->keys) collect(doc, one.value, out);
  if (const PatternUse* p = value.pattern()) collect(doc, p->pattern, out); // what moves refers to nothing
}

} // namespace

std::string documentExtra(const Document& doc, const Model& model) {
  Json written = Json::array();
  for (const ModelNode& n : model.nodes)
    if (const Json o = ours(n.extra); o.contains("thing")) written.push_back(o["thing"]);
  return wrap({{"document", Json::parse(toJson(doc))}, {"written", std::move(written)}});
}

std::string placeExtra(const std::string& thing, const ModelNode& node, const Model& model) {
  Json o = {{"thing", thing}, {"matrix", numbersOf(node.matrix)}};
  if (!node.parts.empty()) o["form"] = formOf(node, model);
  return wrap(std::move(o));
}

std::string copyExtra() { return wrap({{"copy", true}}); }

std::string materialExtra(const ModelMaterial& m) { return wrap({{"thing", m.name}, {"is", numbersOf(m)}}); }

Document excerpt(const Document& doc, const std::vector<NodeId>& things) {
  std::set<NodeId> keep{doc.settings().id};
  std::vector<NodeId> open;
  const auto want = [&](NodeId id) {
    for (const NodeId inside : treeOf(doc, id))
      if (keep.insert(inside).second) open.push_back(inside);
  };
  for (const NodeId id : things) want(id);
  while (!open.empty()) {
    const Node& n = *doc.find(open.back());
    open.pop_back();
    // What it uses comes along whole; what holds it comes along empty.
    std::vector<NodeId> used;
    for (const auto& [param, value] : n.values) collect(doc, value, used);
    for (const NodeId id : used) want(id);
    for (NodeId up = n.parent; up && keep.insert(up).second; up = doc.find(up)->parent) {
    }
  }
  Document out = doc;
  for (const Node* n : doc.inOrder())
    if (!keep.count(n->id) && out.find(n->id)) out = removeNode(out, n->id);
  return out;
}

bool hasDocument(const Model& model) { return ours(model.extra).contains("document"); }

bool isKnown(const ModelNode& node) {
  const Json o = ours(node.extra);
  return o.contains("thing") || o.contains("copy");
}

Restored restored(const Model& model, const std::string& file, const std::shared_ptr<const Kinds>& kinds) {
  const Json all = ours(model.extra);
  DocumentBuilder b(fromJson(kinds, all["document"].dump()));
  b.setFolder(std::filesystem::path(file).parent_path().string());
  Restored out{b.take(), {}, {}};
  std::set<std::string> present;
  for (const ModelNode& node : model.nodes) {
    const Json o = ours(node.extra);
    if (!o.contains("thing") || !o["thing"].is_string()) continue;
    const Node* n = out.doc.findByName(o["thing"].get<std::string>());
    if (!n || !present.insert(n->name).second) continue;
    const NodeId id = n->id; // the node itself may go with the document that it was found in
    if (!o.contains("matrix") || !same(o["matrix"], numbersOf(node.matrix)))
      out.doc = placed(out.doc, *n, node.matrix, out.notes);
    n = out.doc.find(id);
    if (n->kind->family() == "object" && !node.parts.empty() && o.contains("form") &&
        !same(o["form"], formOf(node, model))) {
      out.doc = reshaped(out.doc, *n, model.parts[size_t(node.parts[0])], file);
      out.notes.push_back(out.doc.find(id)->name + " was given another form in another program, and is a mesh now");
    }
  }
  if (all.contains("written") && all["written"].is_array())
    for (const Json& name : all["written"]) {
      if (!name.is_string() || present.count(name.get<std::string>())) continue;
      if (const Node* n = out.doc.findByName(name.get<std::string>())) {
        out.notes.push_back(n->name + " was taken out in another program");
        out.doc = removeNode(out.doc, n->id);
      }
    }
  for (size_t i = 0; i < model.materials.size(); ++i) {
    const Json o = ours(model.materials[i].extra);
    if (!o.contains("thing") || !o["thing"].is_string() || !o.contains("is")) continue;
    const Node* n = out.doc.findByName(o["thing"].get<std::string>());
    if (!n || n->kind->id != "material.surface" || same(o["is"], numbersOf(model.materials[i]))) continue;
    out.materials.emplace_back(int(i), n->id);
    out.notes.push_back(n->name + " was changed in another program");
  }
  return out;
}

} // namespace ilumbra
