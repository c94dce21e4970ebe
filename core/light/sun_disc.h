#pragma once
#include "core/base/sampling.h"
#include "core/document/placement.h"

namespace ilumbra {

/// A disc at infinity, seen under an angular diameter in degrees (a very small one at least).
class SunDisc {
 public:
  SunDisc(const V3f& towards, float diameter);
  /// Evenly by solid angle, with the density below.
  V3f sample(const V2f& u) const { return m_frame.toWorld(sampleCone(u, m_one)); }
  float pdf() const { return 1 / (2 * pi * m_one); }
  bool holds(const V3f& direction) const;
  /// Radiance of 1 lux on a surface that faces it: L = E / (π sin²α), α half of the diameter.
  float radiance() const { return m_radiance; }

 private:
  Frame m_frame;
  float m_one, m_radiance; ///< m_one: 1 - cos α, which keeps its precision
};

} // namespace ilumbra
