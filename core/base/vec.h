#pragma once
#include <algorithm>
#include <cmath>
#include <ImathBox.h>
#include <ImathMatrix.h>
#include <ImathVec.h>

namespace ilumbra {

using Imath::Box3f;
using Imath::M33f;
using Imath::M44f;
using Imath::V2f;
using Imath::V2i;
using Imath::V3f;
using Imath::V4f;

/// A colour or a spectrum in three channels: linear ACEScg inside the renderer, linear Rec. 709 in files.
using Color = Imath::V3f;

inline constexpr float pi = 3.14159265358979323846f;

inline float dot(const V3f& a, const V3f& b) { return a.x * b.x + a.y * b.y + a.z * b.z; }
inline V3f cross(const V3f& a, const V3f& b) { return a.cross(b); }
inline float length(const V3f& a) { return std::sqrt(dot(a, a)); }
/// A zero vector stays zero.
inline V3f normalize(const V3f& a) {
  const float l = length(a);
  return l > 0 ? a * (1.0f / l) : V3f(0.0f);
}
inline float maxComponent(const V3f& a) { return std::max(a.x, std::max(a.y, a.z)); }
inline float minComponent(const V3f& a) { return std::min(a.x, std::min(a.y, a.z)); }
inline V3f vmin(const V3f& a, const V3f& b) { return {std::min(a.x, b.x), std::min(a.y, b.y), std::min(a.z, b.z)}; }
inline V3f vmax(const V3f& a, const V3f& b) { return {std::max(a.x, b.x), std::max(a.y, b.y), std::max(a.z, b.z)}; }
inline V3f mix(const V3f& a, const V3f& b, float t) { return a * (1 - t) + b * t; }
inline float mix(float a, float b, float t) { return a * (1 - t) + b * t; }
inline float clamp01(float x) { return std::min(1.0f, std::max(0.0f, x)); }
inline float sqr(float x) { return x * x; }
/// Smooth from 0 at 0 to 1 at 1, level at both; what lies outside is clamped.
inline float smoothstep(float t) {
  t = clamp01(t);
  return t * t * (3 - 2 * t);
}
inline bool finite(const V3f& a) { return std::isfinite(a.x) && std::isfinite(a.y) && std::isfinite(a.z); }
inline bool isBlack(const V3f& a) { return a.x == 0 && a.y == 0 && a.z == 0; }

/// Luminance of a linear ACEScg colour (the Y row of AP1 with its white at D60; SMPTE ST 2065-1, AMPAS S-2014-004).
inline float luminance(const Color& c) { return 0.2722287f * c.x + 0.6740818f * c.y + 0.0536895f * c.z; }

/// Right-handed orthonormal frame around a unit vector (Duff et al. 2017, "Building an orthonormal basis, revisited").
struct Frame {
  V3f x, y, z;
  explicit Frame(const V3f& n) : z(n) {
    const float sign = std::copysign(1.0f, n.z);
    const float a = -1.0f / (sign + n.z), b = n.x * n.y * a;
    x = {1.0f + sign * n.x * n.x * a, sign * b, -sign * n.x};
    y = {b, sign + n.y * n.y * a, -n.y};
  }
  /// Around n, with x turned towards the tangent t (any length; fallback when parallel to n).
  Frame(const V3f& n, const V3f& t) : z(n) {
    const V3f p = t - n * dot(n, t);
    if (dot(p, p) < 1e-12f) {
      *this = Frame(n);
      return;
    }
    x = normalize(p);
    y = cross(z, x);
  }
  V3f toLocal(const V3f& v) const { return {dot(v, x), dot(v, y), dot(v, z)}; }
  V3f toWorld(const V3f& v) const { return x * v.x + y * v.y + z * v.z; }
};

/// Row-vector convention as in Imath: p' = p * m.
inline V3f transformPoint(const M44f& m, const V3f& p) {
  return {p.x * m[0][0] + p.y * m[1][0] + p.z * m[2][0] + m[3][0],
          p.x * m[0][1] + p.y * m[1][1] + p.z * m[2][1] + m[3][1],
          p.x * m[0][2] + p.y * m[1][2] + p.z * m[2][2] + m[3][2]};
}
inline V3f transformVector(const M44f& m, const V3f& v) {
  return {v.x * m[0][0] + v.y * m[1][0] + v.z * m[2][0], v.x * m[0][1] + v.y * m[1][1] + v.z * m[2][1],
          v.x * m[0][2] + v.y * m[1][2] + v.z * m[2][2]};
}
/// Normals go with the inverse transpose; `inverse` is the inverse of the object-to-world matrix. Not normalised.
inline V3f transformNormal(const M44f& inverse, const V3f& n) {
  return {n.x * inverse[0][0] + n.y * inverse[0][1] + n.z * inverse[0][2],
          n.x * inverse[1][0] + n.y * inverse[1][1] + n.z * inverse[1][2],
          n.x * inverse[2][0] + n.y * inverse[2][1] + n.z * inverse[2][2]};
}

/// Position, turn (degrees, applied about x, then y, then z) and size, as one object-to-parent matrix.
M44f placement(const V3f& position, const V3f& turn, const V3f& size);

/// The inverse of placement(): false if the matrix is singular or shears (the shear is dropped).
bool unplace(const M44f& m, V3f& position, V3f& turn, V3f& size);

} // namespace ilumbra
