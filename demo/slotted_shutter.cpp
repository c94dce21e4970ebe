// The slotted shutter: six slots in a wall, a lit courtyard behind, and dusty air that shows the light in their shape.
#include "demo/scene_builder.h"
#include "demo/starters.h"

#include <fmt/format.h>

namespace ilumbra {

Starter slottedShutterStarter() {
  return {
      "slotted-shutter", "Slotted shutter", "Light through six slots, as shafts in the dust of a dark room",
      [](const std::shared_ptr<const Kinds>& kinds) {
        SceneBuilder b(kinds);
        b.settings({{"width", "960"}, {"height", "600"}, {"samples", "128"}, {"noise", "2 %"}, {"firefly_limit", "1"}});
        b.preset("Hall plaster", "Plaster");
        b.set(b.find("Hall plaster"), {{"base_color", "0.3, 0.27, 0.24"}});
        b.add("material.surface", "Shutter wood", {{"base_color", "0.16, 0.085, 0.045"}, {"roughness", "0.5"}});
        b.preset("Floor slate", "Honed slate");
        b.preset("Sill brass", "Brushed brass");
        b.add("object.plane", "Floor",
              {{"width", "8"}, {"depth", "8"}, {"position", "0, 0, 0"}, {"material", "Floor slate"}});
        b.add("object.plane", "Back wall",
              {{"width", "8"},
               {"depth", "4"},
               {"position", "0, 1.8, -2"},
               {"turn", "90, 0, 0"},
               {"material", "Hall plaster"}});
        // The wall with the window, at x = -1.6, and the shutter's seven slats, turned a little as such slats are.
        for (const auto& [name, height, depth, y, z] : {std::tuple{"Wall below", "0.9", "5", "0.45", "0"},
                                                        {"Wall above", "1.8", "5", "3", "0"},
                                                        {"Wall left", "1.2", "1.4", "1.5", "-1.4"},
                                                        {"Wall right", "1.2", "2", "1.5", "1.7"}})
          b.add("object.box", name,
                {{"width", "0.16"},
                 {"height", height},
                 {"depth", depth},
                 {"position", fmt::format("-1.6, {}, {}", y, z).c_str()},
                 {"material", "Hall plaster"}});
        const NodeId slat = b.add("object.box", "Slat",
                                  {{"width", "60 mm"},
                                   {"height", "95 mm"},
                                   {"depth", "1.4"},
                                   {"round", "4 mm"},
                                   {"position", "-1.6, 0.95, 0"},
                                   {"material", "Shutter wood"}});
        b.add("modifier.repeat", "Slats", {{"count", "7"}, {"step", "0, 0.183, 0"}}, {slat, "modifiers"});
        // The courtyard's light, high outside; it reaches the room through the shutter alone.
        b.add("light.area", "Courtyard",
              {{"power", "420000"},
               {"color", "1, 0.83, 0.58"},
               {"form", "disc"},
               {"width", "0.22"},
               {"height", "0.22"},
               {"spread", "25"},
               {"position", "-7.2, 4.9, 0.35"},
               {"target", "-1.6, 1.4, 0"},
               {"seen", "off"}});
        b.add("light.area", "Night window",
              {{"power", "260"},
               {"color", "0.4, 0.56, 1"},
               {"width", "1.6"},
               {"height", "1.2"},
               {"position", "2.6, 3, 3.2"},
               {"target", "0, 0.6, -0.6"},
               {"seen", "off"}});
        // What stands in the light.
        b.add("object.cylinder", "Pedestal",
              {{"radius", "0.2"},
               {"height", "0.62"},
               {"position", "0.1, 0.31, -0.2"},
               {"material", "Hall plaster"},
               {"segments", "128"}});
        b.add("object.sphere", "Globe",
              {{"radius", "0.19"}, {"position", "0.1, 0.87, -0.2"}, {"material", "Sill brass"}});
        b.add("object.torus", "Meridian",
              {{"radius", "0.235"},
               {"tube", "9 mm"},
               {"position", "0.1, 0.87, -0.2"},
               {"turn", "90, 0, 23"},
               {"material", "Sill brass"}});
        const NodeId opening = b.add("object.path", "Shutter opening", {{"closed", "on"}, {"thickness", "0"}});
        for (const char* p : {"-1.52, 0.9, -0.7", "-1.52, 0.9, 0.7", "-1.52, 2.1, 0.7", "-1.52, 2.1, -0.7"})
          b.add("path.point", "Corner", {{"place", p}, {"sharp", "on"}}, {opening, "points"});
        b.add("air.beam", "Shutter shafts",
              {{"light", "Courtyard"},
               {"opening", "Shutter opening"},
               {"reach", "5.5"},
               {"edge", "0"},
               {"fade", "45 %"},
               {"density", "0.22"},
               {"color", "1, 0.98, 0.95"},
               {"anisotropy", "0.45"}});
        b.add("camera.lens", "Camera",
              {{"position", "1.9, 1.25, 3.4"},
               {"target", "-0.35, 1.02, -0.3"},
               {"focal_length", "32"},
               {"focus", "3.8"},
               {"f_stop", "8"},
               {"ev100", "7.4"}});
        b.add("effect.shafts", "Courtyard shafts",
              {{"from", "Courtyard"}, {"through", "Shutter shafts"}, {"onto", "Globe"}});
        return StarterContent{b.take(), {}};
      }};
}

} // namespace ilumbra
