// The nameplate: letters in relief under a raking lamp.
#include "demo/scene_builder.h"
#include "demo/set_parts.h"
#include "demo/starters.h"

namespace ilumbra {

Starter nameplateStarter() {
  return {
      "nameplate", "Nameplate",
      "Letters in relief of polished brass on slate: depth and slopes that a raking lamp makes read",
      [](const std::shared_ptr<const Kinds>& kinds) {
        SceneBuilder b(kinds);
        b.settings(
            {{"width", "1280"}, {"height", "800"}, {"samples", "256"}, {"noise", "1.5 %"}, {"firefly_limit", "1"}});
        b.preset("Plate slate", "Slate");
        b.preset("Letter brass", "Polished brass");
        b.set(b.find("Letter brass"), {{"roughness", "0.24"}});
        b.preset("Rim brass", "Brushed brass");
        b.preset("Wall plaster", "Plaster");
        b.set(b.find("Wall plaster"), {{"base_color", "0.2, 0.19, 0.19"}});
        b.add("object.plane", "Wall",
              {{"width", "8"},
               {"depth", "5"},
               {"position", "0, 0, -0.06"},
               {"turn", "90, 0, 0"},
               {"material", "Wall plaster"}});
        b.add("object.box", "Plate",
              {{"width", "1.5"},
               {"height", "0.66"},
               {"depth", "50 mm"},
               {"round", "6 mm"},
               {"position", "0, 0, -0.025"},
               {"material", "Plate slate"}});
        b.add("object.text", "Title",
              {{"text", "ORRERY HALL"},
               {"face", "EB Garamond"},
               {"letter", "0.162"},
               {"depth", "24 mm"},
               {"bevel", "6 mm"},
               {"tracking", "0.06"},
               {"position", "0, 0.03, 0.011"},
               {"material", "Letter brass"}});
        b.add("object.text", "Line",
              {{"text", "twelve wanderers and a sun"},
               {"face", "EB Garamond"},
               {"letter", "72 mm"},
               {"depth", "10 mm"},
               {"bevel", "2 mm"},
               {"tracking", "0.08"},
               {"position", "0, -0.17, 0.005"},
               {"material", "Letter brass"}});
        const NodeId stud = b.add("object.sphere", "Stud",
                                  {{"radius", "16 mm"}, {"position", "-0.7, 0.28, 0.004"}, {"material", "Rim brass"}});
        b.add("modifier.repeat", "Four studs",
              {{"arrangement", "grid"}, {"count", "2"}, {"count_y", "2"}, {"count_z", "1"}, {"step", "1.4, -0.56, 1"}},
              {stud, "modifiers"});
        b.add("material.surface", "Lamp opal",
              {{"base_color", "0.9, 0.9, 0.9"}, {"own_light", "11000"}, {"own_light_color", "1, 0.62, 0.3"}});
        b.add("object.cylinder", "Picture lamp",
              {{"radius", "22 mm"},
               {"height", "0.8"},
               {"round", "20 mm"},
               {"turn", "0, 0, 90"},
               {"position", "0, 0.5, 0.22"},
               {"material", "Lamp opal"}});
        b.add("light.area", "Night window",
              {{"power", "800"},
               {"color", "0.4, 0.56, 1"},
               {"width", "0.6"},
               {"height", "1.8"},
               {"position", "-2.2, 0.2, 1.6"},
               {"target", "0, 0, 0"},
               {"seen", "off"}});
        b.add("light.area", "Hall",
              {{"power", "900"},
               {"color", "1, 0.8, 0.6"},
               {"width", "1.5"},
               {"height", "0.8"},
               {"position", "-0.75, 0.28, 3.6"},
               {"target", "0, 0, 0"},
               {"seen", "off"}});
        b.add("camera.lens", "Camera",
              {{"position", "0.42, 0.06, 2.1"},
               {"target", "0.02, 0.06, 0"},
               {"focal_length", "42"},
               {"focus", "2.1"},
               {"f_stop", "5.6"},
               {"ev100", "6.6"}});
        b.add("effect.glow", "Lamp glow", {{"from", "Picture lamp"}});
        b.add("lens.glow", "Lamp halo", {{"amount", "12 %"}, {"size", "10 %"}, {"sources", "Lamp glow"}});
        b.set(b.find("Lamp glow"), {{"lens", "Lamp halo"}});
        return StarterContent{b.take(), {}};
      }};
}

} // namespace ilumbra
