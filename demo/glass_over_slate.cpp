// A glass planet over slate: what glass gathers, with its colours, and what facets make of it.
#include "demo/scene_builder.h"
#include "demo/starters.h"

namespace ilumbra {

Starter glassOverSlateStarter() {
  return {"glass-over-slate", "Glass over slate",
          "A glass planet, an amber moon and a flint prism under small lamps: the light that they gather on the slate, "
          "and its colours",
          [](const std::shared_ptr<const Kinds>& kinds) {
            SceneBuilder b(kinds);
            b.settings(
                {{"width", "1280"}, {"height", "800"}, {"samples", "192"}, {"noise", "1.5 %"}, {"firefly_limit", "1"}});
            b.preset("Pale slate", "Slate");
            b.set(b.find("Pale slate"), {{"base_color", "0.3, 0.29, 0.285"}, {"roughness", "0.5"}});
            b.preset("Planet glass", "Crown glass");
            b.set(b.find("Planet glass"),
                  {{"abbe", "0"}, {"attenuation_color", "0.72, 0.9, 0.97"}, {"attenuation_depth", "0.35"}});
            b.preset("Flint", "Dense flint glass");
            b.set(b.find("Flint"), {{"abbe", "13"}});
            b.preset("Resin", "Amber");
            b.set(b.find("Resin"), {{"roughness", "0"}, {"attenuation_depth", "80 mm"}});
            b.preset("Stand brass", "Polished brass");
            b.preset("Hall plaster", "Plaster");
            b.set(b.find("Hall plaster"), {{"base_color", "0.2, 0.19, 0.2"}});
            b.add("object.plane", "Table",
                  {{"width", "8"}, {"depth", "5"}, {"position", "0, 0, 0"}, {"material", "Pale slate"}});
            b.add("object.plane", "Wall",
                  {{"width", "9"},
                   {"depth", "4"},
                   {"position", "0, 1.4, -1.6"},
                   {"turn", "90, 0, 0"},
                   {"material", "Hall plaster"}});
            b.add("object.sphere", "Glass planet",
                  {{"radius", "0.17"}, {"position", "-0.26, 0.195, -0.1"}, {"material", "Planet glass"}});
            b.add("object.torus", "Planet stand",
                  {{"radius", "0.09"},
                   {"tube", "13 mm"},
                   {"position", "-0.26, 0.0131, -0.1"},
                   {"material", "Stand brass"},
                   {"segments", "256"},
                   {"sides", "64"}});
            b.add("object.torus", "Planet ring",
                  {{"radius", "0.255"},
                   {"tube", "6 mm"},
                   {"position", "-0.26, 0.2, -0.1"},
                   {"turn", "16, 0, -18"},
                   {"material", "Stand brass"},
                   {"segments", "256"},
                   {"sides", "48"}});
            b.add("object.sphere", "Amber moon",
                  {{"radius", "0.07"}, {"position", "0.1, 0.071, 0.06"}, {"material", "Resin"}});
            b.add("object.prism", "Flint prism",
                  {{"radius", "34 mm"},
                   {"length", "0.16"},
                   {"position", "0.5, 0.0805, -0.3"},
                   {"turn", "-90, 57, 0"},
                   {"material", "Flint"}});
            b.add("light.spot", "Reading lamp",
                  {{"power", "1500"},
                   {"color", "1, 0.9, 0.76"},
                   {"position", "-0.85, 1.1, -0.95"},
                   {"target", "-0.12, 0.1, -0.02"},
                   {"cone", "40"},
                   {"edge", "70 %"},
                   {"radius", "8 mm"}});
            b.add("light.spot", "Slit lamp",
                  {{"power", "40"},
                   {"color", "1, 0.97, 0.92"},
                   {"position", "1.32, 0.27, -0.67"},
                   {"target", "0.5, 0.075, -0.3"},
                   {"cone", "4"},
                   {"edge", "10 %"},
                   {"radius", "2 mm"}});
            b.add("light.area", "Night window",
                  {{"power", "520"},
                   {"width", "1.2"},
                   {"height", "1.8"},
                   {"position", "2.2, 1.5, 1.4"},
                   {"target", "0, 0.1, 0"},
                   {"color", "0.36, 0.54, 1"},
                   {"seen", "off"}});
            b.add("camera.lens", "Camera",
                  {{"position", "0.2, 0.62, 1.62"},
                   {"target", "0.03, 0.09, 0"},
                   {"focal_length", "46"},
                   {"focus", "1.7"},
                   {"f_stop", "8"},
                   {"ev100", "6.9"}});
            b.add("effect.caustics", "Gathered light",
                  {{"from", "Reading lamp, Slit lamp"},
                   {"through", "Glass planet, Amber moon, Flint prism, Planet stand, Planet ring"},
                   {"edge", "62 %"}});
            return StarterContent{b.take(), {}};
          }};
}

} // namespace ilumbra
