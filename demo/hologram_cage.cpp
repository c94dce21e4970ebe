// The gyroscope cage as a hologram over its projector: veils, one flat colour, glow, and bands that cut both.
#include "demo/scene_builder.h"
#include "demo/set_parts.h"
#include "demo/starters.h"

#include <fmt/format.h>

namespace ilumbra {

Starter hologramCageStarter() {
  return {"hologram-cage", "Hologram",
          "The gyroscope cage thrown into the air: veils, silhouette, glow and bands, whose order can be turned about",
          [](const std::shared_ptr<const Kinds>& kinds) {
            SceneBuilder b(kinds);
            b.settings(
                {{"width", "1280"}, {"height", "800"}, {"samples", "192"}, {"noise", "1.5 %"}, {"firefly_limit", "1"}});
            addSlateTable(b);
            const auto veil = [&](const char* name, const char* light, const char* colour,
                                  std::initializer_list<std::pair<const char*, const char*>> keys) {
              const NodeId m = b.add("material.surface", name,
                                     {{"base_color", "0, 0, 0"},
                                      {"ior", "1"},
                                      {"veil_additive", "100 %"},
                                      {"own_light", light},
                                      {"own_light_color", colour}});
              for (const auto& [angle, opacity] : keys)
                b.add("veil.key", "Veil key", {{"angle", angle}, {"opacity", opacity}}, {m, "veil", size_t(-1)});
            };
            veil("Thrown light", "95", "0.16, 0.85, 0.8", {{"0", "0.08"}, {"55", "0.25"}, {"90", "1"}});
            veil("Thrown heart", "120", "0.35, 1, 0.9", {{"0", "0.55"}, {"60", "0.3"}, {"90", "0.9"}});
            const NodeId figure = b.add("object.group", "Figure", {{"position", "0, 0.5, 0"}, {"turn", "0, 20, 8"}});
            const auto ring = [&](const char* name, const char* radius, const char* tube, const char* turn) {
              b.add("object.torus", name,
                    {{"radius", radius},
                     {"tube", tube},
                     {"segments", "180"},
                     {"sides", "32"},
                     {"turn", turn},
                     {"material", "Thrown light"},
                     {"casts_shadow", "off"}},
                    b.in(figure));
            };
            ring("Outer ring", "0.34", "16 mm", "90, 0, 0");
            ring("Middle ring", "0.28", "15 mm", "24, 0, 62");
            ring("Inner ring", "0.22", "14 mm", "-30, 40, 20");
            b.add("object.sphere", "Thrown core",
                  {{"radius", "62 mm"}, {"material", "Thrown heart"}, {"casts_shadow", "off"}}, b.in(figure));
            for (int i = 0; i < 3; ++i)
              b.add("object.torus", fmt::format("Path {}", i + 1).c_str(),
                    {{"radius", fmt::format("{}", 0.13 + 0.035 * i).c_str()},
                     {"tube", "2.5 mm"},
                     {"segments", "160"},
                     {"sides", "16"},
                     {"turn", fmt::format("{}, {}, {}", 18 + 31 * i, 40 * i, 12 - 27 * i).c_str()},
                     {"material", "Thrown light"},
                     {"casts_shadow", "off"}},
                    b.in(figure));
            // The projector: a brass dish with a lamp under its lens.
            b.preset("Dish brass", "Polished brass");
            b.add("object.cylinder", "Dish",
                  {{"radius", "0.17"},
                   {"height", "34 mm"},
                   {"round", "8 mm"},
                   {"position", "0, 0.017, 0"},
                   {"material", "Dish brass"}});
            b.add("object.torus", "Dish rim",
                  {{"radius", "0.155"}, {"tube", "8 mm"}, {"position", "0, 0.036, 0"}, {"material", "Dish brass"}});
            b.add("material.surface", "Lens light",
                  {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "140"}, {"own_light_color", "0.2, 1, 0.9"}});
            b.add("object.sphere", "Dish lens",
                  {{"radius", "34 mm"}, {"position", "0, 0.03, 0"}, {"material", "Lens light"}});
            b.add("light.point", "Spill",
                  {{"power", "26"},
                   {"color", "0.25, 1, 0.9"},
                   {"position", "0, 0.34, 0"},
                   {"radius", "0.12"},
                   {"seen", "off"}});
            b.add("light.area", "Night window",
                  {{"power", "900"},
                   {"color", "0.38, 0.56, 1"},
                   {"width", "0.9"},
                   {"height", "2"},
                   {"position", "-2.3, 1.7, 1.4"},
                   {"target", "0, 0.4, 0"},
                   {"seen", "off"}});
            b.add("camera.lens", "Camera",
                  {{"position", "0.5, 0.72, 2.4"},
                   {"target", "0, 0.42, 0"},
                   {"focal_length", "52"},
                   {"focus", "2.45"},
                   {"f_stop", "5.6"},
                   {"ev100", "4.4"}});
            b.add("effect.hologram", "Hologram", {{"through", "Figure"}, {"from", "Thrown light, Thrown heart"}});
            b.add("lens.glow", "Aura",
                  {{"amount", "40 %"},
                   {"size", "7 %"},
                   {"falloff", "0.9"},
                   {"saturation", "130 %"},
                   {"sources", "Hologram"}});
            b.add("lens.bands", "Scan",
                  {{"width", "0.6 %"},
                   {"gap", "0.4 %"},
                   {"between", "0.12, 0.2, 0.2"},
                   {"drift", "4 %"},
                   {"roll_depth", "-80 %"},
                   {"roll_width", "12 %"},
                   {"roll_speed", "25 %"},
                   {"sources", "Hologram"}});
            b.add(
                "lens.flicker", "Waver",
                {{"depth", "14 %"}, {"rate", "9"}, {"drops", "6 %"}, {"drop_depth", "40 %"}, {"sources", "Hologram"}});
            b.set(b.find("Hologram"), {{"lens", "Aura, Scan, Waver"}});
            return StarterContent{b.take(), {}};
          }};
}

} // namespace ilumbra
