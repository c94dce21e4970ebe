#pragma once
#include "core/base/vec.h"

namespace ilumbra {

/// Unpolarised reflectance of a dielectric boundary (Fresnel equations). `cosI` in [0, 1] on the side of incidence,
/// `eta` = index beyond ÷ index before. 1 on total reflection.
inline float fresnelDielectric(float cosI, float eta) {
  cosI = clamp01(cosI);
  const float g2 = eta * eta - 1 + cosI * cosI;
  if (g2 <= 0) return 1;
  const float cosT = std::sqrt(g2) / eta;
  const float rs = (cosI - eta * cosT) / (cosI + eta * cosT), rp = (eta * cosI - cosT) / (eta * cosI + cosT);
  return 0.5f * (rs * rs + rp * rp);
}
/// Metals: Schlick 1994, from the reflectance at normal incidence.
inline Color fresnelSchlick(const Color& f0, float cosI) {
  const float m = 1 - clamp01(cosI), m2 = m * m, m5 = m2 * m2 * m;
  return f0 * (1 - m5) + Color(m5);
}
/// Direction beyond a boundary, for `w` pointing away from the surface on the side of normal `n`. False on total
/// reflection.
inline bool refract(const V3f& w, const V3f& n, float eta, V3f& t) {
  const float c = dot(w, n), s2 = std::max(0.0f, 1 - c * c) / (eta * eta);
  if (s2 >= 1) return false;
  t = -w * (1 / eta) + n * (c / eta - std::sqrt(1 - s2));
  return true;
}
inline V3f reflect(const V3f& w, const V3f& n) { return n * (2 * dot(w, n)) - w; }

} // namespace ilumbra
