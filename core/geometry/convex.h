#pragma once
#include "core/base/vec.h"

#include <vector>

namespace ilumbra {

/// A convex region of space: half-spaces, cones and balls, all of which a point must lie in. What a lamp lights, what a
/// beam fills. Without any it is all of space.
class Convex {
 public:
  /// Points x with dot(normal, x) <= reach. `side`: it bounds the region sideways, so that a soft edge runs along it.
  struct Plane {
    V3f normal;
    float reach;
    bool side = true;
  };
  /// Around an axis (unit) out of its apex; half-angle below 90°.
  struct Cone {
    V3f apex, axis;
    float cosine, tangent;
  };
  struct Ball {
    V3f centre;
    float radius;
  };
  void plane(const V3f& normal, const V3f& through, bool side = true);
  /// Radians; at 90° or more it bounds nothing.
  void cone(const V3f& apex, const V3f& axis, float halfAngle);
  void ball(const V3f& centre, float radius) { m_balls.push_back({centre, radius}); }
  bool everywhere() const { return m_planes.empty() && m_cones.empty() && m_balls.empty(); }

  /// Narrows [from, to] of a ray, metres along its unit direction, to what lies inside; false: nothing does.
  bool clip(const V3f& origin, const V3f& direction, float& from, float& to) const;
  bool holds(const V3f& p) const;
  /// How far from its sides a point is: 0 at one, 1 on the axis, `middle` being the axis beside the point. Caps and
  /// balls do not count; without sides 1.
  float depth(const V3f& p, const V3f& middle) const;

  /// True if it has sides, along which a soft edge may run.
  bool sided() const;

 private:
  std::vector<Plane> m_planes;
  std::vector<Cone> m_cones;
  std::vector<Ball> m_balls;
};

} // namespace ilumbra
