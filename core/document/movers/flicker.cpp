#include "core/document/movers/parts.h"

namespace ilumbra::movers {

MoverKind flicker() {
  return {.id = "flicker",
          .label = "Flicker",
          .helpText = "Less by chance, as a flame has it",
          .params = {number("depth", "Depth", "%", 0.4).soft(0, 1).range(0, 1).help("How much of it may be missing"),
                     stepDef(3), loopDef(), seedDef()},
          .moves = isAmount,
          .move =
              [](const MoverParams& p, double frame, const Triple& v, bool back) {
                const double n = smoothNoise(frame, p.number("step"), p.number("loop"), uint32_t(p.number("seed")));
                const double factor = 1 - p.number("depth") * std::clamp(0.5 + 0.7 * n, 0.0, 1.0);
                if (back && !(factor > 0)) return v;
                return Triple{back ? v[0] / factor : v[0] * factor, v[1], v[2]};
              },
          .period = [](const MoverParams& p) { return p.number("depth") > 0 ? p.number("loop") : 1; }};
}

} // namespace ilumbra::movers
