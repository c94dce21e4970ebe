#include "core/surface/bsdf.h"

#include <limits>

namespace ilumbra {
namespace {

constexpr float infinite = std::numeric_limits<float>::infinity();
// Of less than this a matte body has no boundary: it would mirror at grazing angles alone, less than 0.1 % of all
// light.
constexpr float leastIndex = 1.0005f;
float average(const Color& c) { return (c.x + c.y + c.z) * (1 / 3.0f); }
Color power(const Color& c, float e) {
  return {std::pow(std::max(c.x, 0.0f), e), std::pow(std::max(c.y, 0.0f), e), std::pow(std::max(c.z, 0.0f), e)};
}

Microsurface grain(float roughness, float anisotropy) {
  const float alpha = std::max(1e-4f, roughness * roughness);
  if (anisotropy <= 0) return Microsurface(alpha);
  // Smooth along the grain, rough across it.
  const float aspect = std::sqrt(1 - 0.9f * anisotropy);
  return {std::max(1e-4f, alpha * aspect), std::min(1.0f, alpha / aspect)};
}

} // namespace

Boundary Bsdf::clearBoundary() const {
  return {.eta = clearEta, .specular = specular, .onlyTotal = polished(), .outsideAbove = !inside, .film = film};
}

Color Bsdf::boundaryReflectance(float cosine, float index) const {
  const float f = fresnelDielectric(cosine, index);
  if (!film.film) return specularTint * (f * specular);
  return specularTint * film.over(Color(f), cosine) * specular;
}

void Bsdf::view(const V3f& wo) {
  m_wo = wo;
  m_bare = !film.film && eta < leastIndex;
  m_mirror = false;
  if (!m_bare || metalness > 0 || transmission > 0) {
    m_grain = grain(roughness, anisotropy);
    m_mirror = m_grain.alpha() < mirrorAlpha;
    m_lambdaOut = m_grain.lambda(wo);
  }
  std::fill(std::begin(m_share), std::end(m_share), 0.0f);
  m_below = Color(1.0f);
  m_belowFibres = 1;
  if (!inside && sheen > 0) {
    m_share[Fibres] = sheen * maxComponent(sheenColor) * Sheen::table().albedo(wo.z, sheenRoughness);
    m_belowFibres = 1 - m_share[Fibres];
    m_below = Color(m_belowFibres);
  }
  if (!inside && coat > 0) {
    m_coatGrain = grain(coatRoughness, 0);
    m_coatMirror = m_coatGrain.alpha() < mirrorAlpha;
    m_coatLambdaOut = m_coatGrain.lambda(wo);
    const float albedo = coat * coatAlbedo->at(wo.z, coatRoughness);
    m_share[Coat] = m_belowFibres * albedo;
    const float inner = std::sqrt(1 - (1 - wo.z * wo.z) / (coatEta * coatEta));
    m_below *= mix(Color(1.0f), power(coatColor, 1 / inner), coat) * (1 - albedo);
  }
  const float most = maxComponent(m_below), dielectric = 1 - metalness, clear = dielectric * transmission,
              opaque = dielectric - clear;
  m_share[Metal] = most * metalness * (0.2f + 0.8f * maxComponent(base));
  if (opaque > 0) {
    // Under a film the rough boundary is brighter by as much as a smooth one is.
    Color back(0.0f);
    if (!m_bare) back = specularTint * (boundaryAlbedo->at(wo.z, roughness) * specular);
    if (film.film) {
      const Color bare(fresnelDielectric(wo.z, eta));
      back += specularTint * (film.over(bare, wo.z) - bare) * specular;
    }
    back = vmax(Color(0.0f), vmin(Color(1.0f), back));
    const Color passed = m_below * (Color(1.0f) - back) * opaque;
    m_matteScale = passed;
    m_share[Specular] = most * opaque * maxComponent(back);
    const float rest = maxComponent(passed);
    if (thin) {
      m_share[Sheet] = rest * translucency * maxComponent(translucencyColor);
      m_share[Matte] = rest * (1 - translucency) * maxComponent(base);
    } else {
      m_share[Enter] = rest * subsurface;
      m_share[Matte] = rest * (1 - subsurface) * maxComponent(base);
    }
  }
  if (clear > 0) {
    m_clear = ownTransmissionRoughness ? grain(transmissionRoughness, anisotropy) : m_grain;
    m_clearMirror = m_clear.alpha() < mirrorAlpha;
    m_share[Glass] = most * clear;
    if (polished()) {
      const float mirrored =
          m_mirror ? boundaryReflectance(wo.z, clearEta).x : boundaryAlbedo->at(wo.z, roughness) * specular;
      m_share[GlassMirror] = m_share[Glass] * mirrored;
      m_share[Glass] *= 1 - mirrored;
    }
  }
  float total = 0;
  for (const float s : m_share) total += s;
  if (total > 0)
    for (float& s : m_share) s /= total;
  m_anyRough = m_share[Fibres] > 0 || m_share[Matte] > 0 || m_share[Sheet] > 0 ||
               (m_share[Coat] > 0 && !m_coatMirror) ||
               (!m_mirror && (m_share[Metal] > 0 || m_share[Specular] > 0 || m_share[GlassMirror] > 0)) ||
               (m_share[Glass] > 0 && !m_clearMirror && !thin);
  m_anySpecular = (m_share[Coat] > 0 && m_coatMirror) ||
                  (m_mirror && (m_share[Metal] > 0 || m_share[Specular] > 0 || m_share[GlassMirror] > 0)) ||
                  (m_share[Glass] > 0 && (m_clearMirror || thin));
}

Color Bsdf::albedo() const {
  const float clear = (1 - metalness) * transmission, matte = (1 - metalness) - clear;
  return base * (metalness + matte) + Color(clear);
}

float Bsdf::leaving(const V3f& wi) const {
  return wi.z <= 0 ? 0
                   : (1 - specular * boundaryAlbedo->at(wi.z, roughness)) * wi.z /
                         (pi * (1 - specular * boundaryAlbedo->mean(roughness)));
}

// The dielectric's boundary, one bounce: f cos, below the layers above it.
Color Bsdf::evaluateSpecular(const V3f& wi, float index) const {
  const V3f h = normalize(m_wo + wi);
  const float g = 1 / (1 + m_lambdaOut + m_grain.lambda(wi));
  return boundaryReflectance(dot(m_wo, h), index) * (m_grain.distribution(h) * g / (4 * m_wo.z));
}

// Fibres, coat, boundary and matte body: what is sampled together.
Color Bsdf::evaluate(const V3f& wi, RandomStream& random) const {
  Color sum(0.0f);
  const V3f& wo = m_wo;
  if (wo.z <= 0) return sum;
  const float dielectric = 1 - metalness, clear = dielectric * transmission, opaque = dielectric - clear;
  if (wi.z > 0) {
    if (m_share[Fibres] > 0) sum += sheenColor * (sheen * Sheen::table().evaluate(wo, wi, sheenRoughness));
    if (m_share[Coat] > 0 && !m_coatMirror) {
      const V3f h = normalize(wo + wi);
      const float g = 1 / (1 + m_coatLambdaOut + m_coatGrain.lambda(wi));
      sum += Color(m_belowFibres * coat * fresnelDielectric(dot(wo, h), coatEta) * m_coatGrain.distribution(h) * g /
                   (4 * wo.z));
    }
    if (m_share[Specular] > 0 && !m_mirror) sum += m_below * evaluateSpecular(wi, eta) * opaque;
    if (m_share[Matte] > 0)
      sum += base * m_matteScale * (evaluateMatte(wi.z) * (1 - (thin ? translucency : subsurface)));
    if (m_share[Metal] > 0 && !m_mirror)
      sum +=
          m_below * evaluateMetal(m_grain, {base, metalFilm, film.thickness, film.weight}, wo, wi, random) * metalness;
    if (m_share[GlassMirror] > 0 && !m_mirror) sum += m_below * evaluateSpecular(wi, clearEta) * clear;
  } else if (m_share[Sheet] > 0) {
    sum += translucencyColor * m_matteScale * (evaluateMatte(-wi.z) * translucency);
  }
  if (m_share[Glass] > 0 && !m_clearMirror && !thin) {
    const float scale =
        (wi.z < 0 ? 1 / (clearEta * clearEta) : 1) * clear * (m_share[Glass] / (m_share[Glass] + m_share[GlassMirror]));
    sum += m_below * evaluateGlass(m_clear, clearBoundary(), wo, wi, random) * scale;
  }
  return sum;
}

// The light of a matte body, spread beyond its terminator: with x = (cos + w) / (1 + w) in place of the cosine, and 1 /
// (1 + w) of it.
Color Bsdf::wrapped(float cosine) const {
  if (!(m_share[Matte] > 0)) return Color(0.0f);
  const float x = (cosine + wrap) / (1 + wrap);
  const float change = (x > 0 ? evaluateMatte(x) / (1 + wrap) : 0) - (cosine > 0 ? evaluateMatte(cosine) : 0);
  return base * m_matteScale * (change * (1 - (thin ? translucency : subsurface)));
}

float Bsdf::pdf(const V3f& wi) const {
  const V3f& wo = m_wo;
  if (wo.z <= 0) return 0;
  float d = 0;
  if (wi.z > 0) {
    d += (m_share[Matte] + m_share[Fibres]) * wi.z / pi;
    const bool boundary = !m_mirror && m_share[Specular] + m_share[GlassMirror] > 0,
               lacquer = !m_coatMirror && m_share[Coat] > 0;
    if (boundary || lacquer) {
      const V3f h = normalize(wo + wi);
      const float c = dot(wo, h);
      if (c > 0 && boundary) d += (m_share[Specular] + m_share[GlassMirror]) * 0.25f * m_grain.visiblePdf(wo, h) / c;
      if (c > 0 && lacquer) d += m_share[Coat] * 0.25f * m_coatGrain.visiblePdf(wo, h) / c;
    }
    if (!m_mirror && m_share[Metal] > 0) d += m_share[Metal] * densityMetal(m_grain, wo, wi);
  } else {
    d += m_share[Sheet] * -wi.z / pi;
  }
  if (!m_clearMirror && !thin && m_share[Glass] > 0) d += m_share[Glass] * densityGlass(m_clear, clearEta, wo, wi);
  return d;
}

// What hardly reflects (or passes) at all is not followed for its own sake.
float Bsdf::followed(float reflects) const {
  return std::clamp(reflects, std::min(minLobeProbability, 8 * reflects),
                    1 - std::min(minLobeProbability, 8 * (1 - reflects)));
}

// A mirror-like boundary: met as a mirror, by its own weight alone. `g`: what is not in the microsurface's own shadow.
bool Bsdf::sampleMirror(const Microsurface& m, float lambdaOut, const V2f& u, Sample& s, float& cosine,
                        float& g) const {
  const bool smooth = m.alpha() < smoothAlpha;
  const V3f h = smooth ? V3f(0, 0, 1) : m.sampleVisible(m_wo, u);
  s.wi = reflect(m_wo, h);
  if (s.wi.z <= 0) return false;
  g = smooth ? 1 : (1 + lambdaOut) / (1 + lambdaOut + m.lambda(s.wi));
  cosine = dot(m_wo, h);
  s.pdf = infinite;
  s.specular = true;
  return true;
}

bool Bsdf::sampleMetal(RandomStream& random, float share, Sample& s) const {
  const MetalBoundary b{base, metalFilm, film.thickness, film.weight};
  if (m_grain.alpha() < smoothAlpha) {
    s.wi = reflect(m_wo, V3f(0, 0, 1));
    s.weight = b.reflectance(m_wo.z);
  } else if (!walkMetal(m_grain, b, m_wo, random, s.wi, s.weight)) {
    return false;
  }
  s.weight *= m_below * (metalness / share);
  s.specular = m_mirror;
  s.pdf = m_mirror ? infinite : pdf(s.wi);
  return true;
}

bool Bsdf::sampleSheet(const V2f& u, float share, Sample& s) const {
  s.wi = -sampleCosineHemisphere(u);
  if (s.wi.z >= 0) return false;
  s.weight = translucencyColor * m_matteScale * (translucency * evaluateMatte(-s.wi.z) * pi / (-s.wi.z * share));
  s.through = s.diffuse = true;
  s.pdf = pdf(s.wi);
  return true;
}

// Both faces and what goes back and forth between them; a film is the sheet itself.
bool Bsdf::sampleThinGlass(float choose, float share, Sample& s) const {
  const Color one =
      film.film ? film.over(Color(fresnelDielectric(m_wo.z, eta)), m_wo.z) : Color(fresnelDielectric(m_wo.z, eta));
  Color r;
  for (int i = 0; i < 3; ++i)
    r[i] = film.film ? mix(2 * one[i] / (1 + one[i]), one[i], film.weight) * specular
                     : 2 * one[i] / (1 + one[i]) * specular;
  const float chance = followed(average(r));
  s.specular = true;
  s.pdf = infinite;
  if (choose < chance * share) {
    s.wi = reflect(m_wo, V3f(0, 0, 1));
    s.weight = r * (1 / chance);
  } else {
    s.wi = -m_wo;
    s.weight = base * (Color(1.0f) - r) * (1 / (1 - chance));
    s.through = true;
  }
  const float dielectric = 1 - metalness, clear = dielectric * transmission;
  s.weight *= m_below * (clear / share);
  return true;
}

bool Bsdf::sampleGlass(float choose, RandomStream& random, float share, Sample& s) const {
  const Boundary b = clearBoundary();
  if (m_clear.alpha() < smoothAlpha) {
    const Color r = b.reflectance(m_wo.z, true);
    V3f t(0.0f);
    const bool passes = refract(m_wo, V3f(0, 0, 1), clearEta, t);
    const float chance = passes ? followed(average(r)) : 1;
    if (choose >= chance * share) {
      s.wi = normalize(t);
      s.weight = (Color(1.0f) - r) * (1 / (1 - chance));
    } else {
      s.wi = reflect(m_wo, V3f(0, 0, 1));
      s.weight = r * (1 / chance);
    }
  } else if (!walkGlass(m_clear, b, m_wo, random, s.wi, s.weight)) {
    return false;
  }
  const float dielectric = 1 - metalness, clear = dielectric * transmission;
  s.through = s.wi.z < 0;
  s.weight *= m_below * (clear * (m_share[Glass] / (m_share[Glass] + m_share[GlassMirror])) *
                         (s.through ? 1 / (clearEta * clearEta) : 1.0f) / share);
  s.specular = m_clearMirror;
  s.pdf = m_clearMirror ? infinite : pdf(s.wi);
  return true;
}

bool Bsdf::sample(const V2f& u, float choose, RandomStream& random, Sample& s) const {
  if (m_wo.z <= 0) return false;
  s = {};
  int lobe = 0;
  for (; lobe < lobes; ++lobe) {
    if (choose < m_share[lobe]) break;
    choose -= m_share[lobe];
  }
  if (lobe == lobes) {
    // By rounding only: the last lobe that there is.
    for (lobe = lobes - 1; lobe > 0 && m_share[lobe] <= 0; --lobe) {
    }
  }
  const float share = m_share[lobe];
  if (!(share > 0)) return false;
  float cosine, g;
  switch (lobe) {
  case Fibres:
  case Matte:
    s.wi = sampleCosineHemisphere(u);
    s.diffuse = true;
    break;
  case Coat:
    if (m_coatMirror) {
      if (!sampleMirror(m_coatGrain, m_coatLambdaOut, u, s, cosine, g)) return false;
      s.weight = Color(m_belowFibres * coat) * Color(fresnelDielectric(cosine, coatEta)) * (g / share);
      return true;
    }
    s.wi = reflect(m_wo, m_coatGrain.sampleVisible(m_wo, u));
    break;
  case Specular:
  case GlassMirror:
    if (m_mirror) {
      if (!sampleMirror(m_grain, m_lambdaOut, u, s, cosine, g)) return false;
      const float dielectric = 1 - metalness, clear = dielectric * transmission, opaque = dielectric - clear;
      s.weight = m_below * (lobe == Specular ? opaque : clear) *
                 boundaryReflectance(cosine, lobe == Specular ? eta : clearEta) * (g / share);
      return true;
    }
    s.wi = reflect(m_wo, m_grain.sampleVisible(m_wo, u));
    break;
  case Metal:
    return sampleMetal(random, share, s);
  case Sheet:
    return sampleSheet(u, share, s);
  case Enter:
    s.wi = -sampleCosineHemisphere(u);
    s.weight = m_matteScale * (subsurface / share);
    s.through = s.enters = true;
    s.pdf = infinite;
    return s.wi.z < 0;
  case Glass:
    return thin ? sampleThinGlass(choose, share, s) : sampleGlass(choose, random, share, s);
  default:
    return false;
  }
  return weighReflection(s);
}

// Fibres, coat, boundary and matte body share one density; their whole value over it.
bool Bsdf::weighReflection(Sample& s) const {
  const V3f& wo = m_wo;
  if (s.wi.z <= 0) return false;
  float proposed = (m_share[Matte] + m_share[Fibres]) * s.wi.z / pi;
  Color value(0.0f);
  if (m_share[Fibres] > 0) value += sheenColor * (sheen * Sheen::table().evaluate(wo, s.wi, sheenRoughness));
  if (m_share[Matte] > 0)
    value += base * m_matteScale * (evaluateMatte(s.wi.z) * (1 - (thin ? translucency : subsurface)));
  const bool boundary = !m_mirror && m_share[Specular] + m_share[GlassMirror] > 0,
             lacquer = !m_coatMirror && m_share[Coat] > 0;
  if (boundary || lacquer) {
    const float dielectric = 1 - metalness, clear = dielectric * transmission, opaque = dielectric - clear;
    const V3f h = normalize(wo + s.wi);
    const float c = dot(wo, h);
    if (c > 0 && boundary) {
      proposed += (m_share[Specular] + m_share[GlassMirror]) * 0.25f * m_grain.visiblePdf(wo, h) / c;
      if (m_share[Specular] > 0) value += m_below * evaluateSpecular(s.wi, eta) * opaque;
      if (m_share[GlassMirror] > 0) value += m_below * evaluateSpecular(s.wi, clearEta) * clear;
    }
    if (c > 0 && lacquer) {
      proposed += m_share[Coat] * 0.25f * m_coatGrain.visiblePdf(wo, h) / c;
      const float g = 1 / (1 + m_coatLambdaOut + m_coatGrain.lambda(s.wi));
      value +=
          Color(m_belowFibres * coat * fresnelDielectric(c, coatEta) * m_coatGrain.distribution(h) * g / (4 * wo.z));
    }
  }
  if (!(proposed > 0)) return false;
  s.weight = value * (1 / proposed);
  s.pdf = pdf(s.wi);
  return true;
}

} // namespace ilumbra
