#include "core/advise/caustics_route.h"
#include "core/render/caustics.h"

namespace ilumbra {

EffectKind causticsEffect() {
  return {.kind = {.id = "effect.caustics",
           .label = "Caustics",
           .helpText = "Light that glass, metal and water gather into bright curves on what lies behind or around them.",
           .params = join({{flag("on", "On", true).at(Stage::Geometry).fixed().help("Off: only what camera paths find by chance"),
                            references("from", "From", {"light.", "object.", "material."}).at(Stage::Geometry).help("The lamps whose light is gathered: small ones make sharp patterns"),
                            references("through", "Through", {"object."}).at(Stage::Geometry).help("What bends or mirrors it"),
                            references("onto", "Onto", {"object."}).at(Stage::Geometry).help("The surfaces on which the pattern is to be seen; nothing: all")},
                           causticsParams()}),
           .existence = Stage::Geometry},
          .roles = {{"from", "From", "a small lamp"}, {"through", "Through", "glass, polished metal or water"}, {"onto", "Onto", "a table, a floor, a wall; nothing: all"}},
          .measure = measureCausticsRoute};
}

} // namespace ilumbra
