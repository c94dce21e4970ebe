#include "core/surface/material.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/base/spectrum.h"
#include "core/surface/tables.h"

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
               .in("Clearness")
               .help("White light after the depth below"),
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
               .in("Inside")
               .help("What comes back of light from all around"),
           number("subsurface_depth", "Mean free path", "m", 0.005)
               .soft(0.0001, 0.1)
               .range(1e-7, 1e4)
               .log()
               .matters()
               .in("Inside")
               .help("Way of light from one scattering to the next"),
           color("subsurface_spread", "Spread by colour", {1, 1, 1})
               .range(0, 1)
               .in("Inside")
               .help("Factor of the mean free path: skin lets red go furthest"),
           number("subsurface_anisotropy", "Forward scattering", "", 0)
               .soft(-0.9, 0.9)
               .range(-0.95, 0.95)
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
      .existence = Invalidation::Shading};
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

static constexpr std::string_view layerId = "material.layer";

Kind layerMaterialKind() {
  return {
      .id = std::string(layerId),
      .label = "Layer",
      .helpText = "One shared material over another, by a mask; everything of them, opacity too.",
      .params = {reference("below", "Below", {"material."}).matters().help("Where the mask is 0"),
                 reference("above", "Above", {"material."}).matters().help("Where the mask is 1"),
                 number("mask", "Mask", "", 0.5).range(0, 1).patterned().matters().help("Share of the upper material")},
      .existence = Invalidation::Shading};
}

