// Regular and half-regular bodies, as hulls of their corners.
#include "core/geometry/grid.h"

namespace ilumbra {
namespace {

const double golden = (1 + std::sqrt(5.0)) / 2;

// All changes of sign, and with `turns` the cyclic changes of order.
void all(std::vector<V3d>& out, const V3d& p, bool turns) {
  for (int order = 0; order < (turns ? 3 : 1); ++order)
    for (int signs = 0; signs < 8; ++signs) {
      V3d q(p[order % 3], p[(order + 1) % 3], p[(order + 2) % 3]);
      for (int i = 0; i < 3; ++i)
        if (signs >> i & 1) q[i] = -q[i];
      if (std::find(out.begin(), out.end(), q) == out.end()) out.push_back(q);
    }
}

std::vector<V3d> cornersOf(const std::string& form) {
  std::vector<V3d> c;
  if (form == "tetrahedron")
    c = {{1, 1, 1}, {1, -1, -1}, {-1, 1, -1}, {-1, -1, 1}};
  else if (form == "cube")
    all(c, {1, 1, 1}, false);
  else if (form == "octahedron")
    all(c, {1, 0, 0}, true);
  else if (form == "dodecahedron") {
    all(c, {1, 1, 1}, false);
    all(c, {0, 1 / golden, golden}, true);
  } else if (form == "icosahedron")
    all(c, {0, 1, golden}, true);
  else if (form == "cuboctahedron")
    all(c, {1, 1, 0}, true);
  else if (form == "truncated octahedron") {
    all(c, {0, 1, 2}, true);
    all(c, {0, 2, 1}, true);
  } else if (form == "truncated icosahedron") {
    all(c, {0, 1, 3 * golden}, true);
    all(c, {1, 2 + golden, 2 * golden}, true);
    all(c, {golden, 2, 2 * golden + 1}, true);
  } else if (form == "rhombic dodecahedron") {
    all(c, {1, 1, 1}, false);
    all(c, {2, 0, 0}, true);
  } else { // icosidodecahedron
    all(c, {0, 0, 2 * golden}, true);
    all(c, {1, golden, golden * golden}, true);
  }
  return c;
}

} // namespace

ShapeKind polyhedronShape() {
  return {{.id = "object.polyhedron",
           .label = "Polyhedron",
           .helpText = "A body of flat, regular faces.",
           .params = join(
               {{choice("form", "Form",
                        {"icosahedron", "dodecahedron", "octahedron", "cube", "tetrahedron", "cuboctahedron",
                         "icosidodecahedron", "rhombic dodecahedron", "truncated octahedron", "truncated icosahedron"})
                     .at(Invalidation::Geometry)
                     .matters()
                     .help("Which body"),
                 sizeParam("radius", "Radius", 0.5, "From the centre to the furthest corner")},
                objectParams()})},
          [](const Params& p, const BuildFrom&) {
            std::vector<V3d> corners = cornersOf(p.text("form"));
            double reach = 0;
            for (const V3d& c : corners) reach = std::max(reach, c.length());
            for (V3d& c : corners) c *= p.number("radius") / reach;
            Shape s;
            s.mesh = convexHull(corners);
            return s;
          }};
}

} // namespace ilumbra
