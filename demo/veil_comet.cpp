// A comet of veils: ghost.
#include "demo/veil_comet.h"

#include "demo/scene_builder.h"
#include "demo/starters.h"

#include <fmt/format.h>

namespace ilumbra {

void addVeilComet(SceneBuilder& b, const char* position, const char* turn) {
  const NodeId comet = b.add("object.group", "Comet", {{"position", position}, {"turn", turn}});
  // Along the comet, in its own metres: bright at the head, gone at the end of the tail.
  b.add("pattern.ramp", "Comet light",
        {{"along", "line"}, {"space", "object"}, {"start", "-1, 0, 0"}, {"end", "1, 0, 0"}});
  const auto key = [&](const char* place, const char* color) {
    b.add("ramp.key", "Comet key", {{"place", place}, {"color", color}, {"passage", "smooth"}},
          {b.find("Comet light"), "keys", size_t(-1)});
  };
  key("0", "0.75, 0.95, 1");
  key("0.18", "0.35, 0.72, 0.95");
  key("0.5", "0.1, 0.25, 0.55");
  key("0.8", "0.02, 0.03, 0.12");
  key("1", "0, 0, 0");
  const auto veil = [&](const char* name, const char* light,
                        std::initializer_list<std::pair<const char*, const char*>> keys) {
    const NodeId m = b.add("material.surface", name,
                           {{"base_color", "0, 0, 0"},
                            {"ior", "1"},
                            {"veil_additive", "100 %"},
                            {"veil_front", "on"},
                            {"own_light", light},
                            {"own_light_color", "pattern Comet light"}});
    for (const auto& [angle, opacity] : keys)
      b.add("veil.key", "Veil key", {{"angle", angle}, {"opacity", opacity}}, {m, "veil", size_t(-1)});
  };
  veil("Outer veil", "220", {{"0", "0.02"}, {"60", "0.1"}, {"90", "0.9"}});
  veil("Inner veil", "420", {{"0", "0.05"}, {"50", "0.16"}, {"90", "0.8"}});
  veil("Heart veil", "900", {{"0", "0.5"}, {"90", "0.05"}});
  b.add("material.surface", "Comet heart",
        {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "9000"}, {"own_light_color", "0.8, 0.95, 1"}});
  // Balls of radius 1 drawn out: their ramp runs over each from end to end.
  const auto shell = [&](const char* name, const char* material, double head, double length, double width,
                         double roll) {
    b.add("object.sphere", name,
          {{"radius", "1"},
           {"position", fmt::format("{:.3f}, 0, 0", 0.5 * length - head).c_str()},
           {"size", fmt::format("{:.3f}, {:.3f}, {:.3f}", 0.5 * length, width, 0.8 * width).c_str()},
           {"turn", fmt::format("{:.0f}, 0, 0", roll).c_str()},
           {"material", material},
           {"casts_shadow", "off"}},
          b.in(comet));
  };
  shell("Outer shell", "Outer veil", 0.17, 1.35, 0.165, 0);
  shell("Second shell", "Outer veil", 0.135, 1.1, 0.125, 50);
  shell("Third shell", "Inner veil", 0.1, 0.8, 0.092, 110);
  shell("Fourth shell", "Inner veil", 0.075, 0.5, 0.066, 30);
  shell("Heart shell", "Heart veil", 0.05, 0.2, 0.048, 0);
  b.add("object.sphere", "Heart", {{"radius", "17 mm"}, {"material", "Comet heart"}}, b.in(comet));
}

Starter veilCometStarter() {
  return {
      "veil-comet", "Comet of veils",
      "A ghost made of veils: clear straight on, bright at the rim, adding light and hiding nothing",
      [](const std::shared_ptr<const Kinds>& kinds) {
        SceneBuilder b(kinds);
        b.settings({{"width", "1280"}, {"height", "800"}, {"samples", "256"}, {"noise", "1.5 %"}});
        b.preset("Table slate", "Honed slate");
        b.set(b.find("Table slate"), {{"roughness", "0.2"}});
        b.preset("Stand brass", "Polished brass");
        b.preset("Hall plaster", "Plaster");
        b.set(b.find("Hall plaster"), {{"base_color", "0.14, 0.14, 0.15"}});
        b.add("object.cylinder", "Table",
              {{"radius", "1.5"},
               {"height", "60 mm"},
               {"position", "0, -0.03, 0"},
               {"material", "Table slate"},
               {"segments", "256"}});
        b.add("object.plane", "Back wall",
              {{"width", "12"},
               {"depth", "6"},
               {"position", "0, 1.5, -2.4"},
               {"turn", "90, 0, 0"},
               {"material", "Hall plaster"}});
        const NodeId stand = b.add("object.group", "Armillary", {{"position", "0.1, 0.36, -0.35"}});
        const auto ring = [&](const char* name, const char* radius, const char* turn) {
          b.add(
              "object.torus", name,
              {{"radius", radius}, {"tube", "8 mm"}, {"turn", turn}, {"material", "Stand brass"}, {"segments", "256"}},
              b.in(stand));
        };
        ring("Meridian", "0.3", "90, 0, 0");
        ring("Equator", "0.3", "14, 0, 8");
        ring("Colure", "0.3", "90, 90, 0");
        b.add("object.cylinder", "Stand rod",
              {{"radius", "9 mm"}, {"height", "0.07"}, {"position", "0, -0.33, 0"}, {"material", "Stand brass"}},
              b.in(stand));
        b.add("object.cone", "Stand foot",
              {{"radius", "0.13"},
               {"top", "20 mm"},
               {"height", "45 mm"},
               {"position", "0, -0.335, 0"},
               {"material", "Stand brass"}},
              b.in(stand));
        addVeilComet(b, "-0.42, 0.3, 0.12", "0, 12, 16");
        b.add("light.area", "Warm window",
              {{"power", "420"},
               {"by_temperature", "on"},
               {"temperature", "2700"},
               {"width", "0.7"},
               {"height", "1.6"},
               {"position", "2.4, 1.5, 0.4"},
               {"target", "0.1, 0.3, -0.3"},
               {"seen", "off"}});
        b.add("light.area", "Night window",
              {{"power", "300"},
               {"color", "0.36, 0.52, 1"},
               {"width", "1"},
               {"height", "2"},
               {"position", "-2.6, 2, 0.8"},
               {"target", "0, 0.2, 0"},
               {"seen", "off"}});
        b.add("camera.lens", "Camera",
              {{"position", "0.1, 0.5, 2.0"},
               {"target", "0.06, 0.34, 0"},
               {"focal_length", "52"},
               {"focus", "1.95"},
               {"f_stop", "8"},
               {"ev100", "5.3"}});
        b.add("effect.glow", "Comet glow", {{"from", "Heart"}});
        b.add("lens.glow", "Comet halo", {{"amount", "28 %"}, {"size", "12 %"}, {"sources", "Comet glow"}});
        b.set(b.find("Comet glow"), {{"lens", "Comet halo"}});
        b.add("effect.apparition", "Comet of veils",
              {{"through", "Comet"}, {"from", "Outer veil, Inner veil, Heart veil"}});
        b.add("lens.glow", "Veil shimmer", {{"amount", "14 %"}, {"size", "5 %"}, {"sources", "Comet of veils"}});
        b.set(b.find("Comet of veils"), {{"lens", "Veil shimmer"}});
        return StarterContent{b.take(), {}};
      }};
}

} // namespace ilumbra
