#pragma once
#include "core/base/sampling.h"

namespace ilumbra {

/// A GGX microsurface (Trowbridge and Reitz 1975; Walter et al. 2007) of roughness alpha = roughness², on which light
/// may bounce as often as it does: random walks of Heitz et al. 2016, "Multiple-scattering microfacet BSDFs with the
/// Smith model", uniform heights. Local frames, z along the normal; directions point away from the surface.
struct Microsurface {
  float alpha;

  float distribution(const V3f& m) const;
  float lambda(const V3f& w) const;
  /// Of visible normals seen from w (any side).
  float visibleDensity(const V3f& w, const V3f& m) const;
  /// Spherical caps (Dupuy and Benyoub 2023).
  V3f sampleVisible(const V3f& w, const V2f& u) const;
  float shadowing(const V3f& w) const { return 1 / (1 + lambda(w)); }
};

// Called several times a vertex: in the header so that they melt into their callers.
inline float Microsurface::distribution(const V3f& m) const {
  if (m.z <= 0) return 0;
  const float a2 = alpha * alpha, c2 = m.z * m.z;
  const float d = (m.x * m.x + m.y * m.y) / a2 + c2;
  return 1 / (pi * a2 * d * d);
}

inline float Microsurface::lambda(const V3f& w) const {
  if (w.z > 0.9999f) return 0;
  if (w.z < -0.9999f) return -1;
  const float s2 = std::max(1e-12f, 1 - w.z * w.z);
  const float t = std::sqrt(1 + alpha * alpha * s2 / (w.z * w.z));
  return 0.5f * (w.z > 0 ? t - 1 : -t - 1);
}

inline float Microsurface::visibleDensity(const V3f& w, const V3f& m) const {
  const float c = dot(w, m);
  if (c <= 0 || m.z <= 0) return 0;
  // Projected area of the microsurface, for either side of the horizon.
  const float area = w.z > 0.9999f ? 1 : w.z < -0.9999f ? 0 : (1 + lambda(w)) * w.z;
  return area > 0 ? c * distribution(m) / area : 0;
}


/// Metal with tinted Schlick reflectance f0. wo.z > 0. The walk's own weight (f cos / pdf) is returned; false when the
/// path is lost to rounding.
bool walkMetal(const Microsurface& m, const Color& f0, const V3f& wo, RandomStream& random, V3f& wi, Color& weight);
/// Unbiased estimate of f cos(wi).
Color evaluateMetal(const Microsurface& m, const Color& f0, const V3f& wo, const V3f& wi, RandomStream& random);
/// Density that approximates the walk's, for multiple importance sampling only.
float densityMetal(const Microsurface& m, const V3f& wo, const V3f& wi);

/// Glass; eta = index below ÷ index above, wo.z > 0. Energy is kept: no factor of radiance compression is in it.
bool walkGlass(const Microsurface& m, float eta, const V3f& wo, RandomStream& random, V3f& wi);
float evaluateGlass(const Microsurface& m, float eta, const V3f& wo, const V3f& wi, RandomStream& random);
float densityGlass(const Microsurface& m, float eta, const V3f& wo, const V3f& wi);

/// Share of light that a dielectric GGX surface reflects in one bounce, by cosine and roughness: tabulated per eta.
class CoatAlbedo {
public:
  explicit CoatAlbedo(float eta);
  float at(float cosine, float roughness) const {
    const float x = clamp01(cosine) * (size - 1), y = clamp01(roughness) * (size - 1);
    const int i = std::min(int(x), size - 2), j = std::min(int(y), size - 2);
    const float tx = x - float(i), ty = y - float(j);
    const float* p = m_albedo.data() + j * size + i;
    return ilumbra::mix(ilumbra::mix(p[0], p[1], tx), ilumbra::mix(p[size], p[size + 1], tx), ty);
  }
  /// Cosine-weighted mean over the hemisphere.
  float mean(float roughness) const {
    const float y = clamp01(roughness) * (size - 1);
    const int j = std::min(int(y), size - 2);
    return ilumbra::mix(m_mean[size_t(j)], m_mean[size_t(j) + 1], y - float(j));
  }

private:
  static constexpr int size = 24;
  std::vector<float> m_albedo; ///< [roughness][cosine]
  std::vector<float> m_mean;
};

} // namespace ilumbra
