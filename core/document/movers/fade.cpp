#include "core/document/movers/parts.h"

namespace ilumbra::movers {

MoverKind fade() {
  ParamDef other =
      color("to", "To", {1, 0.4, 0.08}).soft(0, 1).help("The colour that it goes over to, and comes back from");
  return {.id = "fade",
          .label = "Fade",
          .helpText = "Goes over to another colour and back",
          .params = {std::move(other),
                     number("depth", "Depth", "%", 1).soft(0, 1).range(0, 1).help("How far it goes there"),
                     periodDef(96, "The frames from the colour to the other one and back"), phaseDef(),
                     number("dwell", "Dwell", "", 0)
                         .soft(0, 1)
                         .range(0, 1)
                         .help("0: it is always on its way. 1: it stays at both ends and changes quickly")},
          .moves = isColor,
          .move =
              [](const MoverParams& p, double frame, const Triple& v, bool back) {
                const double wave = std::cos(twoPi * turnsAt(p, frame)), steep = 1 + 7 * p.number("dwell");
                const double there = p.number("depth") * (0.5 - 0.5 * std::tanh(steep * wave) / std::tanh(steep));
                const Triple to = p.triple("to");
                Triple out = v;
                if (back && !(there < 1)) return v; // nothing of the colour is left to go back to
                for (size_t c = 0; c < 3; ++c)
                  out[c] = back ? std::max(0.0, (v[c] - there * to[c]) / (1 - there)) : v[c] + there * (to[c] - v[c]);
                return out;
              },
          .period = [](const MoverParams& p) { return p.number("depth") > 0 ? p.number("period") : 1; }};
}

} // namespace ilumbra::movers
