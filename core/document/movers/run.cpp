#include "core/document/movers/parts.h"

namespace ilumbra::movers {

MoverKind run() {
  return {.id = "run",
          .label = "Run",
          .helpText = "Goes on at a steady pace, as along a path",
          .params = {number("by", "Goes on by", "", 1)
                         .soft(-4, 4)
                         .range(-1e6, 1e6)
                         .help("In its period, from frame 1 on, in the unit of what it moves: 1 is 100 % of a path, or "
                               "a metre; below 0: backwards"),
                     periodDef(240, "The frames in which it goes that far")},
          .moves = [](const ParamDef& d) { return d.type == ParamType::Number && d.hardMin < 0 && !isAngle(d); },
          .move =
              [](const MoverParams& p, double frame, const Triple& v, bool back) {
                const double by = p.number("by") * (frame - 1) / p.number("period") * (back ? -1 : 1);
                return Triple{v[0] + by, v[1] + by, v[2] + by};
              },
          .period = [](const MoverParams& p) { return p.number("by") == 0 ? 1 : 0; }};
}

} // namespace ilumbra::movers
