#include "core/effects/glow_route.h"
#include "core/effects/making.h"

#include <algorithm>

namespace ilumbra {

EffectKind glowEffect() {
  return {
      {.id = "effect.glow",
       .label = "Glow",
       .helpText = "Light that the lens spreads around its source.",
       .params = {flag("on", "On", true).at(Invalidation::Lens).help("Off: its lens stages rest"),
                  references("from", "From", {"light.", "object.", "material.", "air.", "source.", "plate.", "layer."})
                      .at(Invalidation::Shading)
                      .help("The lights and glowing objects whose light is spread"),
                  references("lens", "Lens", {"lens."})
                      .fixed()
                      .at(Invalidation::Lens)
                      .help("The lens stages that spread it")},
       .existence = Invalidation::Lens,
       .standsFor = "from",
       .switches = {"lens"}},
      {{"from", "From", "a light, or an object that glows"}, {"lens", "Lens", "a lens stage, such as Glow"}},
      "lens.glow",
      [](Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
        lampIfNothingShines(doc, effect, told);
        return doc;
      },
      {},
      {},
      measureGlowRoute};
}

} // namespace ilumbra
