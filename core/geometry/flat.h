#pragma once
#include "core/geometry/mesh.h"

namespace ilumbra {

/// Closed lines in the plane. After united() and inset(), outlines run counter-clockwise and holes clockwise.
using Rings = std::vector<std::vector<V2f>>;

/// What has a winding number other than 0, each place once. By Clipper; places are kept to 1/10⁷ of the extent.
Rings united(const Rings& rings);
/// Moved inwards by `by` (outwards if less than 0), corners kept sharp up to three times that far.
Rings inset(const Rings& rings, float by);
/// Triangles that fill rings, counter-clockwise; they use the rings' own places, and others only where
/// lines cross. By CGAL's constrained Delaunay triangulation.
struct Filled {
  std::vector<V2f> places;
  std::vector<Mesh::Triangle> triangles;
};
Filled filled(const Rings& rings);

} // namespace ilumbra
