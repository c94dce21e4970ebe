// A black ball with two softboxes: nothing but what it mirrors.
#include "demo/scene_builder.h"
#include "demo/set_parts.h"
#include "demo/starters.h"

namespace ilumbra {

Starter blackBallStarter() {
  return {"black-ball", "Black ball",
          "A lacquered ball drawn by two softboxes alone, each placed by where it is mirrored",
          [](const std::shared_ptr<const Kinds>& kinds) {
            SceneBuilder b(kinds);
            b.settings({{"width", "1280"}, {"height", "800"}, {"samples", "128"}, {"noise", "1.5 %"}});
            addSlateTable(b);
            b.preset("Ball lacquer", "Black lacquer");
            b.preset("Stand brass", "Polished brass");
            b.add("object.sphere", "Black ball",
                  {{"radius", "0.24"}, {"position", "0, 0.262, 0"}, {"material", "Ball lacquer"}});
            b.add("object.torus", "Stand",
                  {{"radius", "0.13"},
                   {"tube", "22 mm"},
                   {"position", "0, 0.022, 0"},
                   {"material", "Stand brass"},
                   {"segments", "180"},
                   {"sides", "48"}});
            b.add("object.sphere", "Brass bead",
                  {{"radius", "46 mm"}, {"position", "0.36, 0.046, 0.16"}, {"material", "Stand brass"}});
            b.add("light.area", "Night window",
                  {{"power", "260"},
                   {"color", "0.38, 0.56, 1"},
                   {"width", "0.8"},
                   {"height", "1.8"},
                   {"position", "2.4, 1.6, -0.4"},
                   {"target", "0, 0.2, 0"},
                   {"seen", "off"}});
            b.add("camera.lens", "Camera",
                  {{"position", "0.05, 0.55, 1.9"},
                   {"target", "0.02, 0.225, 0"},
                   {"focal_length", "60"},
                   {"focus", "1.9"},
                   {"f_stop", "8"},
                   {"ev100", "6"}});
            b.effect("effect.softbox", "Softboxes", {"Black ball"});
            b.set(b.find("Panel"), {{"color", "1, 0.86, 0.68"}});
            b.set(b.find("Strip"), {{"color", "0.62, 0.8, 1"}});
            return StarterContent{b.take(), {}};
          }};
}

} // namespace ilumbra
