#include "core/document/movers/parts.h"

namespace ilumbra::movers {

MoverKind drift() {
  return {.id = "drift",
          .label = "Drift",
          .helpText = "Goes on and on in one direction",
          .params = {vector("along", "Way a frame", "m", {0, 0.01, 0})
                         .soft(-0.1, 0.1)
                         .help("How far, and in which direction, in a frame; from its place at frame 1")},
          .moves = isPlace,
          .move = [](const MoverParams& p, double frame, const Triple& v,
                     bool back) { return plus(v, p.triple("along"), back ? 1 - frame : frame - 1); },
          .period = [](const MoverParams& p) { return p.triple("along") == Triple{} ? 1 : 0; },
          .handles = {{MoverHandle::Shape::Pace, "along"}}};
}

} // namespace ilumbra::movers
