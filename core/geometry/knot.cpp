// A ring whose tube winds about another ring: a torus knot.
#include "core/base/error.h"
#include "core/geometry/grid.h"

#include <numeric>

namespace ilumbra {

// The middle of the tube, and the way from the ring's own middle to it.
static void winding(const Params& p, std::vector<V3f>& line, std::vector<V3f>& up) {
  const float big = p.real("radius"), small = p.real("winding");
  const int turns = int(p.number("turns")), windings = int(p.number("windings"));
  if (std::gcd(turns, windings) != 1)
    throw badInput(p.node().name + ".windings: " + std::to_string(windings) + " and " + std::to_string(turns) +
                   " turns have a common divisor, so that the tube would run over itself");
  const double wanted = p.number("segments");
  const uint32_t n = wanted > 0 ? std::max(12u, uint32_t(wanted))
                                : std::min(8192u, uint32_t(turns) * segmentsFor(0, big + small) +
                                                      uint32_t(windings) * segmentsFor(0, small) / 2);
  line.resize(n);
  up.resize(n);
  for (uint32_t i = 0; i < n; ++i) {
    const double t = 2 * M_PI * i / n, about = turns * t, along = windings * t;
    const double r = big + small * std::cos(along);
    line[i] = V3f(float(r * std::cos(about)), float(small * std::sin(along)), float(-r * std::sin(about)));
    up[i] = V3f(float(std::cos(along) * std::cos(about)), float(std::sin(along)),
                float(-std::cos(along) * std::sin(about)));
  }
}

ShapeKind knotShape() {
  return {{.id = "object.knot",
           .label = "Knotted ring",
           .helpText = "A tube that winds about a ring and closes in itself.",
           .params =
               join({{sizeParam("radius", "Radius", 0.4, "From the centre to the middle of the winding"),
                      sizeParam("winding", "Winding", 0.16, "From the middle of the winding to the middle of the tube"),
                      sizeParam("tube", "Tube", 0.06, "Radius of the tube"),
                      integer("turns", "Turns about the axis", 2)
                          .soft(1, 12)
                          .range(1, 64)
                          .at(Invalidation::Geometry)
                          .matters()
                          .help("How often the tube goes round before it closes"),
                      integer("windings", "Windings", 3)
                          .soft(1, 24)
                          .range(1, 128)
                          .at(Invalidation::Geometry)
                          .matters()
                          .help("How often it winds about the ring meanwhile; with no common divisor with the turns, "
                                "or it is several rings' worth of one"),
                      segmentsParam("segments", "Segments", "Along the tube"),
                      segmentsParam("sides", "Sides", "Around the tube")},
                     objectParams()})},
          [](const Params& p, const BuildFrom&) {
            std::vector<V3f> line, up;
            winding(p, line, up);
            Shape s;
            const float tube = p.real("tube");
            appendClosedTube(s.mesh, line, up, tube, 1, segmentsFor(p.number("sides"), tube));
            return s;
          },
          {},
          [](const Params& p, const BuildFrom&) {
            std::vector<V3f> line, up;
            winding(p, line, up);
            line.push_back(line.front());
            return line;
          }};
}

} // namespace ilumbra
