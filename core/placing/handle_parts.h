#pragma once
// What makers of handles share.
#include "core/compile/camera.h"

#include <cmath>
#include <optional>
#include <vector>

namespace ilumbra {

/// Numbers that were dragged, to a ten-thousandth: they read like typed ones.
inline double tidy(double v) { return std::round(v * 1e4) / 1e4; }
inline Triple tidy(const V3f& v) { return {tidy(double(v.x)), tidy(double(v.y)), tidy(double(v.z))}; }

/// Where a ray meets a plane; none behind its origin.
inline std::optional<V3f> onPlane(const Ray& ray, const V3f& point, const V3f& normal) {
  const float down = dot(ray.direction, normal);
  if (std::abs(down) < 1e-6f) return {};
  const float t = dot(point - ray.origin, normal) / down;
  if (!(t > 0)) return {};
  return ray.origin + ray.direction * t;
}

/// Points of the set as they are seen, in pixels; what lies behind the camera is left out.
inline std::vector<V2f> seenLine(const Camera& camera, const std::vector<V3f>& points) {
  std::vector<V2f> out;
  for (const V3f& p : points) {
    V2f at;
    if (camera.project(p, at.x, at.y)) out.push_back(at);
  }
  return out;
}

/// From one angle to another (radians, from x towards y) about a centre, in steps of a 64th.
inline std::vector<V3f> arcPoints(const V3f& centre, const V3f& x, const V3f& y, float from = 0, float to = 2 * pi) {
  constexpr int steps = 64;
  std::vector<V3f> points;
  for (int i = 0; i <= steps; ++i) {
    const float t = mix(from, to, float(i) / steps);
    points.push_back(centre + x * std::cos(t) + y * std::sin(t));
  }
  return points;
}

} // namespace ilumbra
