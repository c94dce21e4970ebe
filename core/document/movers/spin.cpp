#include "core/document/movers/parts.h"

namespace ilumbra::movers {

MoverKind spin() {
  return {.id = "spin",
          .label = "Spin",
          .helpText = "Turns at a constant pace, whole turns in so many frames",
          .params = {number("turns", "Turns", "", 1)
                         .soft(-4, 4)
                         .range(-1e4, 1e4)
                         .help("Whole ones loop; below 0: the other way round"),
                     periodDef(120, "The frames in which it makes its turns"), axisDef("upright"), phaseDef()},
          .moves = [](const ParamDef& d) { return isTurn(d) || goesRound(d); },
          .move =
              [](const MoverParams& p, double frame, const Triple& v, bool back) {
                const double angle = (back ? -360 : 360) * p.number("turns") * turnsAt(p, frame);
                return turnedBy(p, v, angle);
              },
          .period =
              [](const MoverParams& p) {
                const double turns = std::abs(p.number("turns"));
                return turns > 0 ? p.number("period") / turns : 1;
              },
          .ofThree = "axis"};
}

} // namespace ilumbra::movers
