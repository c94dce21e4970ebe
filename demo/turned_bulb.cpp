// The turned bulb: a drawn line turned about its axis, with a wall, a cap, and a glowing wire inside.
#include "demo/scene_builder.h"
#include "demo/set_parts.h"
#include "demo/starters.h"

#include <cmath>
#include <fmt/format.h>

namespace ilumbra {

Starter turnedBulbStarter() {
  return {
      "turned-bulb", "Turned bulb",
      "A drawn line turned into a bulb with a wall, a wire along a path inside it, and three more on a rail",
      [](const std::shared_ptr<const Kinds>& kinds) {
        SceneBuilder b(kinds);
        b.settings(
            {{"width", "1280"}, {"height", "800"}, {"samples", "320"}, {"noise", "1.5 %"}, {"firefly_limit", "1"}});
        addSlateTable(b);
        b.preset("Bulb glass", "Crown glass");
        b.set(b.find("Bulb glass"),
              {{"attenuation_color", "1, 0.86, 0.62"}, {"attenuation_depth", "40 mm"}, {"abbe", "0"}});
        b.preset("Cap brass", "Brushed brass");
        b.preset("Bakelite", "Black lacquer");
        b.set(b.find("Bakelite"), {{"base_color", "0.03, 0.02, 0.018"}});
        b.add("material.surface", "Hot wire",
              {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "26000"}, {"own_light_color", "1, 0.52, 0.18"}});
        // The bulb hangs in a socket; all of it is one group that the repeat takes along a rail.
        const NodeId lamp = b.add("object.group", "Lamp", {{"position", "-0.36, 0.62, -0.05"}});
        const NodeId bulb =
            b.add("object.turned", "Bulb",
                  {{"wall", "1.2 mm"}, {"ends", "as drawn"}, {"position", "0, -0.235, 0"}, {"material", "Bulb glass"}},
                  b.in(lamp));
        for (const auto& [radius, height] : {std::pair{"0", "0"},
                                             {"0.042", "0.012"},
                                             {"0.068", "0.062"},
                                             {"0.05", "0.125"},
                                             {"0.026", "0.17"},
                                             {"0.022", "0.215"}})
          b.add("profile.point", "Bulb point", {{"radius", radius}, {"height", height}}, {bulb, "profile"});
        b.add("object.cylinder", "Cap",
              {{"radius", "24 mm"},
               {"height", "40 mm"},
               {"round", "3 mm"},
               {"position", "0, 0, 0"},
               {"material", "Cap brass"}},
              b.in(lamp));
        b.add("object.cylinder", "Socket",
              {{"radius", "30 mm"},
               {"height", "50 mm"},
               {"round", "8 mm"},
               {"position", "0, 0.04, 0"},
               {"material", "Bakelite"}},
              b.in(lamp));
        b.add("object.cylinder", "Cord",
              {{"radius", "4 mm"}, {"height", "0.5"}, {"position", "0, 0.31, 0"}, {"material", "Bakelite"}},
              b.in(lamp));
        const NodeId wire =
            b.add("object.path", "Wire",
                  {{"thickness", "1.1 mm"}, {"position", "0, -0.235, 0"}, {"material", "Hot wire"}}, b.in(lamp));
        for (int i = 0; i <= 9; ++i) {
          const double a = i * 1.4, r = i == 0 || i == 9 ? 0.008 : 0.022;
          b.add("path.point", "Wire point",
                {{"place",
                  fmt::format("{:.4f}, {:.4f}, {:.4f}", r * std::cos(a), (i % 2 ? 0.055 : 0.125), r * std::sin(a))
                      .c_str()}},
                {wire, "points"});
        }
        b.add("modifier.repeat", "Along the rail", {{"count", "3"}, {"step", "0.36, 0, 0"}}, {lamp, "modifiers"});
        b.add("light.area", "Night window",
              {{"power", "900"},
               {"color", "0.4, 0.56, 1"},
               {"width", "0.8"},
               {"height", "1.8"},
               {"position", "2, 1.5, 1.2"},
               {"target", "0, 0.3, 0"},
               {"seen", "off"}});
        b.preset("Bench brass", "Polished brass");
        b.add("object.sphere", "Brass ball",
              {{"radius", "70 mm"}, {"position", "0.22, 0.07, 0.22"}, {"material", "Bench brass"}});
        b.add("object.knot", "Brass knot",
              {{"radius", "70 mm"},
               {"winding", "28 mm"},
               {"tube", "13 mm"},
               {"position", "-0.26, 0.05, 0.22"},
               {"material", "Bench brass"}});
        b.add("camera.lens", "Camera",
              {{"position", "0.3, 0.5, 1.5"},
               {"target", "0.01, 0.31, 0"},
               {"focal_length", "44"},
               {"focus", "1.55"},
               {"f_stop", "5.6"},
               {"ev100", "5"}});
        b.add("effect.glow", "Wire glow", {{"from", "Wire"}});
        b.add("lens.glow", "Wire halo",
              {{"amount", "10 %"}, {"size", "6 %"}, {"falloff", "1"}, {"sources", "Wire glow"}});
        b.set(b.find("Wire glow"), {{"lens", "Wire halo"}});
        return StarterContent{b.take(), {}};
      }};
}

} // namespace ilumbra
