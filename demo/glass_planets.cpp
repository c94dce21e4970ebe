// Glass planets: refraction, absorption, dispersion.
#include "demo/scene_builder.h"
#include "demo/starters.h"

namespace ilumbra {

Starter glassPlanetsStarter() {
  return {
      "glass-planets", "Glass planets",
      "Crown and flint, amber and cobalt in front of a lit wall: bending, tint and fire",
      [](const std::shared_ptr<const Kinds>& kinds) {
        SceneBuilder b(kinds);
        b.settings(
            {{"width", "1280"}, {"height", "800"}, {"samples", "320"}, {"noise", "1.5 %"}, {"firefly_limit", "1"}});
        b.preset("Pale slate", "Slate");
        b.set(b.find("Pale slate"), {{"base_color", "0.3, 0.29, 0.28"}, {"roughness", "0.4"}});
        b.preset("Crown", "Crown glass");
        b.preset("Flint", "Dense flint glass");
        b.preset("Cobalt", "Cobalt glass");
        b.set(b.find("Cobalt"), {{"attenuation_depth", "60 mm"}});
        b.preset("Resin", "Amber");
        b.set(b.find("Resin"), {{"attenuation_depth", "60 mm"}});
        b.preset("Rail brass", "Polished brass");
        b.add("pattern.ramp", "Evening",
              {{"along", "line"}, {"space", "world"}, {"start", "0, 0, 0"}, {"end", "0, 1.9, 0"}});
        const auto key = [&](const char* place, const char* color) {
          b.add("ramp.key", "Evening key", {{"place", place}, {"color", color}, {"passage", "smooth"}},
                {b.find("Evening"), "keys", size_t(-1)});
        };
        key("0", "1, 0.36, 0.07");
        key("0.3", "0.62, 0.2, 0.16");
        key("0.62", "0.16, 0.2, 0.46");
        key("1", "0.02, 0.04, 0.14");
        b.add("material.surface", "Evening wall",
              {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "130"}, {"own_light_color", "pattern Evening"}});
        b.add("material.surface", "Star",
              {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "500000"}, {"own_light_color", "1, 0.93, 0.8"}});
        b.add("object.plane", "Table",
              {{"width", "6"}, {"depth", "4"}, {"position", "0, 0, -0.2"}, {"material", "Pale slate"}});
        b.add("object.plane", "Wall",
              {{"width", "9"},
               {"depth", "4"},
               {"position", "0, 1.4, -2.2"},
               {"turn", "90, 0, 0"},
               {"material", "Evening wall"}});
        const NodeId planets = b.add("object.group", "Planets", {});
        b.add("object.sphere", "Great planet",
              {{"radius", "0.23"},
               {"position", "-0.12, 0.23, -0.05"},
               {"material", "Crown"},
               {"light_through", "focused"}},
              b.in(planets));
        b.add(
            "object.sphere", "Flint planet",
            {{"radius", "0.13"}, {"position", "0.33, 0.13, 0.1"}, {"material", "Flint"}, {"light_through", "focused"}},
            b.in(planets));
        b.add("object.sphere", "Amber planet",
              {{"radius", "0.095"},
               {"position", "-0.5, 0.095, 0.2"},
               {"material", "Resin"},
               {"light_through", "focused"}},
              b.in(planets));
        b.add("object.sphere", "Cobalt planet",
              {{"radius", "0.075"},
               {"position", "0.12, 0.075, 0.36"},
               {"material", "Cobalt"},
               {"light_through", "focused"}},
              b.in(planets));
        b.add("object.torus", "Planet ring",
              {{"radius", "0.335"},
               {"tube", "7 mm"},
               {"position", "-0.12, 0.23, -0.05"},
               {"turn", "18, 0, -14"},
               {"material", "Rail brass"},
               {"segments", "256"}},
              b.in(planets));
        b.add("object.sphere", "Pale star",
              {{"radius", "16 mm"}, {"position", "0.62, 0.62, -0.9"}, {"material", "Star"}}, b.in(planets));
        b.add("light.area", "Key window",
              {{"power", "900"},
               {"width", "0.7"},
               {"height", "1.1"},
               {"position", "-1.7, 1.5, 0.4"},
               {"target", "0, 0.15, 0.1"},
               {"color", "1, 0.9, 0.78"},
               {"seen", "off"}});
        b.add("camera.lens", "Camera",
              {{"position", "0.05, 0.42, 2.1"},
               {"target", "-0.02, 0.23, 0"},
               {"focal_length", "60"},
               {"focus", "2.0"},
               {"f_stop", "5.6"},
               {"ev100", "7.2"}});
        b.add("effect.glow", "Star glow", {{"from", "Pale star"}});
        b.add("lens.glow", "Star halo", {{"amount", "22 %"}, {"size", "9 %"}, {"sources", "Star glow"}});
        b.set(b.find("Star glow"), {{"lens", "Star halo"}});
        b.add("effect.glass", "Seen through the planets",
              {{"through", "Great planet, Flint planet, Amber planet, Cobalt planet"}});
        return StarterContent{b.take(), {}};
      }};
}

} // namespace ilumbra
