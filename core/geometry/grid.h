#pragma once
#include "core/geometry/shape.h"

namespace ilumbra {

using Imath::V3d;

/// A length of a shape in metres, on a logarithmic line.
ParamDef sizeParam(const char* name, const char* label, double initial, const char* help);
/// A count of facets; 0 follows the size (segmentsFor).
ParamDef segmentsParam(const char* name, const char* label, const char* help);

/// Segments of a full turn at a radius in metres: `wanted`, or, if that is 0, so many that no facet lies further than
/// 0.02 mm (1/25 000 of the radius beyond half a metre) from the round form; 48 to 1024 of them.
uint32_t segmentsFor(double wanted, float radius);

/// Cosine and sine of a turn times u, for u in steps of 1/n: exactly periodic, so that seams close to the bit.
void circle(float u, uint32_t n, float& c, float& s);

/// Adds a grid of (columns + 1) x (rows + 1) vertices over (u, v) in [0, 1]²; f(u, v, place, normal) fills the last
/// two, and the side from which u runs to the right and v upwards is the outside. What comes out without area has no
/// triangles.
template <typename F> void appendGrid(Mesh& m, uint32_t columns, uint32_t rows, F f) {
  const auto base = uint32_t(m.positions.size());
  for (uint32_t j = 0; j <= rows; ++j)
    for (uint32_t i = 0; i <= columns; ++i) {
      const float u = float(i) / float(columns), v = float(j) / float(rows);
      V3f p, n;
      f(u, v, p, n);
      m.positions.push_back(p);
      m.normals.push_back(normalize(n));
      m.uvs.emplace_back(u, v);
    }
  const auto add = [&](uint32_t a, uint32_t b, uint32_t c) {
    if (m.positions[a] != m.positions[b] && m.positions[b] != m.positions[c] && m.positions[c] != m.positions[a])
      m.triangles.push_back({a, b, c});
  };
  for (uint32_t j = 0; j < rows; ++j)
    for (uint32_t i = 0; i < columns; ++i) {
      const uint32_t a = base + j * (columns + 1) + i, b = a + 1, c = a + columns + 1, d = c + 1;
      add(a, b, d);
      add(a, d, c);
    }
}

/// Adds a flat disc, or a ring with `inner` above 0, at a height, facing up or down.
void appendDisc(Mesh& m, float radius, float inner, float y, uint32_t n, bool up);

/// A corner of a profile that is turned about the y axis.
struct ProfilePoint {
  float radius = 0, height = 0;
  bool sharp = true; ///< the surface has an edge here
};
/// Adds a profile turned about y; it runs so that the outside is to its right (upwards along an outer wall). `ring`:
/// the last point joins the first.
void appendTurned(Mesh& m, const std::vector<ProfilePoint>& profile, bool ring, uint32_t around);

/// Adds a tube along a closed line of places: `radius` thick, with `sides` facets, flattened along `up` (per place, not
/// along the line) by `flat`. No twist beyond what `up` has.
void appendClosedTube(Mesh& m, const std::vector<V3f>& line, const std::vector<V3f>& up, float radius, float flat,
                      uint32_t sides);

/// The half-space normal · x <= distance.
struct HalfSpace {
  V3d normal;
  double distance;
};
/// What is common to all half-spaces, if that is bounded: a convex body with flat faces, empty if nothing is.
Mesh convexBody(const std::vector<HalfSpace>& sides);
/// The convex hull of up to some hundred points.
Mesh convexHull(const std::vector<V3d>& points);
/// The half-space below the plane through three points that are counter-clockwise seen from outside.
HalfSpace through(const V3d& a, const V3d& b, const V3d& c);

/// Adds a mesh to another; what one of them lacks (normals, texture coordinates) is filled in.
void append(Mesh& to, const Mesh& from);

} // namespace ilumbra
