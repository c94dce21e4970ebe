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
  float at(float cosine, float roughness) const;
  /// Cosine-weighted mean over the hemisphere.
  float mean(float roughness) const;

private:
  static constexpr int size = 24;
  std::vector<float> m_albedo; ///< [roughness][cosine]
  std::vector<float> m_mean;
};

} // namespace ilumbra
