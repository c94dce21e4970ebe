// A basin by night: a lamp through rippled water onto its floor, and mirrored up onto the wall and the vault.
#include "demo/scene_builder.h"
#include "demo/starters.h"

namespace ilumbra {

Starter poolRipplesStarter() {
  return {
      "pool-ripples", "Pool ripples",
      "A still pool that a breath moves: light through it on the floor, and thrown up onto the wall; it moves without "
      "flicker",
      [](const std::shared_ptr<const Kinds>& kinds) {
        SceneBuilder b(kinds);
        b.settings({{"width", "1280"},
                    {"height", "800"},
                    {"samples", "192"},
                    {"noise", "1.5 %"},
                    {"firefly_limit", "1"},
                    {"frame", "30"}});
        b.preset("Pool water", "Water");
        b.set(b.find("Pool water"),
              {{"attenuation_color", "0.5, 0.87, 0.86"}, {"attenuation_depth", "1.6"}, {"abbe", "0"}});
        b.preset("Basin tile", "Porcelain");
        b.add("material.surface", "Basin stone", {{"base_color", "0.5, 0.53, 0.52"}, {"roughness", "0.6"}});
        b.add("material.surface", "Rim stone", {{"base_color", "0.28, 0.27, 0.26"}, {"roughness", "0.5"}});
        b.preset("Hall plaster", "Plaster");
        b.set(b.find("Hall plaster"), {{"base_color", "0.36, 0.34, 0.33"}});
        const NodeId water = b.add("object.water", "Pool",
                                   {{"width", "2.6"}, {"length", "2.2"}, {"depth", "0.6"}, {"material", "Pool water"}});
        for (const auto& [name, height, wave, way] : {std::tuple{"Breath", "5.5 mm", "0.5", "25"},
                                                      {"Breath across", "4 mm", "0.37", "-48"},
                                                      {"Breath back", "3 mm", "0.3", "110"},
                                                      {"Shiver", "0.7 mm", "0.17", "70"}})
          b.add("water.wave", name, {{"height", height}, {"wavelength", wave}, {"direction", way}}, {water, "waves"});
        b.add("object.box", "Basin floor",
              {{"width", "2.8"},
               {"height", "60 mm"},
               {"depth", "2.4"},
               {"position", "0, -0.632, 0"},
               {"material", "Basin stone"}});
        for (const auto& [name, place, width, depth] : {std::tuple{"Rim left", "-1.38, -0.27, 0", "0.155", "2.5"},
                                                        {"Rim right", "1.38, -0.27, 0", "0.155", "2.5"},
                                                        {"Rim front", "0, -0.27, 1.18", "2.92", "0.155"},
                                                        {"Rim back", "0, -0.27, -1.18", "2.92", "0.155"}})
          b.add("object.box", name,
                {{"width", width},
                 {"height", "0.68"},
                 {"depth", depth},
                 {"round", "12 mm"},
                 {"position", place},
                 {"material", "Rim stone"}});
        b.add("object.plane", "Floor",
              {{"width", "14"}, {"depth", "14"}, {"position", "0, -0.67, 0"}, {"material", "Rim stone"}});
        b.add("object.plane", "Back wall",
              {{"width", "14"},
               {"depth", "6"},
               {"position", "0, 2.2, -1.3"},
               {"turn", "90, 0, 0"},
               {"material", "Hall plaster"}});
        const NodeId column = b.add("object.cylinder", "Column",
                                    {{"radius", "0.13"},
                                     {"height", "3.4"},
                                     {"position", "-1.8, 1.35, -1.35"},
                                     {"material", "Hall plaster"},
                                     {"segments", "96"}});
        b.add("modifier.repeat", "Colonnade", {{"count", "5"}, {"step", "0.9, 0, 0"}}, {column, "modifiers"});
        b.add("light.spot", "High lamp",
              {{"power", "2300"},
               {"color", "1, 0.9, 0.72"},
               {"position", "0.35, 3.3, 0.6"},
               {"target", "0, 0, 0.35"},
               {"cone", "26"},
               {"edge", "15 %"},
               {"radius", "8 mm"}});
        // Low over the water: half of it is mirrored up onto the wall.
        b.add("light.spot", "Low lamp",
              {{"power", "3600"},
               {"color", "1, 0.8, 0.52"},
               {"position", "0.5, 0.95, 3.2"},
               {"target", "0, 0, -0.55"},
               {"cone", "13"},
               {"edge", "25 %"},
               {"radius", "10 mm"}});
        b.add("object.box", "Lintel",
              {{"width", "3"},
               {"height", "0.8"},
               {"depth", "20 mm"},
               {"position", "0.4, 1.225, 2.6"},
               {"material", "Rim stone"}}); // keeps its direct light off the wall
        b.add("light.area", "Night window",
              {{"power", "380"},
               {"color", "0.36, 0.54, 1"},
               {"width", "1"},
               {"height", "2"},
               {"position", "-3, 2.4, 1.6"},
               {"target", "0, 0.6, -1"},
               {"seen", "off"}});
        b.add("camera.lens", "Camera",
              {{"position", "-0.45, 1.5, 2.5"},
               {"target", "-0.03, 0.16, -0.55"},
               {"focal_length", "27"},
               {"focus", "3.2"},
               {"f_stop", "8"},
               {"ev100", "6.4"}});
        b.add("effect.caustics", "Ripples of light",
              {{"from", "High lamp, Low lamp"},
               {"through", "Pool"},
               {"edge", "80 %"},
               {"photons", "400000"},
               {"steady", "on"}});
        return StarterContent{b.take(), {}};
      }};
}

} // namespace ilumbra
