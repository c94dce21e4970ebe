#include "core/document/movers/parts.h"

namespace ilumbra::movers {

MoverKind wobble() {
  return {
      .id = "wobble",
      .label = "Wobble",
      .helpText = "Trembles about its turn by chance, as what is held in a hand",
      .params = {number("reach", "Reach", "°", 1).soft(0, 20).range(0, 1e4).help("About how far it goes to each side"),
                 stepDef(6), loopDef(), seedDef()},
      .moves = isTurn,
      .move = strayed,
      .period = [](const MoverParams& p) { return p.number("reach") > 0 ? p.number("loop") : 1; }};
}

} // namespace ilumbra::movers
