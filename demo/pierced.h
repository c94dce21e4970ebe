#pragma once
#include "core/geometry/shape.h"

namespace ilumbra {

/// A shell of revolution with a wall, pierced all around by rows of holes: lamp shades and bands.
struct PiercedShell {
  /// Outer profile at v in [0, 1] from bottom to top: radius and height in metres.
  std::function<V2f(float v)> profile;
  float wall = 0.002f; ///< metres, inwards
  int rows = 6, columns = 24;
  float opening = 0.62f; ///< width of a hole as a share of its cell
  float star = 0;        ///< 0: round holes; up to 1: stars
  int points = 6;        ///< of a star
  float stagger = 0.5f;  ///< of every second row, in cells: 0 or 0.5
  /// Scales the hole of a cell; below 0.05 it is left closed. Null: all the same.
  std::function<float(int row, int column)> size;
};
/// Closed mesh with facets around the holes smoothed by the mesh's own normals.
Mesh piercedShell(const PiercedShell& s);

} // namespace ilumbra
