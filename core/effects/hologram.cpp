// A hologram: a figure thrown into the air, cut into bands, with a glow that wavers.
#include "core/effects/making.h"
#include "core/effects/route_parts.h"
#include "core/effects/shining_body.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

const VeilLook thrownLook{"thrown light", "0.16, 0.85, 0.8", 1.1, {{0, 0.1}, {55, 0.28}, {90, 1}}, 1, false};

// Rings about a core, where there is nothing to be thrown.
NodeId figure(Document& doc) {
  const Framed f = framed(doc);
  const double high = 0.34 * double(f.height);
  const NodeId group = add(doc, "object.group", "Thrown rings", {{"position", text(f.middle)}, {"turn", "0, 20, 8"}});
  const char* turns[] = {"90, 0, 0", "24, 0, 62", "-30, 40, 20"};
  for (int i = 0; i < 3; ++i)
    add(doc, "object.torus", fmt::format("Ring {}", i + 1),
        {{"radius", tidy(high * (1 - 0.18 * i))},
         {"tube", tidy(high * 0.05)},
         {"segments", "180"},
         {"sides", "32"},
         {"turn", turns[i]}},
        {group, "objects"});
  add(doc, "object.sphere", "Core", {{"radius", tidy(0.2 * high)}}, {group, "objects"});
  return group;
}

Document makeHologram(Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
  if (roleOf(doc, *doc.find(effect), "through").empty()) {
    NodeId body = mainObject(doc);
    if (!body) {
      body = figure(doc);
      tell(told, "There was nothing to throw into the air: rings were made");
    }
    take(doc, effect, "through", body);
  }
  shine(doc, effect, thrownLook, told);
  lensStageFor(doc, effect, "lens.glow", "aura",
               {{"amount", "40 %"}, {"size", "7 %"}, {"falloff", "0.9"}, {"saturation", "130 %"}});
  lensStageFor(doc, effect, "lens.bands", "bands",
               {{"width", "0.6 %"},
                {"gap", "0.4 %"},
                {"between", "0.12, 0.2, 0.2"},
                {"drift", "4 %"},
                {"roll_depth", "-80 %"},
                {"roll_width", "12 %"},
                {"roll_speed", "25 %"}});
  lensStageFor(doc, effect, "lens.flicker", "waver",
               {{"depth", "14 %"}, {"rate", "9"}, {"drops", "6 %"}, {"drop_depth", "40 %"}});
  tell(told, "Its lens has a glow, bands and a waver");
  stageFor(doc, treeOf(doc, roleOf(doc, *doc.find(effect), "through").front()), Stage::Dark, told);
  return doc;
}

} // namespace

EffectKind hologramEffect() {
  return shiningEffect("effect.hologram", "Hologram",
                       "A figure thrown into the air by its own light: cut into bands, wavering, with a glow.",
                       "The lens stages that cut and spread its light", "bands, a glow, a flicker", makeHologram);
}

} // namespace ilumbra
