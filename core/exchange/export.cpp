#include "core/light/sun_disc.h"
#include "core/exchange/export.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/document/file.h"
#include "core/render/camera.h"
#include "core/geometry/mesh_tools.h"
#include "core/render/geometry.h"

#include <filesystem>
#include <fmt/format.h>

namespace ilumbra {
namespace {

} // namespace

Model modelOf(const Document& doc, const Scene& scene) {
  Model out;
  const double frame = currentFrame(doc);
  std::vector<std::pair<Reference, int>> materials;
  bool images = false;
  const auto materialOf = [&](const Reference& use) {
    for (const auto& [known, index] : materials)
      if (known == use) return index;
    const Node* n = doc.find(use.target);
    if (!n) return -1;
    const Params p(*n, frame, use.with.get());
    ModelMaterial m;
    m.name = n->name;
    m.baseColor = vec(p.triple("base_color"));
    m.metalness = p.real("metalness");
    m.roughness = p.real("roughness");
    m.ior = p.real("ior");
    m.transmission = p.real("transmission");
    m.thin = p.flag("thin");
    m.attenuationColor = vec(p.triple("attenuation_color"));
    m.attenuationDepth = p.real("attenuation_depth");
    m.opacity = p.real("opacity");
    m.emission = vec(p.triple("own_light_color")) * p.real("own_light");
    for (const ParamDef& d : n->kind->params) images |= p.pattern(d.name) != nullptr;
    out.materials.push_back(m);
    materials.emplace_back(use, int(out.materials.size()) - 1);
    return int(out.materials.size()) - 1;
  };
  for (const Instance& i : scene.instances) {
    if (i.light >= 0) continue;
    const Node* n = doc.find(scene.things[i.thing].node);
    if (!n) continue;
    const Shape& s = i.geometry->shape;
    ModelPart part{n->name, s.sphereRadius > 0 ? ballMesh(s.sphereRadius, s.sphereSegments) : s.mesh, materialOf(wornMaterial(doc, *n, frame))};
    for (uint32_t c = 0; c < i.copies; ++c) { // they share their mesh
      ModelNode node;
      node.name = c ? fmt::format("{} {}", n->name, c + 1) : n->name;
      node.matrix = scene.copies[i.firstCopy + c].toWorld;
      node.parts.push_back(int(out.parts.size()));
      out.nodes.push_back(std::move(node));
    }
    out.parts.push_back(std::move(part));
  }
  for (const Node* n : doc.family("light")) {
    const Params p(*n, frame);
    const bool point = n->kind->id == "light.point", spot = n->kind->id == "light.spot", sun = n->kind->id == "light.sun";
    if (!point && !spot && !sun) {
      out.notes.push_back(n->name + " has no place in a glTF file");
      continue;
    }
    ModelLight l;
    l.type = point ? ModelLight::Type::Point : spot ? ModelLight::Type::Spot : ModelLight::Type::Sun;
    const Color amount = rec709FromAcescg(lightAmount(p));
    const float most = std::max(1e-12f, maxComponent(amount));
    l.color = vmax(amount * (1 / most), Color(0.0f));
    l.power = most;
    M44f m = n->parent ? worldMatrix(doc, *doc.find(n->parent), frame) : M44f();
    M44f own;
    if (point) {
      own.setTranslation(vec(p.triple("position")));
    } else if (spot) {
      own = aimMatrix(p);
      l.outerCone = p.real("cone");
      l.innerCone = l.outerCone * (1 - p.real("edge"));
      const float ci = std::cos(l.innerCone * pi / 180), co = std::cos(l.outerCone * pi / 180);
      l.power *= 2 / ((1 - ci) + 0.5f * (ci - co)); // as a lamp that shines to all sides with these candelas
    } else {
      const Frame f(skyBody(p.real("height"), p.real("bearing")));
      own = M44f(f.x.x, f.x.y, f.x.z, 0, f.y.x, f.y.y, f.y.z, 0, f.z.x, f.z.y, f.z.z, 0, 0, 0, 0, 1);
    }
    ModelNode node;
    node.name = n->name;
    node.matrix = own * m;
    node.light = int(out.lights.size());
    out.lights.push_back(l);
    out.nodes.push_back(std::move(node));
  }
  if (const Node* c = activeCamera(doc)) {
    const Params p(*c, frame), settings = settingsOf(doc);
    ModelNode node;
    node.name = c->name;
    node.matrix = aimMatrix(p) * (c->parent ? worldMatrix(doc, *doc.find(c->parent), frame) : M44f());
    const double height = p.number("film_width") * settings.number("height") / settings.number("width");
    node.fieldOfView = float(2 * std::atan(height / (2 * p.number("focal_length"))) * 180 / 3.14159265358979);
    out.nodes.push_back(std::move(node));
  }
  for (int i = 0; i < int(out.nodes.size()); ++i) out.roots.push_back(i);
  if (images) out.notes.emplace_back("images are left out");
  return out;
}

void exportModel(const Model& model, const std::string& path) {
  if (std::filesystem::path(path).extension() != ".glb") throw usageError(path + ": a model is written as .glb");
  writeFileAtomically(path, toGlb(model));
}

} // namespace ilumbra
