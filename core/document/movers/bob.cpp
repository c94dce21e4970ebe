#include "core/document/movers/parts.h"

namespace ilumbra::movers {

MoverKind bob() {
  return {.id = "bob",
          .label = "Bob",
          .helpText = "Up and down, as what floats does",
          .params = {vector("reach", "Reach", "m", {0, 0.05, 0})
                         .soft(-0.5, 0.5)
                         .help("How far it goes to each side of its place, and along which direction"),
                     periodDef(72, "The frames of going there and back"), phaseDef()},
          .moves = isPlace,
          .move =
              [](const MoverParams& p, double frame, const Triple& v, bool back) {
                const double s = std::sin(twoPi * turnsAt(p, frame));
                return plus(v, p.triple("reach"), back ? -s : s);
              },
          .period = [](const MoverParams& p) { return p.number("period"); },
          .handles = {{MoverHandle::Shape::Way, "reach"}}};
}

} // namespace ilumbra::movers
