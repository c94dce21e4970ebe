#pragma once
#include "core/light/light.h"

namespace ilumbra {

/// A ball that shines: towards each direction with the intensity that a point in its middle would have, from all of its
/// disc alike, so that its size changes the shadows and nothing else: L(ω) = I(ω) / (π r²). With radius 0 it is that
/// point.
class BallLight : public Light {
 public:
  /// `centre` and `radius` (metres, 0 or more) in the world.
  BallLight(const V3f& centre, float radius);
  bool sample(const V3f& from, const V2f& u, LightSample& s) const override;
  float pdf(const V3f& from, const V3f& direction, float distance, const LightHit& hit) const override;
  Color radiance(const V3f&, const V3f& direction, const V3f& normal) const override;
  const Shape* shape() const override { return m_radius > 0 ? &m_shape : nullptr; }
  LightReach reach() const override { return {.centre = m_centre, .radius = m_radius}; }

 protected:
  /// Lumens per steradian and lumen away from the lamp along a unit direction: even, 1 / (4 π), unless overridden.
  virtual Color intensity(const V3f& away) const;
  V3f m_centre;
  float m_radius;

 private:
  float oneMinusCos(float d2) const;
  Shape m_shape;
};

} // namespace ilumbra
