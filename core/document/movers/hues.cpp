#include "core/document/movers/parts.h"

#include <algorithm>

namespace ilumbra::movers {
namespace {

// The hue turned on by so many degrees, from red by green to blue; the strongest channel and the weakest keep their
// values. White and greys have no hue.
Triple hueTurned(const Triple& v, double degrees) {
  const double most = std::max({v[0], v[1], v[2]}), least = std::min({v[0], v[1], v[2]}), span = most - least;
  if (!(span > 0)) return v;
  // Sixths of the round from red.
  double hue = v[0] == most ? (v[1] - v[2]) / span : v[1] == most ? 2 + (v[2] - v[0]) / span : 4 + (v[0] - v[1]) / span;
  hue += degrees / 60;
  Triple out;
  for (size_t c = 0; c < 3; ++c) {
    const double apart = std::abs(std::remainder(hue - 2 * double(c), 6)); // from this channel's own hue
    out[c] = least + span * std::clamp(2 - apart, 0.0, 1.0);
  }
  return out;
}

} // namespace

MoverKind hues() {
  return {.id = "hues",
          .label = "Hue round",
          .helpText = "Its hue goes round, whole rounds in so many frames; white has none",
          .params = {number("turns", "Rounds", "", 1)
                         .soft(-4, 4)
                         .range(-1e4, 1e4)
                         .help("Whole ones loop; below 0: from red to blue first"),
                     periodDef(240, "The frames in which it makes its rounds"), phaseDef()},
          .moves = isColor,
          .move = [](const MoverParams& p, double frame, const Triple& v,
                     bool back) { return hueTurned(v, (back ? -360 : 360) * p.number("turns") * turnsAt(p, frame)); },
          .period =
              [](const MoverParams& p) {
                const double turns = std::abs(p.number("turns"));
                return turns > 0 ? p.number("period") / turns : 1;
              }};
}

} // namespace ilumbra::movers
