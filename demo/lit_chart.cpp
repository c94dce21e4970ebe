// A star chart that hangs in the air and shines: a lit panel.
#include "demo/scene_builder.h"
#include "demo/set_parts.h"
#include "demo/starters.h"

namespace ilumbra {

Starter litChartStarter() {
  return {"lit-chart", "Lit chart",
          "A star chart of light over a table: one opacity, a lamp of its colours, faint beams",
          [](const std::shared_ptr<const Kinds>& kinds) {
            SceneBuilder b(kinds);
            b.settings(
                {{"width", "1280"}, {"height", "800"}, {"samples", "256"}, {"noise", "2 %"}, {"firefly_limit", "1"}});
            addSlateTable(b);
            b.preset("Lamp brass", "Brushed brass");
            b.preset("Lab glass", "Crown glass");
            b.add("object.card", "Star chart",
                  {{"file", "orrery-assets/star-map.ppm"},
                   {"height", "0.52"},
                   {"stands", "about its middle"},
                   {"position", "0, 0.47, -0.1"},
                   {"turn", "-6, 12, 0"}});
            b.add("object.cylinder", "Chart foot",
                  {{"radius", "0.34"},
                   {"height", "40 mm"},
                   {"round", "6 mm"},
                   {"size", "1, 1, 0.35"},
                   {"position", "0, 0.02, -0.06"},
                   {"turn", "0, 12, 0"},
                   {"material", "Lamp brass"}});
            b.add("object.sphere", "Glass planet",
                  {{"radius", "0.085"}, {"position", "0.36, 0.085, 0.26"}, {"material", "Lab glass"}});
            b.add("object.sphere", "Brass moon",
                  {{"radius", "0.055"}, {"position", "-0.34, 0.055, 0.28"}, {"material", "Lamp brass"}});
            b.add("light.area", "Night window",
                  {{"power", "500"},
                   {"color", "0.36, 0.54, 1"},
                   {"width", "0.9"},
                   {"height", "1.8"},
                   {"position", "2.2, 1.7, 1.2"},
                   {"target", "0, 0.2, 0"},
                   {"seen", "off"}});
            b.add("camera.lens", "Camera",
                  {{"position", "0.12, 0.58, 1.75"},
                   {"target", "0.0, 0.4, 0"},
                   {"focal_length", "46"},
                   {"focus", "1.75"},
                   {"f_stop", "8"},
                   {"ev100", "5"}});
            b.effect("effect.lit_panel", "Lit chart", {"Star chart"});
            return StarterContent{b.take(), {{"orrery-assets/star-map.ppm", starMap()}}};
          }};
}

} // namespace ilumbra
