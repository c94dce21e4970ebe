#include "core/surface/material_kinds.h"

#include "core/surface/material.h"

namespace ilumbra {

Kind surfaceMaterialKind() {
  return {
      .id = "material.surface",
      .label = "Surface",
      .helpText = "One layered material: matte, lacquered, metal, clear, waxy or veiled, and own light.",
      .params =
          {color("base_color", "Colour", {0.5, 0.5, 0.5})
               .range(0, 1)
               .patterned()
               .matters()
               .help("Reflectance of the body; of metal, at normal incidence"),
           number("metalness", "Metalness", "", 0).range(0, 1).patterned().help("0: a dielectric, 1: bare metal"),
           number("roughness", "Roughness", "", 0.5)
               .range(0, 1)
               .patterned()
               .matters()
               .help("0: polished, 1: fully rough"),
           number("ior", "Index of refraction", "", 1.5)
               .soft(1, 2.5)
               .range(1, 10)
               .matters()
               .even("a varying one would bring light out with another energy than it went in with")
               .help("Of the body against air"),
           number("specular", "Specular", "", 1)
               .range(0, 1)
               .patterned()
               .in("Boundary")
               .help("Factor of what the boundary reflects"),
           color("specular_tint", "Specular tint", {1, 1, 1})
               .range(0, 1)
               .patterned()
               .in("Boundary")
               .help("Colour of what the boundary reflects; matte bodies only"),
           number("anisotropy", "Anisotropy", "", 0)
               .range(0, 1)
               .patterned()
               .in("Boundary")
               .help("1: brushed, smooth along the grain and rough across it"),
           number("grain_turn", "Turn of the grain", "°", 0)
               .soft(-180, 180)
               .patterned()
               .in("Boundary")
               .help("From the direction in which the texture's u grows"),
           number("transmission", "Transmission", "", 0)
               .range(0, 1)
               .patterned()
               .in("Clearness")
               .help("Share of the body that is clear"),
           flag("own_clear_roughness", "Roughness of its own", false)
               .in("Clearness")
               .help("On: light passes by the roughness below, and is reflected by the one above"),
           number("clear_roughness", "Clear roughness", "", 0)
               .range(0, 1)
               .patterned()
               .in("Clearness")
               .help("Of what passes: a frosted inside under a polished face"),
           flag("thin", "Thin sheet", false)
               .in("Clearness")
               .help("A pane or leaf without inside: light goes straight on"),
           color("attenuation_color", "Tint at depth", {1, 1, 1})
               .range(0, 1)
               .patterned()
               .in("Clearness")
               .help("White light after the depth below; a pattern tints the body from place to place inside"),
           number("attenuation_depth", "Depth of the tint", "m", 0)
               .soft(0.001, 1)
               .range(0, 1e6)
               .in("Clearness")
               .help("0: no absorption"),
           number("abbe", "Abbe number", "", 0)
               .soft(15, 90)
               .range(0, 1000)
               .in("Clearness")
               .help("Dispersion: 60 is crown glass, 30 dense flint; 0: none"),
           integer("priority", "Priority", 0)
               .soft(-5, 5)
               .range(-1000, 1000)
               .in("Clearness")
               .help("Where clear bodies overlap, the higher one is there: glass over the liquid in it"),
           number("opacity", "Opacity", "", 1).range(0, 1).patterned().in("Clearness").help("0: not there at all"),
           number("subsurface", "Subsurface", "", 0)
               .range(0, 1)
               .patterned()
               .in("Inside")
               .help("Share of the body that light enters and wanders about in"),
           color("subsurface_color", "Colour inside", {0.8, 0.8, 0.8})
               .range(0, 1)
               .matters()
               .patterned()
               .in("Inside")
               .help("What comes back of light from all around, by the place where it enters"),
           number("subsurface_depth", "Mean free path", "m", 0.005)
               .soft(0.0001, 0.1)
               .range(1e-7, 1e4)
               .log()
               .matters()
               .patterned()
               .in("Inside")
               .help("Way of light from one scattering to the next"),
           color("subsurface_spread", "Spread by colour", {1, 1, 1})
               .range(0, 1)
               .in("Inside")
               .help("Factor of the mean free path: skin lets red go furthest"),
           number("subsurface_anisotropy", "Forward scattering", "", 0)
               .soft(-0.9, 0.9)
               .range(-0.95, 0.95)
               .patterned()
               .in("Inside")
               .help("More than 0: light goes on rather than back"),
           number("light_wrap", "Light wrap", "", 0)
               .range(0, 1)
               .patterned()
               .in("Inside")
               .help("Beyond physics: lamps and skies shine this far around its matte body, as through soft matter; no "
                     "light is added, it is spread"),
           number("translucency", "Translucency", "", 0)
               .range(0, 1)
               .patterned()
               .in("Thin sheet")
               .help("Of a thin sheet: share that its matte body passes on"),
           color("translucency_color", "Colour of what passes", {1, 1, 1})
               .range(0, 1)
               .patterned()
               .in("Thin sheet")
               .help("Of the light that comes through the sheet"),
           number("coat", "Coat", "", 0).range(0, 1).patterned().in("Coat").help("A clear layer over everything else"),
           number("coat_roughness", "Coat roughness", "", 0.03).range(0, 1).patterned().in("Coat").help("0: polished"),
           number("coat_ior", "Coat index", "", 1.5)
               .soft(1, 2.5)
               .range(1, 10)
               .in("Coat")
               .help("Index of refraction of the coat"),
           color("coat_color", "Coat colour", {1, 1, 1})
               .range(0, 1)
               .patterned()
               .in("Coat")
               .help("Of white light that goes through it once"),
           number("sheen", "Sheen", "", 0)
               .range(0, 1)
               .patterned()
               .in("Sheen")
               .help("Fibres or dust that catch light at the rim"),
           color("sheen_color", "Sheen colour", {1, 1, 1}).range(0, 1).patterned().in("Sheen").help("Of the fibres"),
           number("sheen_roughness", "Sheen roughness", "", 0.4)
               .range(0, 1)
               .patterned()
               .in("Sheen")
               .help("0: at the very rim, 1: all over"),
           number("film", "Thin film", "", 0)
               .range(0, 1)
               .patterned()
               .in("Thin film")
               .help("Share of the boundary under a film that shows colours of interference"),
           number("film_thickness", "Film thickness", "nm", 400)
               .soft(50, 1200)
               .range(0, 4000)
               .patterned()
               .in("Thin film")
               .help("Of the film"),
           number("film_ior", "Film index", "", 1.33)
               .soft(1, 2.5)
               .range(1, 5)
               .in("Thin film")
               .help("Index of refraction of the film"),
           number("veil_additive", "Veil adds", "%", 0)
               .soft(0, 1)
               .range(0, 1)
               .in("Veil")
               .help("Share of the veil that adds light instead of covering what is behind"),
           flag("veil_flip", "Veil from the rim", false).in("Veil").help("Turns the curve about: its 0° is the rim"),
           flag("veil_front", "Front surface only", false)
               .in("Veil")
               .help("Only its first surface is seen, not its inside or its back"),
           number("own_light", "Own light", "cd/m²", 0)
               .patternedBy("own_light_color")
               .soft(1, 1000000)
               .range(0, 1e12)
               .log()
               .matters()
               .at(Invalidation::Mix)
               .in("Own light")
               .help("Luminance at white that the surface sends out by itself"),
           color("own_light_color", "Colour of own light", {1, 1, 1})
               .soft(0, 1)
               .patterned()
               .matters()
               .at(Invalidation::Mix)
               .in("Own light")
               .help("Multiplies the own light"),
           flag("own_light_on", "Shines", true)
               .at(Invalidation::Mix)
               .in("Own light")
               .help("Off: its own light is dark, and kept"),
           choice("own_light_sides", "Own light shines", {"to both sides", "to the front"})
               .in("Own light")
               .help("Of sheets and open bodies: which sides shine"),
           color("normal", "Normal", {0.5, 0.5, 1})
               .range(0, 1)
               .patterned()
               .in("Detail")
               .help("Tangent-space normal, as glTF encodes it"),
           number("normal_strength", "Strength of the normal", "×", 1)
               .soft(0, 2)
               .range(0, 100)
               .in("Detail")
               .help("0: the plain surface"),
           number("bump", "Bump", "", 0)
               .soft(0, 1)
               .patterned()
               .in("Detail")
               .help("Height by a pattern, in depths as below"),
           number("bump_depth", "Bump depth", "m", 0.001)
               .soft(-0.01, 0.01)
               .range(-1, 1)
               .in("Detail")
               .help("Height of a bump of 1"),
           number("occlusion", "Occlusion", "", 1)
               .range(0, 1)
               .patterned()
               .in("Detail")
               .help("Share of bounced and sky light that reaches small crevices")},
      .slots = {{"veil", "Veil", {"veil.key"}, Invalidation::Shading}},
      .existence = Invalidation::Shading,
      .shared = true};
}

Kind veilKeyKind() {
  return {
      .id = "veil.key",
      .label = "Key of a veil",
      .helpText = "Opacity at a viewing angle. A material with at least one is a veil.",
      .params = {number("angle", "Angle", "°", 0).range(0, 90).matters().help("0: seen straight on, 90: seen edge-on"),
                 number("opacity", "Opacity", "", 1)
                     .range(0, 1)
                     .matters()
                     .help("How much of the surface is there at this angle")},
      .existence = Invalidation::Shading};
}

Kind layerMaterialKind() {
  return {
      .id = std::string(layeredMaterial),
      .label = "Layer",
      .helpText = "One shared material over another, by a mask; everything of them, opacity too.",
      .params = {reference("below", "Below", {"material."}).matters().help("Where the mask is 0"),
                 reference("above", "Above", {"material."}).matters().help("Where the mask is 1"),
                 number("mask", "Mask", "", 0.5).range(0, 1).patterned().matters().help("Share of the upper material"),
                 flag("keeps_openings", "Keeps openings", false)
                     .help("What is see-through below by its opacity stays so where the upper material is, unless that "
                           "has an opacity of its own")},
      .existence = Invalidation::Shading,
      .shared = true};
}

Reference aboveOf(const Document& doc, const Params& layer) {
  Reference above = layer.reference("above");
  const Node* upper = doc.find(above.target);
  if (!layer.flag("keeps_openings") || !upper || !upper->kind->param("opacity")) return above;
  const Params own(*upper, layer.frame(), above.with.get());
  if (own.pattern("opacity") || own.number("opacity") < 1) return above;
  Reference r = layer.reference("below");
  for (int depth = 0; depth < 64; ++depth) {
    const Node* n = doc.find(r.target);
    if (!n) return above;
    const Params p(*n, layer.frame(), r.with.get());
    if (n->kind->id == layeredMaterial) {
      r = p.reference("below");
      continue;
    }
    if (!n->kind->param("opacity")) return above;
    const auto pattern = p.pattern("opacity");
    if (!pattern && !(p.number("opacity") < 1)) return above;
    Overrides with = above.with ? *above.with : Overrides();
    with["opacity"] = pattern ? Value(*pattern) : Value(Constant(p.number("opacity")));
    above.with = std::make_shared<const Overrides>(std::move(with));
    return above;
  }
  return above;
}

void forEachLayer(const Document& doc, const Reference& use, double frame,
                  const std::function<void(const Reference&, bool)>& visit) {
  std::vector<Reference> visited;
  const auto walk = [&](auto& self, const Reference& r, int depth) -> void {
    const Node* n = doc.find(r.target);
    if (!n || depth > 64 || std::find(visited.begin(), visited.end(), r) != visited.end()) return;
    visited.push_back(r);
    const bool layered = n->kind->id == layeredMaterial;
    visit(r, layered);
    if (!layered) return;
    const Params p(*n, frame, r.with.get());
    self(self, p.reference("below"), depth + 1);
    self(self, aboveOf(doc, p), depth + 1);
  };
  walk(walk, use, 0);
}

std::set<NodeId> layersOf(const Document& doc, NodeId material, double frame) {
  std::set<NodeId> out;
  forEachLayer(doc, {material, nullptr}, frame, [&](const Reference& r, bool) { out.insert(r.target); });
  return out;
}

const Node* wholeMaterial(const Document& file) {
  const std::vector<const Node*> all = file.family("material");
  std::set<NodeId> inside;
  for (const Node* n : all)
    if (!inside.count(n->id)) {
      std::set<NodeId> layers = layersOf(file, n->id, currentFrame(file));
      layers.erase(n->id);
      inside.merge(layers);
    }
  for (const Node* n : all)
    if (!inside.count(n->id)) return n;
  return all.empty() ? nullptr : all.front();
}

std::vector<Kind> allMaterials() { return {surfaceMaterialKind(), veilKeyKind(), layerMaterialKind()}; }

} // namespace ilumbra
