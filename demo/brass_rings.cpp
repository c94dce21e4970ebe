// Brass rings over honed slate: reflection.
#include "demo/scene_builder.h"
#include "demo/starters.h"

namespace ilumbra {

Starter brassRingsStarter() {
  return {"brass-rings", "Brass rings",
          "Polished and brushed brass over honed slate: what a mirror shows, and how sharply",
          [](const std::shared_ptr<const Kinds>& kinds) {
            SceneBuilder b(kinds);
            b.settings(
                {{"width", "1280"}, {"height", "800"}, {"samples", "256"}, {"noise", "1.5 %"}, {"firefly_limit", "1"}});
            b.preset("Rubbed slate", "Honed slate");
            b.set(b.find("Rubbed slate"), {{"roughness", "0.16"}});
            b.preset("Mirror brass", "Polished brass");
            b.preset("Grained brass", "Brushed brass");
            b.preset("Hall plaster", "Plaster");
            b.set(b.find("Hall plaster"), {{"base_color", "0.34, 0.33, 0.33"}});
            b.add("material.surface", "Lamp opal",
                  {{"base_color", "0.9, 0.9, 0.9"}, {"own_light", "6000"}, {"own_light_color", "1, 0.72, 0.42"}});
            b.add("object.cylinder", "Slate table",
                  {{"radius", "1.3"},
                   {"height", "60 mm"},
                   {"position", "0, -0.03, 0"},
                   {"material", "Rubbed slate"},
                   {"segments", "256"}});
            b.add("object.plane", "Back wall",
                  {{"width", "12"},
                   {"depth", "6"},
                   {"position", "0, 1.5, -2.6"},
                   {"turn", "90, 0, 0"},
                   {"material", "Hall plaster"}});
            const NodeId rings = b.add("object.group", "Rings", {});
            b.add("object.torus", "Great ring",
                  {{"radius", "0.36"},
                   {"tube", "24 mm"},
                   {"position", "-0.1, 0.384, -0.12"},
                   {"turn", "90, 0, 24"},
                   {"material", "Mirror brass"},
                   {"segments", "256"},
                   {"sides", "64"}},
                  b.in(rings));
            b.add("object.torus", "Tilted ring",
                  {{"radius", "0.24"},
                   {"tube", "17 mm"},
                   {"position", "-0.1, 0.384, -0.12"},
                   {"turn", "58, 0, -36"},
                   {"material", "Grained brass"},
                   {"segments", "256"},
                   {"sides", "64"}},
                  b.in(rings));
            b.add("object.torus", "Lying ring",
                  {{"radius", "0.19"},
                   {"tube", "18 mm"},
                   {"position", "0.44, 0.018, 0.28"},
                   {"material", "Grained brass"},
                   {"segments", "256"},
                   {"sides", "64"}},
                  b.in(rings));
            b.add("object.sphere", "Lamp globe",
                  {{"radius", "62 mm"}, {"position", "-0.1, 0.384, -0.12"}, {"material", "Lamp opal"}}, b.in(rings));
            b.add("object.sphere", "Brass globe",
                  {{"radius", "0.11"}, {"position", "0.44, 0.11, 0.28"}, {"material", "Mirror brass"}}, b.in(rings));
            b.add("object.sphere", "Small globe",
                  {{"radius", "55 mm"}, {"position", "-0.5, 0.055, 0.38"}, {"material", "Mirror brass"}}, b.in(rings));
            b.add("light.area", "Tall window",
                  {{"power", "5200"},
                   {"color", "0.42, 0.6, 1"},
                   {"width", "0.9"},
                   {"height", "2.2"},
                   {"position", "2.4, 1.6, 1.1"},
                   {"target", "0, 0.3, 0"}});
            b.add("light.area", "Strip lamp",
                  {{"form", "tube"},
                   {"power", "1800"},
                   {"by_temperature", "on"},
                   {"temperature", "3000"},
                   {"width", "1.8"},
                   {"height", "30 mm"},
                   {"position", "-1.9, 1.5, 0.2"},
                   {"target", "0, 0.2, 0"},
                   {"roll", "70"}});
            b.add("camera.lens", "Camera",
                  {{"position", "0.35, 0.62, 2.1"},
                   {"target", "0.02, 0.31, 0"},
                   {"focal_length", "44"},
                   {"focus", "2.02"},
                   {"f_stop", "8"},
                   {"ev100", "6.4"}});
            b.add("effect.reflection", "Mirrored in the ring", {{"onto", "Great ring"}});
            b.add("effect.glow", "Lamp glow", {{"from", "Lamp globe"}});
            b.add("lens.glow", "Soft halo", {{"amount", "10 %"}, {"size", "7 %"}, {"sources", "Lamp glow"}});
            b.set(b.find("Lamp glow"), {{"lens", "Soft halo"}});
            return StarterContent{b.take(), {}};
          }};
}

} // namespace ilumbra
