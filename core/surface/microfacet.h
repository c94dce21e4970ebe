#pragma once
#include "core/base/sampling.h"
#include "core/surface/fresnel.h"
#include "core/surface/thin_film.h"

namespace ilumbra {

/// A GGX microsurface (Trowbridge and Reitz 1975; Walter et al. 2007) of roughness alpha = roughness² along x and y, on
/// which light may bounce as often as it does: random walks of Heitz et al. 2016, "Multiple-scattering microfacet BSDFs
/// with the Smith model", uniform heights. Local frames, z along the normal; directions point away from the surface.
struct Microsurface {
  float alphaX, alphaY;
  Microsurface(float x, float y) : alphaX(x), alphaY(y) {}
  explicit Microsurface(float alpha) : alphaX(alpha), alphaY(alpha) {}

  float alpha() const { return std::max(alphaX, alphaY); }
  float distribution(const V3f& m) const;
  float lambda(const V3f& w) const;
  /// Of visible normals seen from w (any side).
  float visiblePdf(const V3f& w, const V3f& m) const;
  /// Spherical caps (Dupuy and Benyoub 2023).
  V3f sampleVisible(const V3f& w, const V2f& u) const;
  float shadowing(const V3f& w) const { return 1 / (1 + lambda(w)); }
};

// Called several times a vertex: in the header so that they melt into their callers.
inline float Microsurface::distribution(const V3f& m) const {
  if (m.z <= 0) return 0;
  const float d = sqr(m.x / alphaX) + sqr(m.y / alphaY) + m.z * m.z;
  return 1 / (pi * alphaX * alphaY * d * d);
}

inline float Microsurface::lambda(const V3f& w) const {
  if (w.z > 0.9999f) return 0;
  if (w.z < -0.9999f) return -1;
  const float t = std::sqrt(1 + (sqr(w.x * alphaX) + sqr(w.y * alphaY)) / (w.z * w.z));
  return 0.5f * (w.z > 0 ? t - 1 : -t - 1);
}

inline float Microsurface::visiblePdf(const V3f& w, const V3f& m) const {
  const float c = dot(w, m);
  if (c <= 0 || m.z <= 0) return 0;
  // Projected area of the microsurface, for either side of the horizon.
  const float area = w.z > 0.9999f ? 1 : w.z < -0.9999f ? 0 : (1 + lambda(w)) * w.z;
  return area > 0 ? c * distribution(m) / area : 0;
}

/// A film on a boundary; none if there is no table.
struct FilmCover {
  const ThinFilm* film = nullptr;
  float thickness = 0; ///< nm
  float weight = 0;    ///< share of the surface that it covers
  Color over(const Color& bare, float cosineOutside) const {
    return film ? mix(bare, film->reflectance(cosineOutside, thickness), weight) : bare;
  }
};

/// A boundary between two clear things.
struct Boundary {
  float eta = 1.5f;         ///< index below ÷ index above
  float specular = 1;       ///< factor of what it reflects, short of total reflection
  bool onlyTotal = false;   ///< reflects nothing but what cannot pass: the rest was reflected before
  bool outsideAbove = true; ///< for the film: the viewer's side is the outside
  FilmCover film;
  /// Reflectance for light that comes from above or below at this cosine.
  Color reflectance(float cosine, bool above) const {
    const float e = above ? eta : 1 / eta, f = fresnelDielectric(cosine, e);
    if (f >= 1) return Color(1.0f);
    if (onlyTotal) return Color(0.0f);
    if (!film.film) return Color(f * specular);
    // The film's table goes by the angle outside.
    const float out = above == outsideAbove ? cosine : std::sqrt(std::max(0.0f, 1 - (1 - cosine * cosine) / (e * e)));
    return film.over(Color(f), out) * specular;
  }
};

/// What a metal reflects: Schlick's from its colour, under a film if there is one.
struct MetalBoundary {
  Color f0{1.0f};
  const MetalFilm* film = nullptr;
  float thickness = 0, weight = 0;
  Color reflectance(float cosine) const {
    const Color bare = fresnelSchlick(f0, cosine);
    return film ? mix(bare, film->reflectance(f0, cosine, thickness), weight) : bare;
  }
};

/// wo.z > 0. The walk's own weight (f cos / pdf) is returned; false when the path is lost to rounding.
bool walkMetal(const Microsurface& m, const MetalBoundary& b, const V3f& wo, RandomStream& random, V3f& wi,
               Color& weight);
/// Unbiased estimate of f cos(wi).
Color evaluateMetal(const Microsurface& m, const MetalBoundary& b, const V3f& wo, const V3f& wi, RandomStream& random);
/// Density that approximates the walk's, for multiple importance sampling only.
float densityMetal(const Microsurface& m, const V3f& wo, const V3f& wi);

/// wo.z > 0. Energy is kept: no factor of radiance compression is in it.
bool walkGlass(const Microsurface& m, const Boundary& b, const V3f& wo, RandomStream& random, V3f& wi, Color& weight);
Color evaluateGlass(const Microsurface& m, const Boundary& b, const V3f& wo, const V3f& wi, RandomStream& random);
float densityGlass(const Microsurface& m, float eta, const V3f& wo, const V3f& wi);

/// Share of light that a dielectric GGX surface reflects in one bounce, by cosine and roughness: tabulated per eta.
class CoatAlbedo {
 public:
  explicit CoatAlbedo(float eta);
  float at(float cosine, float roughness) const {
    const float x = clamp01(cosine) * (cosines - 1), y = clamp01(roughness) * (size - 1);
    const int i = std::min(int(x), cosines - 2), j = std::min(int(y), size - 2);
    const float tx = x - float(i), ty = y - float(j);
    const float* p = m_albedo.data() + j * cosines + i;
    return ilumbra::mix(ilumbra::mix(p[0], p[1], tx), ilumbra::mix(p[cosines], p[cosines + 1], tx), ty);
  }
  /// Cosine-weighted mean over the hemisphere.
  float mean(float roughness) const {
    const float y = clamp01(roughness) * (size - 1);
    const int j = std::min(int(y), size - 2);
    return ilumbra::mix(m_mean[size_t(j)], m_mean[size_t(j) + 1], y - float(j));
  }

 private:
  static constexpr int size = 24, cosines = 48;
  std::vector<float> m_albedo; ///< [roughness][cosine]
  std::vector<float> m_mean;
};

} // namespace ilumbra
