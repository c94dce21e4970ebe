// The lit honeycomb of amber: a comb within a worn slab, with light behind and inside it.
#include "demo/scene_builder.h"
#include "demo/set_parts.h"
#include "demo/starters.h"

namespace ilumbra {

Starter amberHoneycombStarter() {
  return {
      "amber-honeycomb", "Amber honeycomb", "A dense form: a comb of amber cut from a pattern, lit from behind",
      [](const std::shared_ptr<const Kinds>& kinds) {
        SceneBuilder b(kinds);
        b.settings(
            {{"width", "1280"}, {"height", "800"}, {"samples", "192"}, {"noise", "2 %"}, {"firefly_limit", "1"}});
        addSlateTable(b);
        b.add("material.surface", "Comb amber",
              {{"base_color", "0.95, 0.62, 0.2"},
               {"roughness", "0.14"},
               {"ior", "1.54"},
               {"subsurface", "1"},
               {"subsurface_color", "0.98, 0.74, 0.3"},
               {"subsurface_depth", "14 mm"},
               {"subsurface_spread", "1, 0.62, 0.28"}});
        b.preset("Stand brass", "Brushed brass");
        // The comb's walls, pushed aside a little as wax is; kept within a body of balls that run into one another.
        b.add("pattern.noise", "Sway", {{"scale", "0.35"}, {"octaves", "2"}});
        b.add("pattern.comb", "Cells", {{"cell", "0.088"}, {"wall", "0.014"}, {"width", "0.03"}});
        b.add("pattern.warp", "Swayed cells",
              {{"value", "pattern Cells"}, {"by", "pattern Sway"}, {"strength", "0.035"}});
        const NodeId body = b.add("pattern.solid", "Comb body", {{"width", "0.06"}});
        b.add("solid.part", "Middle", {{"form", "ball"}, {"radius", "0.34"}}, {body, "parts"});
        b.add("solid.part", "Left lobe",
              {{"form", "ball"}, {"radius", "0.24"}, {"place", "-0.27, -0.1, 0"}, {"join", "0.2"}}, {body, "parts"});
        b.add("solid.part", "Right lobe",
              {{"form", "ball"}, {"radius", "0.22"}, {"place", "0.25, 0.12, 0"}, {"join", "0.2"}}, {body, "parts"});
        b.add("solid.part", "Thickness",
              {{"form", "box"}, {"joining", "keep within"}, {"size", "2, 2, 0.15"}, {"wall", "0.02"}}, {body, "parts"});
        // A floor in the middle, as combs have it: cells open to both sides.
        const NodeId floor = b.add("pattern.solid", "Cell floor", {{"width", "0.03"}});
        b.add("solid.part", "Sheet", {{"form", "box"}, {"size", "2, 2, 0.016"}, {"wall", "0"}}, {floor, "parts"});
        b.add("pattern.mix", "Walls and floor",
              {{"mode", "lighter"}, {"below", "pattern Swayed cells"}, {"above", "pattern Cell floor"}});
        b.add("pattern.mix", "Comb",
              {{"mode", "darker"}, {"below", "pattern Walls and floor"}, {"above", "pattern Comb body"}});
        b.add("object.pattern_form", "Honeycomb",
              {{"amount", "pattern Comb"},
               {"width", "1.16"},
               {"height", "0.84"},
               {"depth", "0.2"},
               {"fineness", "220"},
               {"position", "0, 0.5, 0"},
               {"turn", "0, 16, 0"},
               {"material", "Comb amber"}});
        b.add("object.torus", "Stand ring",
              {{"radius", "0.2"}, {"tube", "12 mm"}, {"position", "0, 0.012, 0"}, {"material", "Stand brass"}});
        b.add("object.cylinder", "Stand",
              {{"radius", "9 mm"}, {"height", "0.16"}, {"position", "0, 0.08, 0"}, {"material", "Stand brass"}});
        b.add("light.point", "Heart",
              {{"power", "420"},
               {"color", "1, 0.72, 0.4"},
               {"radius", "0.03"},
               {"position", "0.05, 0.5, -0.16"},
               {"seen", "off"}});
        b.add("light.area", "Back window",
              {{"power", "2600"},
               {"color", "1, 0.66, 0.36"},
               {"width", "0.6"},
               {"height", "0.6"},
               {"position", "0.7, 1.1, -1.1"},
               {"target", "0, 0.5, 0"},
               {"seen", "off"}});
        b.add("light.area", "Night window",
              {{"power", "1100"},
               {"color", "0.4, 0.58, 1"},
               {"width", "0.8"},
               {"height", "1.6"},
               {"position", "-2, 1.6, 1.6"},
               {"target", "0, 0.4, 0"},
               {"seen", "off"}});
        b.add("air.beam", "Heart glow",
              {{"light", "Heart"}, {"reach", "0.9"}, {"fade", "100 %"}, {"density", "0.5"}, {"anisotropy", "0.3"}});
        b.add("effect.lamp_in_mist", "Heart in the air", {{"from", "Heart"}, {"through", "Heart glow"}});
        b.add("camera.lens", "Camera",
              {{"position", "0.28, 0.72, 2.1"},
               {"target", "0.02, 0.44, 0"},
               {"focal_length", "50"},
               {"focus", "2.1"},
               {"f_stop", "8"},
               {"ev100", "6.2"}});
        return StarterContent{b.take(), {}};
      }};
}

} // namespace ilumbra
