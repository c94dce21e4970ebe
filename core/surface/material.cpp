#include "core/surface/material.h"

#include "core/base/attenuation.h"
#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/base/spectrum.h"
#include "core/surface/material_kinds.h"
#include "core/surface/tables.h"

namespace ilumbra {

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

Interior Material::interiorAt(const PatternPoint& at) const {
  Interior in = interior;
  const Color c = subsurfaceColor.color(at);
  const float depth = subsurfaceDepth.real(at), g = subsurfaceAnisotropy.real(at);
  in.anisotropy = std::isfinite(g) ? std::clamp(g, -0.95f, 0.95f) : 0;
  for (int i = 0; i < 3; ++i) {
    in.albedo[i] = scatteringAlbedo(std::isfinite(c[i]) ? c[i] : 0, in.anisotropy);
    in.extinction[i] =
        1 / std::clamp((std::isfinite(depth) ? depth : 0) * float(subsurfaceSpread[size_t(i)]), 1e-7f, 1e6f);
  }
  return in;
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
  if (const auto use = p.pattern(name)) {
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

// The parameters that a pattern may drive, but for the normal and the own light, which are read in ways of their own.
struct DrivenParam {
  const char* name;
  Driven Material::*to;
  bool color = false;
};
constexpr DrivenParam drivenParams[] = {{"base_color", &Material::baseColor, true},
                                        {"metalness", &Material::metalness},
                                        {"roughness", &Material::roughness},
                                        {"light_wrap", &Material::lightWrap},
                                        {"anisotropy", &Material::anisotropy},
                                        {"grain_turn", &Material::grainTurn},
                                        {"specular", &Material::specular},
                                        {"specular_tint", &Material::specularTint, true},
                                        {"transmission", &Material::transmission},
                                        {"clear_roughness", &Material::clearRoughness},
                                        {"translucency", &Material::translucency},
                                        {"translucency_color", &Material::translucencyColor, true},
                                        {"subsurface", &Material::subsurface},
                                        {"coat", &Material::coat},
                                        {"coat_roughness", &Material::coatRoughness},
                                        {"coat_color", &Material::coatColor, true},
                                        {"sheen", &Material::sheen},
                                        {"sheen_color", &Material::sheenColor, true},
                                        {"sheen_roughness", &Material::sheenRoughness},
                                        {"film", &Material::film},
                                        {"film_thickness", &Material::filmThickness},
                                        {"opacity", &Material::opacity},
                                        {"occlusion", &Material::occlusion},
                                        {"bump", &Material::bump}};

Material compileSurface(const Document& doc, const Node& n, const Params& p, const Assets& assets,
                        SurfaceTables& tables) {
  Material m;
  for (const DrivenParam& d : drivenParams) m.*d.to = drive(doc, p, d.name, assets, d.color);
  m.normal = drive(doc, p, "normal", assets, true, true);
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
    const Driven tint = drive(doc, p, "attenuation_color", assets, true);
    m.tint = tint.program;
    m.tintDepth = depth;
    Color darkest = tint.constant;
    if (m.tint) {
      const Bounds4 all = m.tint->bounds(PatternBox::anywhere());
      darkest = {all.x.low, all.y.low, all.z.low};
    }
    m.interior.absorption = absorptionOfTint(darkest, depth);
  }
  if (!m.thin && m.subsurface.any()) {
    m.subsurfaceColor = drive(doc, p, "subsurface_color", assets, true);
    m.subsurfaceDepth = drive(doc, p, "subsurface_depth", assets, false);
    m.subsurfaceAnisotropy = drive(doc, p, "subsurface_anisotropy", assets, false);
    m.subsurfaceSpread = p.triple("subsurface_spread");
    m.interiorVaries = m.subsurfaceColor.program || m.subsurfaceDepth.program || m.subsurfaceAnisotropy.program;
    m.interior = m.interiorAt({});
  }
  m.emissionColor.constant = Color(1.0f);
  if (p.pattern("own_light_color")) m.emissionColor = drive(doc, p, "own_light_color", assets, true);
  m.emitsBack = p.text("own_light_sides") == "to both sides";
  m.patterned = m.normal.program || m.emissionColor.program || m.interiorVaries;
  for (const DrivenParam& d : drivenParams) m.patterned |= (m.*d.to).program != nullptr;
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
  if (n->kind->id == layeredMaterial) {
    Material m = defaultMaterial(&tables);
    m.name = n->name;
    m.node = n->id;
    m.mask = drive(doc, p, "mask", assets, false);
    m.below = indexOf(p.reference("below"));
    m.above = indexOf(aboveOf(doc, p));
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
  // Asked last: most things give none, and all nodes are looked through for what switches one.
  if (!evenIfOff && (!p.flag("own_light_on") || (p.real("own_light") > 0 && !switchedOn(doc, n->id, frame))))
    return Color(0.0f);
  return (p.pattern("own_light_color") ? Color(1.0f) : working(p.triple("own_light_color"))) * p.real("own_light");
}

} // namespace ilumbra
