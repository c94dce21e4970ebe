#include "core/document/movers/parts.h"

namespace ilumbra::movers {

MoverKind pulse() {
  return {.id = "pulse",
          .label = "Pulse",
          .helpText = "Swells and falls again and again",
          .params = {number("depth", "Depth", "%", 0.5)
                         .soft(0, 1)
                         .range(0, 1)
                         .help("How much of it is missing where it is least"),
                     periodDef(48, "The frames from one swell to the next"), phaseDef(),
                     number("sharp", "Sharpness", "", 0)
                         .soft(0, 1)
                         .range(0, 1)
                         .help("0: it breathes. 1: short beats with a long pause between")},
          .moves = isAmount,
          .move =
              [](const MoverParams& p, double frame, const Triple& v, bool back) {
                const double wave = 0.5 + 0.5 * std::cos(twoPi * turnsAt(p, frame));
                const double factor = 1 - p.number("depth") * (1 - std::pow(wave, 1 + 15 * p.number("sharp")));
                if (back && !(factor > 0)) return v;
                return Triple{back ? v[0] / factor : v[0] * factor, v[1], v[2]};
              },
          .period = [](const MoverParams& p) { return p.number("depth") > 0 ? p.number("period") : 1; }};
}

} // namespace ilumbra::movers
