// The Orrery Hall: everything together.
#include "demo/jade_moon.h"
#include "demo/scene_builder.h"
#include "demo/set_parts.h"
#include "demo/starters.h"
#include "demo/sun_core.h"
#include "demo/veil_comet.h"

#include <cmath>
#include <fmt/format.h>

namespace ilumbra {
namespace {

std::string at(double x, double y, double z) { return fmt::format("{:.4f}, {:.4f}, {:.4f}", x, y, z); }

void addRing(SceneBuilder& b, const std::string& name, double radius, double tube, const std::string& turn,
             NodeId group) {
  b.add("object.torus", name.c_str(),
        {{"radius", fmt::format("{:.4f}", radius).c_str()},
         {"tube", fmt::format("{:.4f}", tube).c_str()},
         {"turn", turn.c_str()},
         {"material", "Warm brass"}},
        b.in(group));
}

} // namespace

Starter orreryHallStarter() {
  return {
      "orrery-hall", "Orrery Hall", "The museum hall at night around its brass planetarium",
      [](const std::shared_ptr<const Kinds>& kinds) {
        SceneBuilder b(kinds);
        b.settings({{"width", "1280"},
                    {"height", "720"},
                    {"samples", "256"},
                    {"firefly_limit", "1"},
                    {"first_frame", "1"},
                    {"last_frame", "240"}});
        addSunCore(b, "0, 0.42, 0");

        b.add("material.surface", "Honed slate",
              {{"base_color", "0.05, 0.055, 0.062"}, {"roughness", "0.30"}, {"ior", "1.6"}});
        b.add("material.surface", "Hall stone", {{"base_color", "0.40, 0.36, 0.33"}, {"roughness", "0.85"}});
        b.add("material.surface", "Dark floor", {{"base_color", "0.035, 0.032, 0.03"}, {"roughness", "0.22"}});
        b.add("material.surface", "Lab glass",
              {{"base_color", "1, 1, 1"},
               {"roughness", "0"},
               {"ior", "1.52"},
               {"transmission", "1"},
               {"attenuation_color", "0.62, 0.86, 0.97"},
               {"attenuation_depth", "120 mm"}});
        b.add("material.surface", "Amber glass",
              {{"base_color", "1, 1, 1"},
               {"roughness", "0.06"},
               {"ior", "1.54"},
               {"transmission", "1"},
               {"attenuation_color", "0.95, 0.42, 0.07"},
               {"attenuation_depth", "70 mm"}});
        b.preset("Moon jade", "Jade");
        b.set(b.find("Moon jade"), {{"subsurface_depth", "5 mm"}, {"subsurface_color", "0.2, 0.62, 0.3"}});
        b.add("material.surface", "Red garnet",
              {{"base_color", "1, 1, 1"},
               {"roughness", "0"},
               {"ior", "1.75"},
               {"transmission", "1"},
               {"attenuation_color", "0.75, 0.06, 0.08"},
               {"attenuation_depth", "40 mm"}});
        b.add("material.surface", "Bead light",
              {{"base_color", "0.8, 0.85, 0.9"},
               {"roughness", "0.4"},
               {"own_light", "5200"},
               {"own_light_color", "0.42, 0.75, 1"}});

        // The table and its planetarium.
        const NodeId table = b.add("object.group", "Table", {});
        b.add("object.cylinder", "Slate table",
              {{"radius", "1.25"}, {"height", "70 mm"}, {"position", "0, 0.015, 0"}, {"material", "Honed slate"}},
              b.in(table));
        b.add("object.torus", "Table band",
              {{"radius", "1.25"}, {"tube", "30 mm"}, {"position", "0, 0.012, 0"}, {"material", "Warm brass"}},
              b.in(table));
        b.add("object.cylinder", "Table drum",
              {{"radius", "0.62"}, {"height", "0.8"}, {"position", "0, -0.42, 0"}, {"material", "Dark bronze"}},
              b.in(table));
        const NodeId rings = b.add("object.group", "Orbit rings", {{"position", "0, 0.42, 0"}});
        addRing(b, "Orbit ring 1", 0.44, 0.0065, "9, 0, 6", rings);
        addRing(b, "Orbit ring 2", 0.64, 0.0075, "-7, 0, 10", rings);
        addRing(b, "Orbit ring 3", 0.86, 0.0085, "6, 0, -9", rings);
        addRing(b, "Orbit ring 4", 1.08, 0.0095, "-5, 0, -5", rings);

        const auto planet = [&](const char* name, const char* material, double ring, double angle, double radius,
                                double tiltX, double tiltZ, int turns) {
          // On the ring: turned about x, then z, as the ring is.
          const double a = angle * M_PI / 180, x = tiltX * M_PI / 180, z = tiltZ * M_PI / 180;
          double px = ring * std::cos(a), py = 0, pz = -ring * std::sin(a);
          const double y1 = py * std::cos(x) - pz * std::sin(x), z1 = py * std::sin(x) + pz * std::cos(x);
          const double x2 = px * std::cos(z) - y1 * std::sin(z), y2 = px * std::sin(z) + y1 * std::cos(z);
          // Round the sun with its ring, whole times in the loop.
          const std::string moved = fmt::format(
              R"({{"value": [{:.4f}, {:.4f}, {:.4f}],
                   "movers": [{{"kind": "orbit", "axis": [{:.5f}, {:.5f}, {:.5f}], "turns": {}, "period": 240}}]}})",
              x2, y2, z1, -std::cos(x) * std::sin(z), std::cos(x) * std::cos(z), std::sin(x), turns);
          b.add(
              "object.sphere", name,
              {{"radius", fmt::format("{:.4f}", radius).c_str()}, {"position", moved.c_str()}, {"material", material}},
              b.in(rings));
        };
        planet("Glass planet", "Lab glass", 0.86, 236, 0.125, 6, -9, 1);
        planet("Jade moon", "Moon jade", 0.86, 322, 0.088, 6, -9, 1);
        planet("Amber planet", "Amber glass", 0.64, 196, 0.07, -7, 10, 2);
        planet("Garnet planet", "Red garnet", 0.44, 300, 0.04, 9, 6, 3);
        planet("Brass globe", "Warm brass", 1.08, 352, 0.10, -5, -5, -1);
        planet("Brass moon", "Warm brass", 0.64, 40, 0.045, -7, 10, 2);
        planet("Pale planet", "Hall stone", 1.08, 150, 0.085, -5, -5, -1);

