// A glass planet over slate: what glass gathers, with its colours, and what facets make of it.
#include "demo/scene_builder.h"
#include "demo/starters.h"

namespace ilumbra {

Starter glassOverSlateStarter() {
  return {"glass-over-slate", "Glass over slate", "A glass planet, an amber moon and a flint crystal under one small lamp: the light that they gather on the slate",
          [](const std::shared_ptr<const Kinds>& kinds) {
            SceneBuilder b(kinds);
            b.settings({{"width", "1280"}, {"height", "800"}, {"samples", "192"}, {"noise", "1.5 %"}, {"firefly_limit", "1"}});
            b.preset("Pale slate", "Slate");
            b.set(b.find("Pale slate"), {{"base_color", "0.34, 0.33, 0.32"}, {"roughness", "0.5"}});
            b.preset("Crown", "Crown glass");
            b.preset("Flint", "Dense flint glass");
            b.set(b.find("Flint"), {{"abbe", "18"}});
            b.preset("Resin", "Amber");
            b.set(b.find("Resin"), {{"roughness", "0"}, {"attenuation_depth", "90 mm"}});
            b.preset("Stand brass", "Polished brass");
            b.preset("Hall plaster", "Plaster");
            b.set(b.find("Hall plaster"), {{"base_color", "0.2, 0.19, 0.2"}});
            b.add("object.plane", "Table", {{"width", "6"}, {"depth", "4"}, {"position", "0, 0, 0"}, {"material", "Pale slate"}});
            b.add("object.plane", "Wall", {{"width", "9"}, {"depth", "4"}, {"position", "0, 1.4, -2.2"}, {"turn", "90, 0, 0"}, {"material", "Hall plaster"}});
            b.add("object.sphere", "Glass planet", {{"radius", "0.16"}, {"position", "-0.12, 0.2, -0.05"}, {"material", "Crown"}});
            b.add("object.torus", "Stand", {{"radius", "0.085"}, {"tube", "12 mm"}, {"position", "-0.12, 0.055, -0.05"}, {"material", "Stand brass"}, {"segments", "256"}, {"sides", "64"}});
            b.add("object.sphere", "Amber moon", {{"radius", "0.075"}, {"position", "0.25, 0.076, 0.06"}, {"material", "Resin"}});
            b.add("object.gem", "Flint crystal", {{"position", "0.52, 0.1, -0.16"}, {"material", "Flint"}});
            b.add("light.spot", "Reading lamp", {{"power", "2600"}, {"color", "1, 0.9, 0.76"}, {"position", "-0.75, 1.25, -1.05"}, {"target", "0.08, 0.1, -0.02"}, {"cone", "44"}, {"edge", "60 %"}, {"radius", "7 mm"}});
            b.add("light.area", "Night window", {{"power", "60"}, {"width", "1"}, {"height", "1.6"}, {"position", "2.2, 1.6, 1.6"}, {"target", "0, 0.1, 0"}, {"color", "0.4, 0.56, 1"}, {"seen", "off"}});
            b.add("camera.lens", "Camera", {{"position", "0.28, 0.72, 1.7"}, {"target", "0.1, 0.07, 0.06"}, {"focal_length", "58"}, {"focus", "1.75"}, {"f_stop", "8"}, {"ev100", "7.4"}});
            b.add("effect.caustics", "Gathered light", {{"from", "Reading lamp"}, {"through", "Glass planet, Amber moon, Flint crystal, Stand"}, {"edge", "62 %"}});
            return StarterContent{b.take(), {}};
          }};
}

} // namespace ilumbra
