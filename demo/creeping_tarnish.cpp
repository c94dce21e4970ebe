// A brass globe whose tarnish turns it green along an ember line: a changeover.
#include "demo/scene_builder.h"
#include "demo/set_parts.h"
#include "demo/starters.h"

namespace ilumbra {

Starter creepingTarnishStarter() {
  return {"creeping-tarnish", "Creeping tarnish",
          "A brass globe turns green along an ember line, by one number from nothing to all",
          [](const std::shared_ptr<const Kinds>& kinds) {
            SceneBuilder b(kinds);
            b.settings({{"width", "1280"},
                        {"height", "800"},
                        {"samples", "256"},
                        {"noise", "2 %"},
                        {"firefly_limit", "1"},
                        {"first_frame", "1"},
                        {"last_frame", "96"}});
            addSlateTable(b);
            b.preset("Globe brass", "Polished brass");
            b.set(b.find("Globe brass"), {{"roughness", "0.28"}});
            b.preset("Stand bronze", "Weathered bronze");
            b.add("object.sphere", "Brass globe",
                  {{"radius", "0.2"}, {"position", "0, 0.29, 0"}, {"material", "Globe brass"}});
            b.add("object.torus", "Meridian",
                  {{"radius", "0.235"},
                   {"tube", "8 mm"},
                   {"position", "0, 0.29, 0"},
                   {"turn", "90, 0, 23"},
                   {"material", "Globe brass"}});
            b.add("object.cone", "Globe foot",
                  {{"radius", "0.12"},
                   {"top", "30 mm"},
                   {"height", "60 mm"},
                   {"position", "0, 0.03, 0"},
                   {"material", "Stand bronze"}});
            b.add("light.area", "Window",
                  {{"power", "1100"},
                   {"color", "1, 0.86, 0.7"},
                   {"width", "0.7"},
                   {"height", "1.3"},
                   {"position", "-1.5, 1.3, 1.1"},
                   {"target", "0, 0.25, 0"},
                   {"seen", "off"}});
            b.add("light.area", "Night window",
                  {{"power", "900"},
                   {"color", "0.36, 0.54, 1"},
                   {"width", "0.8"},
                   {"height", "1.8"},
                   {"position", "2, 1.5, -0.4"},
                   {"target", "0, 0.25, 0"},
                   {"seen", "off"}});
            b.add("light.sky", "Hall at night", {{"power", "5"}, {"color", "0.5, 0.62, 1"}});
            b.add("camera.lens", "Camera",
                  {{"position", "0.05, 0.5, 1.6"},
                   {"target", "0, 0.25, 0"},
                   {"focal_length", "62"},
                   {"focus", "1.45"},
                   {"f_stop", "8"},
                   {"ev100", "4.6"}});
            b.effect("effect.changeover", "Tarnish", {"Brass globe", "Meridian"});
            const NodeId zone = b.find("Brass globe changeover zone");
            b.set(b.find("Brass globe changeover light"), {{"own_light", "420"}});
            b.set(b.find("Brass globe changeover look"),
                  {{"base_color", "0.1, 0.36, 0.27"}, {"metalness", "0"}, {"roughness", "0.62"}});
            b.set(b.find("Brass globe changeover light"), {{"own_light_color", "1, 0.27, 0.04"}});
            b.set(b.find("Brass globe changeover rim"), {{"width", "14 mm"}});
            // Verdigris is nowhere of one green.
            b.add("pattern.noise", "Verdigris",
                  {{"scale", "70 mm"},
                   {"octaves", "5"},
                   {"contrast", "1.6"},
                   {"low", "0.035, 0.14, 0.11"},
                   {"high", "0.24, 0.56, 0.42"}});
            b.set(b.find("Brass globe changeover look"), {{"base_color", "pattern Verdigris"}});
            b.keys(zone, "share", {{1, "42 %"}, {96, "86 %"}});
            return StarterContent{b.take(), {}};
          }};
}

} // namespace ilumbra