        addAlabasterUrn(b, "0.98, 0.05, -0.35");
        addVeilComet(b, "-1.32, 0.78, -1.2", "0, 10, 12");
        // Once round the hall in the loop, with its tail behind it, lower where the gyroscope hangs.
        b.set(b.find("Comet"),
              {{"position", R"({"value": [-1.32, 0.78, -1.2],
                                "movers": [{"kind": "orbit", "about": [0, 0.78, 0], "axis": [0.15, 0.97, -0.16],
                                            "turns": -1, "period": 240}]})"},
               {"turn", R"({"value": [0, 10, 12], "movers": [{"kind": "spin", "turns": -1, "period": 240}]})"}});

        // Lit beads along a chain, hung in a low curve between two columns.
        const NodeId chain = b.add("object.path", "Chain", {{"thickness", "1.5 mm"}, {"material", "Dark bronze"}});
        for (int i = 0; i <= 4; ++i) {
          const double x = -2.55 + 5.1 * i / 4, y = 1.55 - 0.62 * (1 - std::pow(0.5 * i - 1, 2));
          b.add("path.point", "Chain point", {{"place", at(x, y, -1.85).c_str()}}, {chain, "points"});
        }
        const NodeId bead = b.add("object.sphere", "Bead", {{"radius", "16 mm"}, {"material", "Bead light"}});
        b.add("modifier.repeat", "Along the chain",
              {{"arrangement", "along a path"},
               {"path", "Chain"},
               {"count", "15"},
               {"step", "0.5, 0, 0"},
               {"facing", "off"}},
              {bead, "modifiers"});

        // The gyroscope hangs between two columns; the hourglass bursts in front, with the sun behind it.
        addGyroscopeCage(b, "1.02, 0.98, -1.5", "0.72, 0.72, 0.72");
        b.set(b.find("Wires"), {{"detail", "0.6"}}); // small in the picture: a third of the facets
        b.add("object.cylinder", "Gyroscope cord",
              {{"radius", "3 mm"}, {"height", "1.6"}, {"position", "1.02, 2.07, -1.5"}, {"material", "Dark bronze"}});
        addBurstHourglass(b, "-0.24, 0.05, 0.8");
        b.set(b.find("Hourglass"), {{"size", "0.52, 0.52, 0.52"}, {"turn", "0, 40, 0"}});

        // The hall.
        const NodeId hall = b.add("object.group", "Hall", {});
        b.add("object.plane", "Floor",
              {{"width", "16"}, {"depth", "16"}, {"position", "0, -0.82, 0"}, {"material", "Dark floor"}}, b.in(hall));
        b.add("object.plane", "Back wall",
              {{"width", "16"},
               {"depth", "8"},
               {"position", "0, 2.2, -4.2"},
               {"turn", "90, 0, 0"},
               {"material", "Hall stone"}},
              b.in(hall));
        for (int i = 0; i < 6; ++i) {
          const double x = -4.25 + 1.7 * i;
          b.add("object.cylinder", "Column",
                {{"radius", "0.19"},
                 {"height", "4"},
                 {"position", at(x, 1.18, -2.4).c_str()},
                 {"material", "Hall stone"}},
                b.in(hall));
          b.add("object.torus", "Column foot",
                {{"radius", "0.2"},
                 {"tube", "60 mm"},
                 {"position", at(x, -0.76, -2.4).c_str()},
                 {"material", "Hall stone"}},
                b.in(hall));
          if (i < 5)
            b.add("object.torus", "Arch",
                  {{"radius", "0.85"},
                   {"tube", "90 mm"},
                   {"position", at(x + 0.85, 1.75, -2.4).c_str()},
                   {"turn", "90, 0, 0"},
                   {"material", "Hall stone"}},
                  b.in(hall));
        }

        b.add("light.area", "Night window",
              {{"power", "1400"},
               {"color", "0.34, 0.5, 1"},
               {"width", "1.4"},
               {"height", "3"},
               {"position", "-5.2, 3.2, 0.6"},
               {"target", "0.4, 0.2, -0.8"},
               {"seen", "off"}});
        b.add("light.spot", "Wall lamp",
              {{"power", "420"},
               {"color", "1, 0.62, 0.34"},
               {"position", "2.6, 3.1, -3.2"},
               {"target", "2.4, 0, -4.1"},
               {"cone", "38"},
               {"edge", "70 %"}});

        // Light that is gathered: by the glass planets and a brass ring on the table, and by water in a basin before
        // the wall.
        const NodeId ring = b.add("object.cylinder", "Slate ring",
                                  {{"radius", "0.125"},
                                   {"height", "34 mm"},
                                   {"capped", "off"},
                                   {"segments", "256"},
                                   {"position", "0.26, 0.0675, 0.72"},
                                   {"material", "Warm brass"}},
                                  b.in(table));
        b.add("modifier.shell", "Ring wall", {{"thickness", "3 mm"}}, {ring, "modifiers"});
        b.add("light.spot", "Table spot",
              {{"power", "560"},
               {"color", "1, 0.88, 0.7"},
               {"position", "-1.2, 1.55, 1.9"},
               {"target", "-0.45, 0.38, 0.64"},
               {"cone", "6.5"},
               {"edge", "70 %"},
               {"radius", "7 mm"}});
        b.add("light.spot", "Ring spot",
              {{"power", "130"},
               {"color", "1, 0.82, 0.58"},
               {"position", "1.75, 0.72, 1.55"},
               {"target", "0.24, 0.06, 0.7"},
               {"cone", "6"},
               {"edge", "60 %"},
               {"radius", "5 mm"}});
        b.add("effect.caustics", "Light on the slate",
              {{"from", "Table spot, Ring spot"},
               {"through", "Glass planet, Amber planet, Garnet planet, Slate ring"},
               {"onto", "Slate table"},
               {"edge", "50 %"}});
        b.preset("Basin water", "Water");
        b.set(b.find("Basin water"), {{"abbe", "0"}});
        const NodeId basin = b.add("object.group", "Basin", {{"position", "-1.75, -0.8, -3.5"}});
        const NodeId water = b.add("object.water", "Basin pool",
                                   {{"width", "1.5"},
                                    {"length", "1.1"},
                                    {"depth", "0.2"},
                                    {"position", "0, 0.24, 0"},
                                    {"material", "Basin water"}},
                                   b.in(basin));
        // As quick as gravity has them, but for what makes whole waves of the loop's ten seconds.
        for (const auto& [height, wave, way, speed] : {std::tuple{"3.4 mm", "0.42", "25", "0.798"},
                                                       {"2.6 mm", "0.31", "-48", "0.682"},
                                                       {"1.8 mm", "0.23", "110", "0.598"}})
          b.add("water.wave", "", {{"height", height}, {"wavelength", wave}, {"direction", way}, {"wave_speed", speed}},
                {water, "waves"});
        b.add("object.box", "Basin bed",
              {{"width", "1.66"},
               {"height", "40 mm"},
               {"depth", "1.26"},
               {"position", "0, 0.015, 0"},
               {"material", "Hall stone"}},
              b.in(basin));
        for (const auto& [place, width, depth] : {std::tuple{"-0.81, 0.13, 0", "0.1", "1.32"},
                                                  {"0.81, 0.13, 0", "0.1", "1.32"},
                                                  {"0, 0.13, 0.61", "1.52", "0.1"},
                                                  {"0, 0.13, -0.61", "1.52", "0.1"}})
          b.add("object.box", "Basin rim",
                {{"width", width},
                 {"height", "0.3"},
                 {"depth", depth},
                 {"round", "8 mm"},
                 {"position", place},
                 {"material", "Hall stone"}},
                b.in(basin));
        b.add("light.spot", "Basin lamp",
              {{"power", "900"},
               {"color", "0.8, 0.92, 1"},
               {"position", "-1.25, 0.62, -1.45"},
               {"target", "-1.75, -0.56, -3.5"},
               {"cone", "9"},
               {"edge", "40 %"},
               {"radius", "10 mm"},
               {"seen", "off"}});
        b.add("effect.caustics", "Ripples on the wall",
              {{"from", "Basin lamp"},
               {"through", "Basin pool"},
               {"onto", "Back wall"},
               {"light", "mirrored"},
               {"edge", "75 %"},
               {"steady", "on"}});

        // A lamp that swings before the columns.
        const NodeId pendulum =
            b.add("object.group", "Pendulum", {{"position", "-1.12, 1.98, -1.6"}, {"turn", R"({"value": [0, 0, 0],
                          "movers": [{"kind": "swing", "amplitude": 14, "period": 60, "axis": "own z", "phase": 0.25}]})"}});
        b.add("object.cylinder", "Pendulum cord",
              {{"radius", "4 mm"}, {"height", "1.1"}, {"position", "0, -0.55, 0"}, {"material", "Dark bronze"}},
              b.in(pendulum));
        b.add("object.cone", "Pendulum hood",
              {{"radius", "0.12"},
               {"top", "16 mm"},
               {"height", "0.14"},
               {"capped", "off"},
               {"position", "0, -1.13, 0"},
               {"material", "Warm brass"}},
              b.in(pendulum));
        b.add("light.spot", "Pendulum light",
              {{"power", "260"},
               {"color", "1, 0.74, 0.45"},
               {"radius", "18 mm"},
               {"cone", "48"},
               {"edge", "20 %"},
               {"position", "0, -1.16, 0"},
               {"target", "0, -2.4, 0"}},
              b.in(pendulum));
        // Mist along the floor, before everything: a plate, which takes no ray.
        const NodeId mist = b.add("pattern.mist", "Hall mist",
                                  {{"height", "0.3"},
                                   {"base", "-0.06"},
                                   {"heavier", "1.2"},
                                   {"broken", "90 %"},
                                   {"wisps", "90 %"},
                                   {"space", "camera"}});
        b.add("mist.layer", "Mist bank", {{"scale", "0.5"}, {"octaves", "5"}, {"drift", "0.03, 0, 0"}, {"loop", "240"}},
              {mist, "layers"});
        b.add("mist.layer", "Mist wisps",
              {{"family", "rolling"},
               {"scale", "0.22"},
               {"strength", "60 %"},
               {"seed", "9"},
               {"drift", "0.06, 0.003, 0"},
               {"loop", "240"}},
              {mist, "layers"});
        b.add("plate.picture", "Mist plate",
              {{"shows", "colour"},
               {"color", "0.15, 0.17, 0.21"},
               {"coverage", "pattern Hall mist"},
               {"lies", "in front"}});

        b.add("camera.lens", "Hall wide",
              {{"position", "0.55, 1.02, 3.35"},
               {"target", "0.0, 0.36, 0"},
               {"focal_length", "50"},
               {"focus", "3.2"},
               {"f_stop", "5.6"},
               {"ev100", "5.4"}});
        b.add("camera.lens", "Glass planet close",
              {{"position", "-0.25, 0.62, 1.75"},
               {"target", "-0.4, 0.40, 0.55"},
               {"focal_length", "70"},
               {"focus", "1.15"},
               {"f_stop", "2.8"},
               {"ev100", "5.4"}});

        b.add("effect.glow", "Sun core glow", {{"from", "Sun core"}});
        b.add("lens.glow", "Sun halo",
              {{"amount", "24 %"}, {"size", "17 %"}, {"falloff", "0.85"}, {"sources", "Sun core glow"}});
        b.set(b.find("Sun core glow"), {{"lens", "Sun halo"}});
        b.add("effect.glow", "Bead glow", {{"from", "Bead light"}});
        b.add("lens.glow", "Bead halo",
              {{"amount", "35 %"}, {"size", "5 %"}, {"falloff", "1"}, {"sources", "Bead glow"}});
        b.set(b.find("Bead glow"), {{"lens", "Bead halo"}});
        b.add("effect.glow", "Comet glow", {{"from", "Heart"}});
        b.add("lens.glow", "Comet halo", {{"amount", "25 %"}, {"size", "6 %"}, {"sources", "Comet glow"}});
        b.set(b.find("Comet glow"), {{"lens", "Comet halo"}});
        b.add("effect.glow", "Fire glow", {{"from", "Fire"}});
        b.add("lens.glow", "Fire halo", {{"amount", "14 %"}, {"size", "5 %"}, {"sources", "Fire glow"}});
        b.set(b.find("Fire glow"), {{"lens", "Fire halo"}});
        // Looks that are laid over things: tarnish on the ring, algae in the basin, a chart of light.
        b.effect("effect.changeover", "Ring tarnish", {"Slate ring"});
        // It creeps on, and draws back.
        b.keys(b.find("Slate ring changeover zone"), "share", {{1, "55 %"}, {121, "92 %"}, {241, "55 %"}});
        b.set(b.find("Slate ring changeover sparkle"), {{"loop", "240"}});
        b.set(b.find("Slate ring changeover look"),
              {{"base_color", "0.13, 0.34, 0.28"}, {"metalness", "0"}, {"roughness", "0.7"}});
        b.set(b.find("Slate ring changeover light"), {{"own_light", "1500"}, {"own_light_color", "1, 0.3, 0.05"}});
        b.add("object.card", "Star chart",
              {{"file", "orrery-assets/star-map.ppm"},
               {"height", "0.42"},
               {"stands", "about its middle"},
               {"position", "0.5, 0.8, -1.5"},
               {"turn", "0, -6, 0"}});
        b.effect("effect.lit_panel", "Lit chart", {"Star chart"});
        b.effect("effect.contact_line", "Algae line",
                 {"Basin pool", "Basin rim", "Basin rim 2", "Basin rim 3", "Basin rim 4"});
        return StarterContent{b.take(),
                              {{"orrery-assets/star-map.ppm", starMap()},
                               {"orrery-assets/pierced-shade.glb", piercedShadeFile()},
                               {"orrery-assets/alabaster-urn.glb", alabasterUrnFile()}}};
      }};
}

} // namespace ilumbra
