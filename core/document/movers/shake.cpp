#include "core/document/movers/parts.h"

namespace ilumbra::movers {

MoverKind shake() {
  return {
      .id = "shake",
      .label = "Shake",
      .helpText = "Trembles about its place by chance, as what is held in a hand",
      .params =
          {number("reach", "Reach", "m", 0.01).soft(0, 0.1).range(0, 1e4).help("About how far it goes to each side"),
           stepDef(6), loopDef(), seedDef()},
      .moves = isPlace,
      .move = strayed,
      .period = [](const MoverParams& p) { return p.number("reach") > 0 ? p.number("loop") : 1; },
      .handles = {{MoverHandle::Shape::Ball, "reach"}}};
}

} // namespace ilumbra::movers
