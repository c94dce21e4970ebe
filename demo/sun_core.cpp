// The sun core in its pierced shade over the slate table.
#include "demo/sun_core.h"
#include "demo/part_file.h"
#include "demo/pierced.h"
#include "demo/scene_builder.h"
#include "demo/starters.h"

namespace ilumbra {

std::string piercedShadeFile() {
  PiercedShell s;
  constexpr float radius = 0.21f;
  s.profile = [](float v) {
    const float a = mix(-62.0f, 70.0f, v) * pi / 180;
    return V2f(radius * std::cos(a), radius * std::sin(a));
  };
  s.wall = 0.004f;
  s.rows = 7;
  s.columns = 14;
  s.opening = 0.7f;
  s.star = 0.42f;
  s.points = 6;
  s.size = [](int row, int column) {
    if (row == 0 || row == 6) return 0.55f;
    return row % 2 == 0 && column % 2 ? 0.6f : 1.0f;
  };
  return partFile("Pierced shade", piercedShell(s));
}

void addSunCore(SceneBuilder& b, const char* position) {
  const NodeId lamp = b.add("object.group", "Sun lamp", {{"position", position}});
  b.add("material.surface", "Sun glass",
        {{"base_color", "0.9, 0.85, 0.8"},
         {"roughness", "0.3"},
         {"own_light", "620000"},
         {"own_light_color", "1, 0.60, 0.24"}});
  b.add("material.surface", "Warm brass",
        {{"base_color", "0.89, 0.62, 0.27"}, {"metalness", "1"}, {"roughness", "0.28"}});
  b.add("material.surface", "Patinated brass",
        {{"base_color", "0.52, 0.33, 0.15"}, {"metalness", "1"}, {"roughness", "0.55"}});
  b.add("material.surface", "Dark bronze",
        {{"base_color", "0.30, 0.19, 0.11"}, {"metalness", "1"}, {"roughness", "0.42"}});
  b.add("object.sphere", "Sun core", {{"radius", "13 mm"}, {"position", "0, 0, 0"}, {"material", "Sun glass"}},
        b.in(lamp));
  b.add("object.mesh", "Pierced shade",
        {{"file", "orrery-assets/pierced-shade.glb"}, {"part", "1"}, {"material", "Patinated brass"}}, b.in(lamp));
  b.add("object.torus", "Shade collar",
        {{"radius", "74 mm"}, {"tube", "9 mm"}, {"position", "0, 0.199, 0"}, {"material", "Warm brass"}}, b.in(lamp));
  b.add("object.torus", "Shade foot ring",
        {{"radius", "101 mm"}, {"tube", "9 mm"}, {"position", "0, -0.187, 0"}, {"material", "Warm brass"}}, b.in(lamp));
  b.add("object.cylinder", "Stem",
        {{"radius", "11 mm"}, {"height", "0.145"}, {"position", "0, -0.255, 0"}, {"material", "Warm brass"}},
        b.in(lamp));
  b.add("object.sphere", "Stem knop", {{"radius", "24 mm"}, {"position", "0, -0.255, 0"}, {"material", "Warm brass"}},
        b.in(lamp));
  b.add("object.cylinder", "Stem rod",
        {{"radius", "5 mm"}, {"height", "0.15"}, {"position", "0, -0.13, 0"}, {"material", "Dark bronze"}}, b.in(lamp));
  b.add("object.cone", "Foot",
        {{"radius", "0.12"},
         {"top", "26 mm"},
         {"height", "52 mm"},
         {"position", "0, -0.344, 0"},
         {"material", "Dark bronze"}},
        b.in(lamp));
  b.add("object.torus", "Foot rim",
        {{"radius", "0.12"}, {"tube", "8 mm"}, {"position", "0, -0.362, 0"}, {"material", "Warm brass"}}, b.in(lamp));
}

Starter sunCoreStarter() {
  return {"sun-core", "Sun core", "A lamp that glows in its pierced shade, and only it",
          [](const std::shared_ptr<const Kinds>& kinds) {
            SceneBuilder b(kinds);
            b.settings({{"width", "1280"}, {"height", "720"}, {"samples", "256"}, {"firefly_limit", "1"}});
            addSunCore(b, "0, 0.37, 0");
            b.add("material.surface", "Honed slate",
                  {{"base_color", "0.045, 0.05, 0.058"}, {"roughness", "0.34"}, {"ior", "1.6"}});
            b.add("material.surface", "Lime plaster", {{"base_color", "0.42, 0.37, 0.32"}, {"roughness", "0.9"}});
            b.add("material.surface", "Planet glass",
                  {{"base_color", "1, 1, 1"},
                   {"roughness", "0"},
                   {"ior", "1.52"},
                   {"transmission", "1"},
                   {"attenuation_color", "0.55, 0.82, 0.95"},
                   {"attenuation_depth", "80 mm"}});
            b.add("object.cylinder", "Slate table",
                  {{"radius", "1.15"},
                   {"height", "60 mm"},
                   {"position", "0, -0.03, -0.1"},
                   {"material", "Honed slate"},
                   {"segments", "256"}});
            b.add("object.plane", "Back wall",
                  {{"width", "9"},
                   {"depth", "5"},
                   {"position", "0, 1.4, -1.75"},
                   {"turn", "90, 0, 0"},
                   {"material", "Lime plaster"}});
            b.add("object.sphere", "Glass planet",
                  {{"radius", "85 mm"}, {"position", "0.47, 0.085, 0.16"}, {"material", "Planet glass"}});
            b.add("object.torus", "Planet ring",
                  {{"radius", "0.128"},
                   {"tube", "7 mm"},
                   {"position", "0.47, 0.075, 0.16"},
                   {"turn", "14, 0, -18"},
                   {"material", "Warm brass"}});
            b.add("object.sphere", "Brass moon",
                  {{"radius", "46 mm"}, {"position", "-0.44, 0.046, 0.24"}, {"material", "Warm brass"}});
            b.add("light.area", "Night window",
                  {{"power", "3200"},
                   {"color", "0.35, 0.52, 1"},
                   {"width", "1.2"},
                   {"height", "2"},
                   {"position", "-3.2, 2.3, 1.4"},
                   {"target", "0, 0.3, 0"},
                   {"seen", "off"}});
            b.add("camera.lens", "Camera",
                  {{"position", "0.32, 0.62, 2.25"},
                   {"target", "0.02, 0.315, 0"},
                   {"focal_length", "62"},
                   {"focus", "2.2"},
                   {"f_stop", "4"},
                   {"ev100", "5.5"}});
            b.add("effect.glow", "Sun core glow", {{"from", "Sun core"}});
            b.add("lens.glow", "Halo",
                  {{"amount", "12 %"}, {"size", "15 %"}, {"falloff", "0.9"}, {"sources", "Sun core glow"}});
            b.add("lens.streaks", "Needles",
                  {{"amount", "5 %"},
                   {"rays", "6"},
                   {"angle", "90 °"},
                   {"length", "24 %"},
                   {"thickness", "0.2 %"},
                   {"tail", "1.6"},
                   {"color_spread", "0.35"},
                   {"key", "3 stops"},
                   {"sources", "Sun core glow"}});
            b.add("lens.starburst", "Burst",
                  {{"amount", "7 %"},
                   {"blades", "6"},
                   {"rounding", "0 %"},
                   {"size", "0.5 %"},
                   {"turn", "0 °"},
                   {"key", "3 stops"},
                   {"sources", "Sun core glow"}});
            const NodeId glow = b.find("Sun core glow");
            b.set(glow, {{"lens", "Halo, Needles, Burst"}});
            Document doc = b.take();
            return StarterContent{doc, {{"orrery-assets/pierced-shade.glb", piercedShadeFile()}}};
          }};
}

} // namespace ilumbra
