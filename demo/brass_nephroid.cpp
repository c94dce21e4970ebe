// A brass ring on stone: the nephroid inside it, and its glints on the wall.
#include "demo/scene_builder.h"
#include "demo/starters.h"

namespace ilumbra {

Starter brassNephroidStarter() {
  return {"brass-nephroid", "Brass nephroid",
          "Polished rings under a low lamp: the two-cusped curve inside, and glints on the wall",
          [](const std::shared_ptr<const Kinds>& kinds) {
            SceneBuilder b(kinds);
            b.settings(
                {{"width", "1280"}, {"height", "800"}, {"samples", "192"}, {"noise", "1.5 %"}, {"firefly_limit", "1"}});
            b.preset("Table stone", "Slate");
            b.set(b.find("Table stone"), {{"base_color", "0.3, 0.29, 0.28"}, {"roughness", "0.55"}});
            b.preset("Ring brass", "Polished brass");
            b.set(b.find("Ring brass"), {{"roughness", "0.04"}});
            b.preset("Hall plaster", "Plaster");
            b.set(b.find("Hall plaster"), {{"base_color", "0.3, 0.28, 0.27"}});
            b.add("object.plane", "Table",
                  {{"width", "6"}, {"depth", "4"}, {"position", "0, 0, 0"}, {"material", "Table stone"}});
            b.add("object.plane", "Wall",
                  {{"width", "8"},
                   {"depth", "4"},
                   {"position", "0, 1.4, -0.85"},
                   {"turn", "90, 0, 0"},
                   {"material", "Hall plaster"}});
            const NodeId great = b.add("object.cylinder", "Great ring",
                                       {{"radius", "0.24"},
                                        {"height", "0.1"},
                                        {"capped", "off"},
                                        {"segments", "512"},
                                        {"position", "-0.1, 0.0502, 0"},
                                        {"material", "Ring brass"}});
            b.add("modifier.shell", "Wall of the ring", {{"thickness", "4 mm"}}, {great, "modifiers"});
            const NodeId small = b.add("object.cylinder", "Small ring",
                                       {{"radius", "0.1"},
                                        {"height", "0.06"},
                                        {"capped", "off"},
                                        {"segments", "512"},
                                        {"position", "0.36, 0.0302, 0.22"},
                                        {"material", "Ring brass"}});
            b.add("modifier.shell", "Wall of the small ring", {{"thickness", "3 mm"}}, {small, "modifiers"});
            b.add("object.gem", "Brass bead",
                  {{"radius", "85 mm"}, {"position", "0.44, 0.1, -0.26"}, {"material", "Ring brass"}});
            b.add("light.spot", "Low lamp",
                  {{"power", "3200"},
                   {"color", "1, 0.88, 0.7"},
                   {"position", "1.35, 0.95, 0.75"},
                   {"target", "0, 0.03, 0"},
                   {"cone", "46"},
                   {"edge", "60 %"},
                   {"radius", "6 mm"}});
            b.add("light.area", "Night window",
                  {{"power", "70"},
                   {"width", "1"},
                   {"height", "1.6"},
                   {"position", "-2.2, 1.6, 1.2"},
                   {"target", "0, 0.1, 0"},
                   {"color", "0.4, 0.56, 1"},
                   {"seen", "off"}});
            b.add("camera.lens", "Camera",
                  {{"position", "-0.16, 0.82, 1.08"},
                   {"target", "0.07, 0.09, -0.1"},
                   {"focal_length", "40"},
                   {"focus", "1.5"},
                   {"f_stop", "8"},
                   {"ev100", "7.6"}});
            b.add("effect.caustics", "Nephroid",
                  {{"from", "Low lamp"}, {"through", "Great ring, Small ring, Brass bead"}, {"edge", "66 %"}});
            return StarterContent{b.take(), {}};
          }};
}

} // namespace ilumbra
