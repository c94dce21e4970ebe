#include "core/advise/route.h"

namespace ilumbra {

EffectKind glowEffect() {
  return {{.id = "effect.glow",
           .label = "Glow",
           .helpText = "Light that the lens spreads around its source.",
           .params = {flag("on", "On", true).at(Stage::Lens).fixed().help("Off: its lens stages rest"),
                      references("from", "From", {"light.", "object.", "material.", "air.", "source.", "plate.", "layer."}).at(Stage::Shading).help("The lights and glowing objects whose light is spread"),
                      references("lens", "Lens", {"lens."}).at(Stage::Lens).help("The lens stages that spread it")},
           .existence = Stage::Lens},
          {{"from", "From", "a light, or an object that glows"}, {"lens", "Lens", "a lens stage, such as Glow"}},
          "lens.glow",
          {},
          {},
          measureGlowRoute};
}

} // namespace ilumbra