void forEachLayer(const Document& doc, const Reference& use, double frame,
                  const std::function<void(const Reference&, bool)>& visit) {
  std::vector<Reference> visited;
  const auto walk = [&](auto& self, const Reference& r, int depth) -> void {
    const Node* n = doc.find(r.target);
    if (!n || depth > 64 || std::find(visited.begin(), visited.end(), r) != visited.end()) return;
    visited.push_back(r);
    const bool layered = n->kind->id == layerId;
    visit(r, layered);
    if (!layered) return;
    const Params p(*n, frame, r.with.get());
    self(self, p.reference("below"), depth + 1);
    self(self, p.reference("above"), depth + 1);
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

float slabReflectance(float albedo, float g) {
  const float s = std::sqrt(std::max(0.0f, (1 - albedo) / std::max(1e-6f, 1 - g * albedo)));
  return (1 - s) * (1 - 0.139f * s) / (1 + 1.17f * s);
}

float scatteringAlbedo(float reflectance, float g) {
  // 0.139 s² − (1.139 + 1.17 R) s + (1 − R) = 0, the root below 1.
  const float r = clamp01(reflectance), b = 1.139f + 1.17f * r,
              s = (b - std::sqrt(b * b - 4 * 0.139f * (1 - r))) / (2 * 0.139f);
  return clamp01((1 - s * s) / (1 - g * s * s));
}

float VeilCurve::at(float cosine) const {
  float angle = std::acos(clamp01(cosine)) * 180 / pi;
  if (flip) angle = 90 - angle;
  if (angle <= keys.front().first) return keys.front().second;
  for (size_t i = 1; i < keys.size(); ++i)
    if (angle < keys[i].first) {
      const float t = (angle - keys[i - 1].first) / (keys[i].first - keys[i - 1].first);
      return mix(keys[i - 1].second, keys[i].second, t);
    }
  return keys.back().second;
}

float Material::indexAt(float wavelength) const {
  return wavelength > 0 ? std::max(1.0001f, cauchyIndex(ior, abbe, wavelength)) : ior;
}

void Material::describe(const PatternPoint& at, bool inside, float clearEta, Bsdf& s) const {
  const auto unit = [&](const Driven& d) { return clamp01(d.real(at)); };
  const auto unitColor = [&](const Driven& d) { return vmax(Color(0.0f), vmin(Color(1.0f), d.color(at))); };
  s.inside = inside;
  s.thin = thin;
  s.base = unitColor(baseColor);
  s.metalness = unit(metalness);
  s.roughness = unit(roughness);
  s.specular = unit(specular);
  s.occlusion = unit(occlusion);
  s.eta = ior;
  s.clearEta = clearEta;
  s.boundaryAlbedo = boundaryAlbedo.get();
  if (specularTint.program || specularTint.constant != Color(1.0f)) s.specularTint = unitColor(specularTint);
  if (anisotropy.any()) s.anisotropy = unit(anisotropy);
  if (transmission.any()) {
    s.transmission = unit(transmission);
    if (ownClearRoughness) {
      s.ownTransmissionRoughness = true;
      s.transmissionRoughness = unit(clearRoughness);
    }
  }
  if (thin && translucency.any()) {
    s.translucency = unit(translucency);
    s.translucencyColor = unitColor(translucencyColor);
  }
  if (!thin && subsurface.any()) s.subsurface = unit(subsurface);
  if (!inside && lightWrap.any()) s.wrap = unit(lightWrap);
  if (coat.any()) {
    s.coat = unit(coat);
    s.coatRoughness = unit(coatRoughness);
    s.coatColor = unitColor(coatColor);
    s.coatEta = coatIor;
    s.coatAlbedo = coatAlbedo.get();
  }
  if (sheen.any()) {
    s.sheen = unit(sheen);
    s.sheenColor = unitColor(sheenColor);
    s.sheenRoughness = unit(sheenRoughness);
  }
  if (filmTable) {
    s.film = {filmTable.get(), std::max(0.0f, filmThickness.real(at)), unit(film)};
    s.metalFilm = metalFilm.get();
  }
}

namespace {

Driven drive(const Document& doc, const Params& p, const char* name, const Assets& assets, bool asColor,
             bool raw = false) {
  Driven d;
  if (const PatternUse* use = p.pattern(name)) {
    auto program =
        std::make_shared<const Program>(Program::compile(doc, use->pattern, p.frame(), assets, asColor && !raw));
    if (const Sample4* c = program->constant())
      d.constant = asColor ? Color(c->x, c->y, c->z) : Color((c->x + c->y + c->z) / 3);
    else
      d.program = std::move(program);
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

void compileVeil(const Document& doc, const Node& n, const Params& p, VeilCurve& veil) {
  veil.flip = p.flag("veil_flip");
  veil.additive = p.real("veil_additive");
  veil.frontOnly = p.flag("veil_front");
  if (const auto it = n.children.find("veil"); it != n.children.end())
    for (const NodeId id : it->second) {
      const Params k(*doc.find(id), p.frame());
      veil.keys.emplace_back(k.real("angle"), k.real("opacity"));
    }
  std::stable_sort(veil.keys.begin(), veil.keys.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
}

Material compileSurface(const Document& doc, const Node& n, const Params& p, const Assets& assets,
                        SurfaceTables& tables) {
  Material m;
  const auto real = [&](const char* name) { return drive(doc, p, name, assets, false); };
  const auto tint = [&](const char* name) { return drive(doc, p, name, assets, true); };
  m.baseColor = tint("base_color");
  m.metalness = real("metalness");
  m.roughness = real("roughness");
  m.lightWrap = real("light_wrap");
  m.anisotropy = real("anisotropy");
  m.grainTurn = real("grain_turn");
  m.specular = real("specular");
  m.specularTint = tint("specular_tint");
  m.transmission = real("transmission");
  m.clearRoughness = real("clear_roughness");
  m.translucency = real("translucency");
  m.translucencyColor = tint("translucency_color");
  m.subsurface = real("subsurface");
  m.coat = real("coat");
  m.coatRoughness = real("coat_roughness");
  m.coatColor = tint("coat_color");
  m.sheen = real("sheen");
  m.sheenColor = tint("sheen_color");
  m.sheenRoughness = real("sheen_roughness");
  m.film = real("film");
  m.filmThickness = real("film_thickness");
  m.opacity = real("opacity");
  m.occlusion = real("occlusion");
  m.normal = drive(doc, p, "normal", assets, true, true);
  m.bump = real("bump");
  m.normalStrength = p.real("normal_strength");
  m.bumpDepth = m.bump.program ? p.real("bump_depth") : 0;
  m.ior = std::max(1.0001f, p.real("ior"));
  m.coatIor = std::max(1.0001f, p.real("coat_ior"));
  m.abbe = p.real("abbe");
  m.priority = int(p.number("priority"));
  m.thin = p.flag("thin");
  m.ownClearRoughness = p.flag("own_clear_roughness");
  compileVeil(doc, n, p, m.veil);
  const float depth = p.real("attenuation_depth");
  if (depth > 0) {
    const Color c = working(p.triple("attenuation_color"));
    for (int i = 0; i < 3; ++i) m.interior.absorption[i] = -std::log(std::max(1e-6f, c[i])) / depth;
  }
  if (!m.thin && m.subsurface.any()) {
    const Color c = working(p.triple("subsurface_color"));
    const Triple spread = p.triple("subsurface_spread");
    m.interior.anisotropy = p.real("subsurface_anisotropy");
    for (int i = 0; i < 3; ++i) {
      m.interior.albedo[i] = scatteringAlbedo(c[i], m.interior.anisotropy);
      m.interior.extinction[i] = 1 / std::max(1e-7f, p.real("subsurface_depth") * float(spread[size_t(i)]));
    }
  }
  m.emissionColor.constant = Color(1.0f);
  if (p.pattern("own_light_color")) m.emissionColor = tint("own_light_color");
  m.emitsBack = p.text("own_light_sides") == "to both sides";
  for (const Driven* d : {&m.baseColor,
                          &m.metalness,
                          &m.roughness,
                          &m.anisotropy,
                          &m.grainTurn,
                          &m.specular,
                          &m.specularTint,
                          &m.transmission,
                          &m.clearRoughness,
                          &m.translucency,
                          &m.translucencyColor,
                          &m.subsurface,
                          &m.coat,
                          &m.coatRoughness,
                          &m.coatColor,
                          &m.sheen,
                          &m.sheenColor,
                          &m.sheenRoughness,
                          &m.film,
                          &m.filmThickness,
                          &m.opacity,
                          &m.occlusion,
                          &m.normal,
                          &m.bump,
                          &m.emissionColor})
    m.patterned |= d->program != nullptr;
  m.boundaryAlbedo = tables.albedo(m.ior);
  if (m.coat.any()) m.coatAlbedo = tables.albedo(m.coatIor);
  if (m.film.any()) {
    const float most = m.filmThickness.program ? 1600 : std::max(50.0f, m.filmThickness.constant.x),
                index = std::max(1.0001f, p.real("film_ior"));
    const float base = m.thin && m.transmission.any() ? 1.0f : m.ior;
    m.filmTable = tables.film(index, base, most);
    if (m.metalness.any()) m.metalFilm = tables.metalFilm(index, most);
  }
  return m;
}

} // namespace

Material compileMaterial(const Document& doc, const Reference& use, double frame, const Assets& assets,
                         const std::function<int(const Reference&)>& indexOf, SurfaceTables* kept) {
  SurfaceTables own;
  SurfaceTables& tables = kept ? *kept : own;
  const Node* n = doc.find(use.target);
  if (!n) return defaultMaterial(&tables);
  if (n->kind->id == "object.card") return compileCard(doc, *n, frame, assets, &tables);
  const Params p(*n, frame, use.with.get());
  if (n->kind->id == layerId) {
    Material m = defaultMaterial(&tables);
    m.name = n->name;
    m.node = n->id;
    m.mask = drive(doc, p, "mask", assets, false);
    m.below = indexOf(p.reference("below"));
    m.above = indexOf(p.reference("above"));
    return m;
  }
  Material m = compileSurface(doc, *n, p, assets, tables);
  m.name = n->name;
  m.node = n->id;
  m.emission = ownLight(doc, use, frame, true);
  m.emits = !isBlack(m.emission);
  return m;
}

Material defaultMaterial(SurfaceTables* tables) {
  Material m;
  m.name = "Matte grey";
  m.baseColor.constant = m.roughness.constant = Color(0.5f);
  for (Driven* d : {&m.specular, &m.specularTint, &m.opacity, &m.occlusion}) d->constant = Color(1.0f);
  m.normal.constant = Color(0.5f, 0.5f, 1);
  m.boundaryAlbedo = tables ? tables->albedo(m.ior) : std::make_shared<const CoatAlbedo>(m.ior);
  return m;
}

Color ownLight(const Document& doc, const Reference& use, double frame, bool evenIfOff) {
  const Node* n = doc.find(use.target);
  if (!n || !n->kind->param("own_light")) return Color(0.0f);
  const Params p(*n, frame, use.with.get());
  if (!evenIfOff && !p.flag("own_light_on")) return Color(0.0f);
  return (p.pattern("own_light_color") ? Color(1.0f) : working(p.triple("own_light_color"))) * p.real("own_light");
}

} // namespace ilumbra
