// The still pool: a basin of water in which lamps are mirrored, and rings from a drop.
#include "demo/scene_builder.h"
#include "demo/set_parts.h"
#include "demo/starters.h"

namespace ilumbra {

Starter stillPoolStarter() {
  return {
      "still-pool", "Still pool", "A basin with rings from a drop: what water mirrors, and what is seen through it",
      [](const std::shared_ptr<const Kinds>& kinds) {
        SceneBuilder b(kinds);
        b.settings({{"width", "1280"},
                    {"height", "800"},
                    {"samples", "320"},
                    {"noise", "1.5 %"},
                    {"firefly_limit", "1"},
                    {"frame", "30"}});
        b.preset("Pool water", "Water");
        b.set(b.find("Pool water"),
              {{"attenuation_color", "0.5, 0.85, 0.82"}, {"attenuation_depth", "0.6"}, {"abbe", "0"}});
        b.preset("Basin slate", "Honed slate");
        b.set(b.find("Basin slate"), {{"base_color", "0.12, 0.125, 0.13"}});
        b.preset("Hall plaster", "Plaster");
        b.set(b.find("Hall plaster"), {{"base_color", "0.28, 0.26, 0.26"}});
        b.preset("Lamp brass", "Brushed brass");
        b.add("material.surface", "Lantern light",
              {{"base_color", "0.9, 0.85, 0.8"}, {"own_light", "14000"}, {"own_light_color", "1, 0.56, 0.22"}});
        const NodeId water =
            b.add("object.water", "Pool",
                  {{"width", "2.6"}, {"length", "2.2"}, {"depth", "0.28"}, {"material", "Pool water"}});
        b.add("water.ring", "Drop",
              {{"centre", "0.25, 0, 0.25"}, {"height", "4 mm"}, {"wavelength", "0.11"}, {"fade", "0.7"}},
              {water, "waves"});
        b.add("water.wave", "Breath", {{"height", "1.2 mm"}, {"wavelength", "0.42"}, {"direction", "25"}},
              {water, "waves"});
        b.add("water.wave", "Breath across", {{"height", "0.8 mm"}, {"wavelength", "0.27"}, {"direction", "-48"}},
              {water, "waves"});
        // The basin: walls a hair away from the water, so that no two faces lie in one place.
        b.add("object.box", "Basin floor",
              {{"width", "2.8"},
               {"height", "60 mm"},
               {"depth", "2.4"},
               {"position", "0, -0.312, 0"},
               {"material", "Basin slate"}});
        for (const auto& [name, place, width, depth] : {std::tuple{"Rim left", "-1.38, -0.11, 0", "0.155", "2.5"},
                                                        {"Rim right", "1.38, -0.11, 0", "0.155", "2.5"},
                                                        {"Rim front", "0, -0.11, 1.18", "2.92", "0.155"},
                                                        {"Rim back", "0, -0.11, -1.18", "2.92", "0.155"}})
          b.add("object.box", name,
                {{"width", width},
                 {"height", "0.36"},
                 {"depth", depth},
                 {"round", "12 mm"},
                 {"position", place},
                 {"material", "Basin slate"}});
        b.add("object.plane", "Floor",
              {{"width", "14"}, {"depth", "14"}, {"position", "0, -0.35, 0"}, {"material", "Basin slate"}});
        b.add("object.plane", "Back wall",
              {{"width", "14"},
               {"depth", "6"},
               {"position", "0, 2.2, -2.6"},
               {"turn", "90, 0, 0"},
               {"material", "Hall plaster"}});
        const NodeId column = b.add(
            "object.cylinder", "Column",
            {{"radius", "0.13"}, {"height", "3.4"}, {"position", "-1.8, 1.35, -1.9"}, {"material", "Hall plaster"}});
        b.add("modifier.repeat", "Colonnade", {{"count", "5"}, {"step", "0.9, 0, 0"}}, {column, "modifiers"});
        // Lanterns on a chain: what the path's copies carry, they take along.
        const NodeId line = b.add("object.path", "Chain line", {{"position", "0, 0, 0"}});
        for (const char* place : {"-1.7, 1.05, -1.55", "-0.6, 0.66, -1.45", "0.6, 0.62, -1.45", "1.7, 1.05, -1.55"})
          b.add("path.point", "Chain point", {{"place", place}}, {line, "points"});
        const NodeId bead = b.add("object.sphere", "Lantern", {{"radius", "42 mm"}, {"material", "Lantern light"}});
        b.add("modifier.repeat", "Along the chain",
              {{"arrangement", "along a path"},
               {"path", "Chain line"},
               {"count", "9"},
               {"step", "0.5, 0, 0"},
               {"facing", "off"}},
              {bead, "modifiers"});
        b.add("light.area", "Night window",
              {{"power", "800"},
               {"color", "0.36, 0.54, 1"},
               {"width", "1"},
               {"height", "2"},
               {"position", "3, 2.4, 1.6"},
               {"target", "0, 0, 0"},
               {"seen", "off"}});
        b.add("camera.lens", "Camera",
              {{"position", "0.1, 0.78, 3.05"},
               {"target", "0.02, 0.16, -0.3"},
               {"focal_length", "40"},
               {"focus", "3"},
               {"f_stop", "5.6"},
               {"ev100", "6.2"}});
        b.add("effect.glow", "Lantern glow", {{"from", "Lantern"}});
        b.add("lens.glow", "Lantern halo", {{"amount", "18 %"}, {"size", "8 %"}, {"sources", "Lantern glow"}});
        b.set(b.find("Lantern glow"), {{"lens", "Lantern halo"}});
        return StarterContent{b.take(), {}};
      }};
}

} // namespace ilumbra
