// Jade moon and alabaster urn: translucency.
#include "demo/jade_moon.h"

#include "demo/scene_builder.h"
#include "demo/starters.h"
#include "demo/turned.h"

namespace ilumbra {

std::string alabasterUrnFile() {
  // Outside from the foot up, the lip, and the inside down again.
  const std::vector<V2f> outside = smoothProfile({{0.075f, 0.0f},
                                                  {0.078f, 0.012f},
                                                  {0.05f, 0.03f},
                                                  {0.032f, 0.052f},
                                                  {0.05f, 0.078f},
                                                  {0.105f, 0.14f},
                                                  {0.128f, 0.21f},
                                                  {0.112f, 0.29f},
                                                  {0.07f, 0.335f},
                                                  {0.056f, 0.355f},
                                                  {0.07f, 0.378f},
                                                  {0.082f, 0.385f}},
                                                 8);
  const std::vector<V2f> inside = smoothProfile({{0.078f, 0.389f},
                                                 {0.062f, 0.376f},
                                                 {0.047f, 0.354f},
                                                 {0.06f, 0.328f},
                                                 {0.1f, 0.285f},
                                                 {0.116f, 0.21f},
                                                 {0.094f, 0.146f},
                                                 {0.045f, 0.1f},
                                                 {0.012f, 0.092f},
                                                 {0.0f, 0.092f}},
                                                8);
  std::vector<V2f> all = {{0, 0}, {0.075f, 0}, {0.075f, 0}};
  all.insert(all.end(), outside.begin() + 1, outside.end());
  all.insert(all.end(), inside.begin(), inside.end());
  return turnedFile("Alabaster urn", all, 128);
}

void addAlabasterUrn(SceneBuilder& b, const char* position) {
  const NodeId urn = b.add("object.group", "Urn", {{"position", position}});
  b.preset("Urn alabaster", "Alabaster");
  b.add("object.mesh", "Alabaster urn",
        {{"file", "orrery-assets/alabaster-urn.glb"}, {"part", "1"}, {"material", "Urn alabaster"}}, b.in(urn));
  b.add("material.surface", "Wick light",
        {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "9000"}, {"own_light_color", "1, 0.55, 0.2"}});
  b.add("object.sphere", "Wick", {{"radius", "22 mm"}, {"position", "0, 0.19, 0"}, {"material", "Wick light"}},
        b.in(urn));
}

Starter jadeMoonStarter() {
  return {
      "jade-moon", "Jade moon",
      "A jade moon with a lamp behind it and an alabaster urn with one inside: light that goes in and comes out",
      [](const std::shared_ptr<const Kinds>& kinds) {
        SceneBuilder b(kinds);
        b.settings(
            {{"width", "1280"}, {"height", "800"}, {"samples", "320"}, {"noise", "1.5 %"}, {"firefly_limit", "1"}});
        b.preset("Table slate", "Honed slate");
        b.preset("Moon jade", "Jade");
        b.set(b.find("Moon jade"), {{"subsurface_depth", "8 mm"}, {"subsurface_color", "0.2, 0.62, 0.3"}});
        b.preset("Stand brass", "Brushed brass");
        b.preset("Hall plaster", "Plaster");
        b.set(b.find("Hall plaster"), {{"base_color", "0.3, 0.29, 0.3"}});
        b.preset("Candle wax", "Wax");
        b.set(b.find("Candle wax"), {{"subsurface_depth", "7 mm"}});
        b.add("object.cylinder", "Table",
              {{"radius", "1.3"},
               {"height", "60 mm"},
               {"position", "0, -0.03, 0"},
               {"material", "Table slate"},
               {"segments", "256"}});
        b.add("object.plane", "Back wall",
              {{"width", "12"},
               {"depth", "6"},
               {"position", "0, 1.5, -2.2"},
               {"turn", "90, 0, 0"},
               {"material", "Hall plaster"}});
        b.add("object.sphere", "Jade moon",
              {{"radius", "0.145"}, {"position", "-0.24, 0.205, 0.02"}, {"material", "Moon jade"}});
        b.add("object.torus", "Moon stand",
              {{"radius", "72 mm"},
               {"tube", "13 mm"},
               {"position", "-0.24, 0.072, 0.02"},
               {"material", "Stand brass"},
               {"segments", "192"}});
        b.add("object.cone", "Stand foot",
              {{"radius", "0.1"},
               {"top", "60 mm"},
               {"height", "62 mm"},
               {"position", "-0.24, 0.031, 0.02"},
               {"material", "Stand brass"}});
        addAlabasterUrn(b, "0.25, 0, -0.1");
        b.add("object.cylinder", "Candle",
              {{"radius", "34 mm"}, {"height", "0.12"}, {"position", "0.03, 0.06, 0.34"}, {"material", "Candle wax"}});
        b.add("light.point", "Flame",
              {{"power", "70"},
               {"by_temperature", "on"},
               {"temperature", "1900"},
               {"radius", "7 mm"},
               {"position", "0.03, 0.142, 0.34"}});
        b.add("light.spot", "Lamp behind",
              {{"power", "330"},
               {"by_temperature", "on"},
               {"temperature", "4200"},
               {"radius", "40 mm"},
               {"cone", "11"},
               {"edge", "60 %"},
               {"position", "-0.62, 0.72, -0.85"},
               {"target", "-0.24, 0.2, 0.02"},
               {"seen", "off"}});
        b.add("light.area", "Night window",
              {{"power", "1500"},
               {"color", "0.38, 0.54, 1"},
               {"width", "0.9"},
               {"height", "1.8"},
               {"position", "2.2, 1.7, 1.2"},
               {"target", "0, 0.2, 0"},
               {"seen", "off"}});
        b.add("camera.lens", "Camera",
              {{"position", "0.02, 0.48, 1.75"},
               {"target", "0.0, 0.185, 0"},
               {"focal_length", "62"},
               {"focus", "1.75"},
               {"f_stop", "8"},
               {"ev100", "6.2"}});
        b.add("effect.glow", "Flame glow", {{"from", "Flame"}});
        b.add("lens.glow", "Flame halo", {{"amount", "20 %"}, {"size", "7 %"}, {"sources", "Flame glow"}});
        b.set(b.find("Flame glow"), {{"lens", "Flame halo"}});
        b.add("effect.translucency", "Light through jade", {{"from", "Lamp behind"}, {"through", "Jade moon"}});
        return StarterContent{b.take(), {{"orrery-assets/alabaster-urn.glb", alabasterUrnFile()}}};
      }};
}

} // namespace ilumbra
