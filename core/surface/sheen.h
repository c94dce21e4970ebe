#pragma once
#include "core/base/vec.h"

#include <array>
#include <vector>

namespace ilumbra {

/// Fibres that stand on a surface and catch light at its rim: the distribution of Estevez and Kulla 2017, "Production
/// Friendly Microfacet Sheen BRDF", with the visibility of Neubelt and Pettineo 2013, scaled down where the two
/// together would give back more than they got.
class Sheen {
 public:
  /// The table, made once.
  static const Sheen& table();
  /// f cos(wi) of white fibres. wo.z and wi.z > 0.
  float evaluate(const V3f& wo, const V3f& wi, float roughness) const;
  /// What they give back of light from all around, 0..1.
  float albedo(float cosine, float roughness) const { return std::min(1.0f, raw(cosine, roughness)); }

 private:
  Sheen();
  float raw(float cosine, float roughness) const;
  static constexpr int size = 32;
  std::vector<float> m_albedo; ///< [roughness][cosine]
};

} // namespace ilumbra
