#include "core/surface/material.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"

#include <map>
#include <mutex>

namespace ilumbra {

Kind surfaceMaterialKind() {
  return {.id = "material.surface",
          .label = "Surface",
          .helpText = "One layered material: matte, lacquered, metal, clear or rough glass, and own light.",
          .params =
              {color("base_color", "Colour", {0.5, 0.5, 0.5}).range(0, 1).patterned().matters().help("Reflectance of the body; of metal, at normal incidence"),
               number("metalness", "Metalness", "", 0).range(0, 1).patterned().help("0: a dielectric, 1: bare metal"),
               number("roughness", "Roughness", "", 0.5).range(0, 1).patterned().matters().help("0: polished, 1: fully rough"),
               number("ior", "Index of refraction", "", 1.5).soft(1, 2.5).range(1, 10).matters().help("Of the body against air"),
               number("transmission", "Transmission", "", 0).range(0, 1).patterned().in("Clearness").help("Share of the body that is clear"),
               flag("thin", "Thin sheet", false).in("Clearness").help("A pane without inside: light goes straight on"),
               color("attenuation_color", "Tint at depth", {1, 1, 1}).range(0, 1).in("Clearness").help("White light after the depth below"),
               number("attenuation_depth", "Depth of the tint", "m", 0).soft(0.001, 1).range(0, 1e6).in("Clearness").help("0: no absorption"),
               number("opacity", "Opacity", "", 1).range(0, 1).patterned().in("Clearness").help("0: not there at all"),
               number("own_light", "Own light", "cd/m²", 0).soft(1, 1000000).range(0, 1e12).log().matters().at(Stage::Mix).in("Own light")
                   .help("Luminance at white that the surface sends out by itself"),
               color("own_light_color", "Colour of own light", {1, 1, 1}).soft(0, 1).patterned().matters().at(Stage::Mix).in("Own light").help("Multiplies the own light"),
               color("normal", "Normal", {0.5, 0.5, 1}).range(0, 1).patterned().in("Detail").help("Tangent-space normal, as glTF encodes it"),
               number("normal_strength", "Strength of the normal", "×", 1).soft(0, 2).range(0, 100).in("Detail").help("0: the plain surface"),
               number("occlusion", "Occlusion", "", 1).range(0, 1).patterned().in("Detail").help("Share of bounced and sky light that reaches small crevices")},
          .existence = Stage::Shading};
}

std::vector<Kind> allMaterials() { return {surfaceMaterialKind()}; }

namespace {

Driven drive(const Document& doc, const Params& p, const char* name, const Assets& assets, bool asColor, bool raw = false) {
  Driven d;
  if (const PatternUse* use = p.pattern(name)) {
    d.program = std::make_shared<const Program>(Program::compile(doc, use->pattern, p.frame(), assets, asColor && !raw));
    return d;
  }
  if (asColor) {
    const Triple t = p.triple(name);
    d.constant = raw ? Color(float(t[0]), float(t[1]), float(t[2])) : working(t);
  } else {
    d.constant = Color(p.real(name));
  }
  return d;
}

std::shared_ptr<const CoatAlbedo> coatFor(float ior) {
  static std::mutex mutex;
  static std::map<float, std::shared_ptr<const CoatAlbedo>> made; // a pure function of ior, remembered
  const std::lock_guard lock(mutex);
  auto& slot = made[ior];
  if (!slot) slot = std::make_shared<const CoatAlbedo>(ior);
  return slot;
}

} // namespace

Material compileMaterial(const Document& doc, const Reference& use, double frame, const Assets& assets) {
  const Node* n = doc.find(use.target);
  if (!n) return defaultMaterial();
  const Params p(*n, frame, use.with.get());
  Material m;
  m.name = n->name;
  m.node = n->id;
  m.baseColor = drive(doc, p, "base_color", assets, true);
  m.metalness = drive(doc, p, "metalness", assets, false);
  m.roughness = drive(doc, p, "roughness", assets, false);
  m.transmission = drive(doc, p, "transmission", assets, false);
  m.opacity = drive(doc, p, "opacity", assets, false);
  m.occlusion = drive(doc, p, "occlusion", assets, false);
  m.normal = drive(doc, p, "normal", assets, true, true);
  m.normalStrength = p.real("normal_strength");
  m.ior = std::max(1.0001f, p.real("ior"));
  m.thin = p.flag("thin");
  const float depth = p.real("attenuation_depth");
  if (depth > 0) {
    const Color c = working(p.triple("attenuation_color"));
    for (int i = 0; i < 3; ++i) m.absorption[i] = -std::log(std::max(1e-6f, c[i])) / depth;
  }
  m.emission = ownLight(doc, use, frame);
  m.emits = !isBlack(m.emission);
  m.emissionColor.constant = Color(1.0f);
  if (p.pattern("own_light_color")) m.emissionColor = drive(doc, p, "own_light_color", assets, true);
  m.coat = coatFor(m.ior);
  return m;
}

Material defaultMaterial() {
  Material m;
  m.name = "Matte grey";
  m.baseColor.constant = Color(0.5f);
  m.roughness.constant = Color(0.5f);
  m.opacity.constant = m.occlusion.constant = Color(1.0f);
  m.normal.constant = Color(0.5f, 0.5f, 1);
  m.coat = coatFor(m.ior);
  return m;
}

Color ownLight(const Document& doc, const Reference& use, double frame) {
  const Node* n = doc.find(use.target);
  if (!n) return Color(0.0f);
  const Params p(*n, frame, use.with.get());
  return (p.pattern("own_light_color") ? Color(1.0f) : working(p.triple("own_light_color"))) * p.real("own_light");
}

} // namespace ilumbra
