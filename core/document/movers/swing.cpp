#include "core/document/movers/parts.h"

namespace ilumbra::movers {

MoverKind swing() {
  return {.id = "swing",
          .label = "Swing",
          .helpText = "To and fro about an axis, as a pendulum does",
          .params =
              {number("amplitude", "Amplitude", "°", 20).soft(0, 90).range(0, 1e4).help("How far it goes to each side"),
               periodDef(48, "The frames of a swing there and back"), axisDef("own z"), phaseDef(),
               number("damping", "Damping", "%", 0)
                   .soft(0, 0.5)
                   .range(0, 1)
                   .help("How much smaller each swing is than the one before; from frame 1 on")},
          .moves = [](const ParamDef& d) { return isTurn(d) || isAngle(d); },
          .move =
              [](const MoverParams& p, double frame, const Triple& v, bool back) {
                const double swings = std::max(0.0, (frame - 1) / p.number("period"));
                const double angle = p.number("amplitude") * std::pow(1 - p.number("damping"), swings) *
                                     std::sin(twoPi * turnsAt(p, frame));
                return turnedBy(p, v, back ? -angle : angle);
              },
          .period = [](const MoverParams& p) { return p.number("damping") > 0 ? 0 : p.number("period"); },
          .ofThree = "axis",
          .handles = {{MoverHandle::Shape::Angle, "amplitude"}}};
}

} // namespace ilumbra::movers
