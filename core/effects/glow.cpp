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
      // Where nothing gives light yet there is nothing to glow: a small lamp is made, in the middle of what is seen.
      [](Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
        const bool lit = !doc.family("light").empty() || !doc.family("plate").empty() ||
                         std::any_of(doc.nodes().begin(), doc.nodes().end(), [](const NodePtr& n) {
                           return n->kind->param("own_light") && Params(*n, 0).number("own_light") > 0;
                         });
        if (lit || !roleOf(doc, *doc.find(effect), "from").empty()) return doc;
        const Framed f = framed(doc);
        const double radius = 0.03 * double(f.height);
        // Some eight stops above white.
        const double area = 4 * 3.14159265 * radius * radius;
        const NodeId lamp = add(doc, "light.point", "Lamp",
                                {{"position", text(f.middle)},
                                 {"radius", tidy(radius)},
                                 {"power", tidy(250 * white(doc) * 3.14159265 * area)},
                                 {"color", "1, 0.78, 0.5"}});
        take(doc, effect, "from", lamp);
        tell(told, "Nothing gave light: a lamp was made");
        return doc;
      },
      {},
      {},
      measureGlowRoute};
}

} // namespace ilumbra
