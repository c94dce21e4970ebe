#include "core/document/movers/parts.h"

namespace ilumbra::movers {

MoverKind orbit() {
  return {.id = "orbit",
          .label = "Orbit",
          .helpText = "Round a place, as far from it as it stands; of a camera: round what it looks at",
          .params = {vector("about", "About", "m", {0, 0, 0}).soft(-5, 5).help("The place that it goes round"),
                     vector("axis", "Axis", "", {0, 1, 0})
                         .soft(-1, 1)
                         .help("What it goes round as a wheel does; its length says nothing. 0, 1, 0 is upright"),
                     number("turns", "Turns", "", 1)
                         .soft(-4, 4)
                         .range(-1e4, 1e4)
                         .help("Whole ones loop; below 0: the other way round"),
                     periodDef(240, "The frames in which it makes its turns"), phaseDef()},
          .moves = isPlace,
          .move =
              [](const MoverParams& p, double frame, const Triple& v, bool back) {
                const Triple about = p.triple("about"), along = p.triple("axis");
                const double length = std::sqrt(along[0] * along[0] + along[1] * along[1] + along[2] * along[2]);
                if (!(length > 0)) return v;
                const Triple k = {along[0] / length, along[1] / length, along[2] / length}, r = plus(v, about, -1);
                const double angle = (back ? -twoPi : twoPi) * p.number("turns") * turnsAt(p, frame);
                const double c = std::cos(angle), s = std::sin(angle), dot = k[0] * r[0] + k[1] * r[1] + k[2] * r[2];
                // Rodrigues' rotation.
                const Triple cross = {k[1] * r[2] - k[2] * r[1], k[2] * r[0] - k[0] * r[2], k[0] * r[1] - k[1] * r[0]};
                return plus(plus(plus(about, r, c), cross, s), k, dot * (1 - c));
              },
          .period =
              [](const MoverParams& p) {
                const double turns = std::abs(p.number("turns"));
                return turns > 0 ? p.number("period") / turns : 1;
              },
          .handles = {{MoverHandle::Shape::Centre, "about"}}};
}

} // namespace ilumbra::movers
