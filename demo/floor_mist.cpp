// Floor mist: swathes that drift over the hall's floor, heavier below, around what stands in them.
#include "demo/scene_builder.h"
#include "demo/starters.h"

namespace ilumbra {

Starter floorMistStarter() {
  return {
      "floor-mist", "Floor mist", "Mist in layers drifting over a floor, lit by a lantern; on its own it has an alpha",
      [](const std::shared_ptr<const Kinds>& kinds) {
        SceneBuilder b(kinds);
        b.settings({{"width", "1280"},
                    {"height", "720"},
                    {"samples", "128"},
                    {"noise", "2.5 %"},
                    {"firefly_limit", "1"},
                    {"first_frame", "1"},
                    {"last_frame", "120"}});
        b.preset("Hall plaster", "Plaster");
        b.set(b.find("Hall plaster"), {{"base_color", "0.3, 0.29, 0.3"}});
        b.preset("Floor slate", "Honed slate");
        b.preset("Lantern brass", "Brushed brass");
        b.add("material.surface", "Lantern light",
              {{"base_color", "0.9, 0.85, 0.8"}, {"own_light", "60000"}, {"own_light_color", "1, 0.6, 0.26"}});
        b.add("object.plane", "Floor",
              {{"width", "14"}, {"depth", "14"}, {"position", "0, 0, -2"}, {"material", "Floor slate"}});
        b.add("object.plane", "Back wall",
              {{"width", "16"},
               {"depth", "5"},
               {"position", "0, 2.4, -5"},
               {"turn", "90, 0, 0"},
               {"material", "Hall plaster"}});
        const NodeId column = b.add("object.cylinder", "Column",
                                    {{"radius", "0.24"},
                                     {"height", "5"},
                                     {"position", "-3, 2.5, -3.6"},
                                     {"material", "Hall plaster"},
                                     {"segments", "96"}});
        b.add("modifier.repeat", "Colonnade", {{"count", "5"}, {"step", "1.5, 0, 0"}}, {column, "modifiers"});
        b.add("object.cylinder", "Sundial foot",
              {{"radius", "0.22"},
               {"height", "0.7"},
               {"position", "0.75, 0.35, -0.9"},
               {"material", "Hall plaster"},
               {"segments", "128"}});
        b.add("object.cylinder", "Sundial",
              {{"radius", "0.36"},
               {"height", "50 mm"},
               {"position", "0.75, 0.72, -0.9"},
               {"turn", "18, 0, 0"},
               {"material", "Lantern brass"},
               {"segments", "128"}});
        b.add("object.sphere", "Lantern",
              {{"radius", "55 mm"}, {"position", "-0.62, 0.34, -0.3"}, {"material", "Lantern light"}});
        b.add("object.torus", "Lantern ring",
              {{"radius", "82 mm"},
               {"tube", "7 mm"},
               {"position", "-0.62, 0.34, -0.3"},
               {"turn", "90, 30, 0"},
               {"material", "Lantern brass"}});
        b.add("object.cylinder", "Lantern foot",
              {{"radius", "14 mm"},
               {"height", "0.28"},
               {"position", "-0.62, 0.14, -0.3"},
               {"material", "Lantern brass"}});
        b.add("light.area", "Night window",
              {{"power", "9000"},
               {"color", "0.36, 0.54, 1"},
               {"width", "1.4"},
               {"height", "2.4"},
               {"position", "4.2, 3.4, -1.6"},
               {"target", "-0.5, 0, -1.8"},
               {"seen", "off"}});
        const NodeId swathes = b.add("pattern.mist", "Swathes",
                                     {{"height", "0.85"}, {"heavier", "1.3"}, {"broken", "85 %"}, {"wisps", "90 %"}});
        b.add("mist.layer", "Far swathes",
              {{"scale", "1.5"}, {"octaves", "5"}, {"drift", "0.10, 0, 0.02"}, {"churn", "0.05"}, {"loop", "120"}},
              {swathes, "layers"});
        b.add("mist.layer", "Near wisps",
              {{"family", "rolling"},
               {"scale", "0.5"},
               {"strength", "55 %"},
               {"octaves", "4"},
               {"seed", "7"},
               {"drift", "0.22, 0.01, -0.03"},
               {"churn", "0.12"},
               {"loop", "120"}},
              {swathes, "layers"});
        b.set(b.add("object.box", "Mist bounds",
                    {{"width", "12"}, {"height", "1.3"}, {"depth", "7.4"}, {"position", "0, 0.65, -1.4"}}),
              {{"shown", "off"}});
        b.add("air.haze", "Mist",
              {{"fills", "Mist bounds"},
               {"density", "1.5"},
               {"amount", "pattern Swathes"},
               {"fineness", "192"},
               {"anisotropy", "0.35"},
               {"color", "0.97, 0.98, 1"}});
        // The same as a plate with alpha, for other pictures: hidden here. Hide the set and show it to write it alone.
        const NodeId flat = b.add("pattern.mist", "Plate swathes",
                                  {{"height", "0.55"},
                                   {"base", "-0.05"},
                                   {"heavier", "1.1"},
                                   {"broken", "90 %"},
                                   {"wisps", "90 %"},
                                   {"space", "camera"}});
        b.add("mist.layer", "Far bank", {{"scale", "0.5"}, {"octaves", "5"}, {"drift", "0.03, 0, 0"}, {"loop", "120"}},
              {flat, "layers"});
        b.add("mist.layer", "Near bank",
              {{"family", "rolling"},
               {"scale", "0.22"},
               {"strength", "60 %"},
               {"seed", "9"},
               {"drift", "0.075, 0.004, 0"},
               {"loop", "120"}},
              {flat, "layers"});
        b.add("plate.picture", "Mist plate",
              {{"shows", "colour"},
               {"color", "0.62, 0.68, 0.78"},
               {"coverage", "pattern Plate swathes"},
               {"lies", "in front"},
               {"shown", "off"}});
        b.add("camera.lens", "Camera",
              {{"position", "0, 0.75, 3.2"},
               {"target", "0, 0.55, -1"},
               {"focal_length", "34"},
               {"focus", "3.6"},
               {"f_stop", "8"},
               {"ev100", "6.2"}});
        b.add("effect.glow", "Lantern glow", {{"from", "Lantern"}});
        b.add("lens.glow", "Lantern halo", {{"amount", "12 %"}, {"size", "9 %"}, {"sources", "Lantern glow"}});
        b.set(b.find("Lantern glow"), {{"lens", "Lantern halo"}});
        b.add("effect.mist", "Drifting mist", {{"through", "Mist"}});
        return StarterContent{b.take(), {}};
      }};
}

} // namespace ilumbra
