// Glow-algae round a sundial's foot: a contact line on water that runs.
#include "demo/scene_builder.h"
#include "demo/starters.h"

namespace ilumbra {

Starter glowAlgaeStarter() {
  return {"glow-algae", "Glow-algae",
          "Algae that glow where stones and a sundial's foot stand in water: the line follows the waves",
          [](const std::shared_ptr<const Kinds>& kinds) {
            SceneBuilder b(kinds);
            b.settings({{"width", "1280"},
                        {"height", "720"},
                        {"samples", "256"},
                        {"noise", "2 %"},
                        {"firefly_limit", "1"},
                        {"first_frame", "1"},
                        {"last_frame", "96"}});
            b.add("material.surface", "Night water", {{"base_color", "0.012, 0.02, 0.026"}, {"roughness", "0.05"}});
            b.preset("Dial stone", "Honed slate");
            b.set(b.find("Dial stone"), {{"base_color", "0.3, 0.28, 0.25"}, {"roughness", "0.6"}});
            b.preset("Dial bronze", "Weathered bronze");
            b.preset("Dial brass", "Brushed brass");
            b.add("object.water", "Pool",
                  {{"width", "9"}, {"length", "9"}, {"depth", "0"}, {"state", "ripples"}, {"material", "Night water"}});
            const NodeId dial = b.add("object.group", "Sundial", {});
            b.add("object.cylinder", "Dial foot",
                  {{"radius", "0.13"}, {"height", "0.9"}, {"position", "0, 0, 0"}, {"material", "Dial stone"}},
                  b.in(dial));
            b.add("object.cylinder", "Dial collar",
                  {{"radius", "0.19"},
                   {"height", "60 mm"},
                   {"round", "8 mm"},
                   {"position", "0, 0.47, 0"},
                   {"material", "Dial stone"}},
                  b.in(dial));
            b.add("object.cylinder", "Dial plate",
                  {{"radius", "0.3"},
                   {"height", "26 mm"},
                   {"round", "5 mm"},
                   {"position", "0, 0.513, 0"},
                   {"material", "Dial bronze"}},
                  b.in(dial));
            b.add("object.torus", "Dial rim",
                  {{"radius", "0.285"}, {"tube", "9 mm"}, {"position", "0, 0.527, 0"}, {"material", "Dial brass"}},
                  b.in(dial));
            b.add("object.cone", "Gnomon",
                  {{"radius", "14 mm"},
                   {"top", "3 mm"},
                   {"height", "0.34"},
                   {"position", "-0.03, 0.64, 0"},
                   {"turn", "0, 0, 42"},
                   {"material", "Dial brass"}},
                  b.in(dial));
            const NodeId stones = b.add("object.group", "Stones", {});
            const auto stone = [&](const char* at, const char* size, const char* turn) {
              b.add("object.sphere", "Stone",
                    {{"radius", "0.2"}, {"position", at}, {"size", size}, {"turn", turn}, {"material", "Dial stone"}},
                    b.in(stones));
            };
            stone("0.62, -0.02, 0.3", "1, 0.5, 0.8", "0, 20, 6");
            stone("0.95, -0.03, -0.25", "0.7, 0.45, 0.9", "4, 60, 0");
            stone("-0.75, -0.02, -0.35", "1.2, 0.55, 0.8", "0, -30, -5");
            stone("-0.5, -0.04, 0.62", "0.6, 0.45, 0.5", "0, 10, 0");
            b.add("light.area", "Moon",
                  {{"power", "300"},
                   {"color", "0.6, 0.74, 1"},
                   {"width", "1.2"},
                   {"height", "1.2"},
                   {"position", "-2.6, 3.4, 2.2"},
                   {"target", "0, 0.3, 0"},
                   {"seen", "off"}});
            b.add("light.sky", "Night", {{"power", "0.35"}, {"color", "0.28, 0.42, 0.85"}});
            b.add("camera.lens", "Camera",
                  {{"position", "0.5, 0.85, 2.7"},
                   {"target", "0.02, 0.2, 0"},
                   {"focal_length", "46"},
                   {"focus", "2.7"},
                   {"f_stop", "5.6"},
                   {"ev100", "2.6"}});
            b.effect("effect.contact_line", "Algae line", {"Pool", "Sundial", "Stones"});
            b.set(b.find("Pool contact line edge"), {{"reach", "0.16"}, {"broken", "140 %"}, {"edge", "90 %"}});
            b.set(b.find("Pool contact line foam"),
                  {{"base_color", "0.02, 0.08, 0.06"}, {"own_light", "22"}, {"own_light_color", "0.05, 0.95, 0.62"}});
            b.set(b.find("Pool contact line flecks"), {{"scale", "0.09"}, {"space", "world"}});
            b.set(b.find("Pool contact line bubbles"), {{"pitch", "0.036"}, {"space", "world"}});
            b.effect("effect.glow", "Algae glow", {});
            b.set(b.find("Algae glow"), {{"from", "Pool contact line foam"}});
            return StarterContent{b.take(), {}};
          }};
}

} // namespace ilumbra
