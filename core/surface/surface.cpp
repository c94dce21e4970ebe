#include "core/surface/fresnel.h"
#include "core/surface/material.h"

#include <limits>

namespace ilumbra {

// Lobes: metal and glass scatter on a microsurface as often as light does. A dielectric body is a matte base under a
// coat; what the coat does not reflect reaches the base, on the way in and on the way out (Kelemen and Szirmay-Kalos
// 2001), so that a white body keeps all light.

void Surface::view(const V3f& wo) {
  m_wo = wo;
  m_body = (1 - metalness) * (1 - transmission);
  m_weights.metal = metalness;
  m_weights.glass = (1 - metalness) * transmission;
  m_coatOut = m_diffuseScale = m_weights.coat = m_weights.diffuse = 0;
  if (m_body > 0) {
    m_coatOut = coat->at(wo.z, roughness);
    m_diffuseScale = m_body * (1 - m_coatOut) / ((1 - coat->mean(roughness)) * pi);
    m_weights.coat = m_body * m_coatOut;
    m_weights.diffuse = m_body * (1 - m_coatOut);
  }
  m_lambdaOut = Microsurface{alpha()}.lambda(wo);
}

bool Surface::onlySpecular() const {
  if (metalness >= 1) return mirrorLike();
  return transmission >= 1 && (thin || mirrorLike()) && (metalness <= 0 || mirrorLike());
}

Color Surface::albedo() const {
  const float body = (1 - metalness) * (1 - transmission);
  return base * (metalness + body) + Color((1 - metalness) * transmission);
}

Color Surface::evaluate(const V3f& wi, RandomStream& random) const {
  Color sum(0.0f);
  const V3f& wo = m_wo;
  if (wo.z <= 0) return sum;
  const float body = m_body;
  const Microsurface m{alpha()};
  const bool rough = !mirrorLike();
  if (body > 0 && wi.z > 0) {
    sum += base * (m_diffuseScale * (1 - coat->at(wi.z, roughness)) * wi.z);
    if (rough) {
      const V3f h = normalize(wo + wi);
      const float g = 1 / (1 + m_lambdaOut + m.lambda(wi));
      sum += Color(body * fresnelDielectric(dot(wo, h), eta) * m.distribution(h) * g / (4 * wo.z));
    }
  }
  if (rough && metalness > 0 && wi.z > 0) sum += evaluateMetal(m, base, wo, wi, random) * metalness;
  if (rough && transmission > 0 && metalness < 1 && !thin) {
    const float scale = wi.z < 0 ? 1 / (eta * eta) : 1;
    sum += Color((1 - metalness) * transmission * scale * evaluateGlass(m, eta, wo, wi, random));
  }
  return sum;
}

float Surface::density(const V3f& wi) const {
  const V3f& wo = m_wo;
  if (wo.z <= 0) return 0;
  const Weights& w = m_weights;
  const Microsurface m{alpha()};
  const bool rough = !mirrorLike();
  float d = 0;
  if (wi.z > 0) {
    d += w.diffuse * wi.z / pi;
    if (rough && w.coat > 0) {
      const V3f h = normalize(wo + wi);
      const float c = dot(wo, h);
      if (c > 0) d += w.coat * 0.25f * m.visibleDensity(wo, h) / c;
    }
    if (rough && w.metal > 0) d += w.metal * densityMetal(m, wo, wi);
  }
  if (rough && !thin && w.glass > 0) d += w.glass * densityGlass(m, eta, wo, wi);
  return d;
}

bool Surface::sample(const V2f& u, float choose, RandomStream& random, Sample& s) const {
  const V3f& wo = m_wo;
  if (wo.z <= 0) return false;
  const Weights& w = m_weights;
  const Microsurface m{alpha()};
  const bool rough = !mirrorLike();
  const float infinite = std::numeric_limits<float>::infinity();
  s = {};
  const float body = m_body;

  if (choose < w.diffuse) {
    s.wi = sampleCosineHemisphere(u);
    if (s.wi.z <= 0) return false;
    s.diffuse = true;
  } else if (choose < w.diffuse + w.coat) {
    if (!rough) {
      const V3f h = alpha() < smoothAlpha ? V3f(0, 0, 1) : m.sampleVisible(wo, u);
      s.wi = reflect(wo, h);
      if (s.wi.z <= 0) return false;
      const float g = alpha() < smoothAlpha ? 1 : (1 + m_lambdaOut) / (1 + m_lambdaOut + m.lambda(s.wi));
      s.weight = Color(body * fresnelDielectric(dot(wo, h), eta) * g / w.coat);
      s.density = infinite;
      s.specular = true;
      return true;
    }
    s.wi = reflect(wo, m.sampleVisible(wo, u));
    if (s.wi.z <= 0) return false;
  } else if (choose < w.diffuse + w.coat + w.metal) {
    if (alpha() < smoothAlpha) {
      s.wi = reflect(wo, V3f(0, 0, 1));
      s.weight = fresnelSchlick(base, wo.z);
    } else if (!walkMetal(m, base, wo, random, s.wi, s.weight)) {
      return false;
    }
    s.specular = !rough;
    s.density = rough ? density(s.wi) : infinite;
    // Where other rough lobes overlap, their share is theirs to sample.
    return true;
  } else {
    if (thin) {
      const float r1 = fresnelDielectric(wo.z, eta), r = 2 * r1 / (1 + r1);
      s.specular = true;
      s.density = infinite;
      if (random.next() < r) {
        s.wi = reflect(wo, V3f(0, 0, 1));
        s.weight = Color(1.0f);
      } else {
        s.wi = -wo;
        s.weight = base;
        s.through = true;
      }
      return true;
    }
    if (alpha() < smoothAlpha) {
      V3f t;
      if (random.next() >= fresnelDielectric(wo.z, eta) && refract(wo, V3f(0, 0, 1), eta, t))
        s.wi = normalize(t);
      else
        s.wi = reflect(wo, V3f(0, 0, 1));
    } else if (!walkGlass(m, eta, wo, random, s.wi)) {
      return false;
    }
    s.through = s.wi.z < 0;
    s.weight = Color(s.through ? 1 / (eta * eta) : 1.0f);
    s.specular = !rough;
    s.density = rough ? density(s.wi) : infinite;
    return true;
  }
  // Diffuse and rough coat: one shared density, their whole value over it.
  const float coatOnly = rough ? w.coat : 0;
  float pdf = w.diffuse * s.wi.z / pi;
  Color value = base * (m_diffuseScale * (1 - coat->at(s.wi.z, roughness)) * s.wi.z);
  if (coatOnly > 0) {
    const V3f h = normalize(wo + s.wi);
    const float c = dot(wo, h);
    if (c > 0) pdf += coatOnly * 0.25f * m.visibleDensity(wo, h) / c;
    value += Color(body * fresnelDielectric(c, eta) * m.distribution(h) / ((1 + m_lambdaOut + m.lambda(s.wi)) * 4 * wo.z));
  }
  if (!(pdf > 0)) return false;
  s.weight = value * (1 / pdf);
  s.density = density(s.wi);
  return true;
}

} // namespace ilumbra
