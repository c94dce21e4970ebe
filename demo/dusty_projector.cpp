// The projector: a star map on its slide shines through dusty air as coloured shafts, onto the hall's wall.
#include "demo/scene_builder.h"
#include "demo/set_parts.h"
#include "demo/starters.h"

#include "core/base/vec.h"

#include <cmath>

namespace ilumbra {

// A plain portable pixmap, 8 bits, as the slide: rings, rays and stars on black.
std::string starMap() {
  constexpr int w = 512, h = 384;
  std::string out = "P6\n512 384\n255\n";
  const V3f gold(1, 0.72f, 0.3f), blue(0.25f, 0.5f, 1), red(1, 0.24f, 0.12f), green(0.3f, 0.9f, 0.55f);
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      const float px = (float(x) + 0.5f - 0.5f * w) / (0.5f * h), py = (float(y) + 0.5f - 0.5f * h) / (0.5f * h);
      const float r = std::sqrt(px * px + py * py), a = std::atan2(py, px);
      V3f c(0.0f);
      const auto ring = [&](float radius, float width, const V3f& color) {
        c += color * clamp01((width - std::abs(r - radius)) * 150);
      };
      ring(0.9f, 0.022f, gold);
      ring(0.62f, 0.016f, blue);
      ring(0.34f, 0.016f, red);
      // Twelve windows between the outer rings, each of its own colour; a sun of eight rays in the middle.
      const int house = int(std::floor((a + pi) / (2 * pi) * 12));
      const float inHouse = (a + pi) / (2 * pi) * 12 - float(house);
      if (r > 0.68f && r < 0.83f && inHouse > 0.2f && inHouse < 0.8f)
        c += house % 3 == 0 ? blue : house % 3 == 1 ? red : green;
      const float ray = std::pow(std::abs(std::cos(4 * a)), 6.0f);
      c += gold * clamp01((0.09f + 0.17f * ray - r) * 90);
      for (int k = 0; k < 3; ++k) out += char(uint8_t(255 * std::pow(clamp01(c[k]), 1 / 2.2f)));
    }
  return out;
}

Starter dustyProjectorStarter() {
  return {"dusty-projector", "Dusty projector", "A slide thrown through dusty air: its picture as coloured shafts",
          [](const std::shared_ptr<const Kinds>& kinds) {
            SceneBuilder b(kinds);
            b.settings(
                {{"width", "1280"}, {"height", "720"}, {"samples", "192"}, {"noise", "2 %"}, {"firefly_limit", "1"}});
            b.preset("Hall plaster", "Plaster");
            b.set(b.find("Hall plaster"), {{"base_color", "0.34, 0.33, 0.34"}});
            b.preset("Floor slate", "Honed slate");
            b.preset("Projector brass", "Brushed brass");
            b.preset("Dark bronze", "Weathered bronze");
            b.add("object.plane", "Floor",
                  {{"width", "12"}, {"depth", "12"}, {"position", "0, 0, 0"}, {"material", "Floor slate"}});
            b.add("object.plane", "Screen wall",
                  {{"width", "9"},
                   {"depth", "5"},
                   {"position", "2.2, 2, -2.4"},
                   {"turn", "90, -24, 0"},
                   {"material", "Hall plaster"}});
            b.add("object.cylinder", "Column",
                  {{"radius", "0.2"},
                   {"height", "4"},
                   {"position", "-2.6, 2, -2.6"},
                   {"material", "Hall plaster"},
                   {"segments", "128"}});
            const NodeId body =
                b.add("object.group", "Projector body", {{"position", "-1.45, 1.02, 1.05"}, {"turn", "0, 47, 0"}});
            b.add("object.box", "Case",
                  {{"width", "0.34"},
                   {"height", "0.3"},
                   {"depth", "0.26"},
                   {"round", "25 mm"},
                   {"position", "-0.2, 0, 0"},
                   {"material", "Dark bronze"}},
                  b.in(body));
            b.add("object.tube", "Barrel",
                  {{"radius", "78 mm"},
                   {"wall", "8 mm"},
                   {"height", "0.2"},
                   {"turn", "0, 0, 90"},
                   {"position", "0.06, 0, 0"},
                   {"material", "Projector brass"}},
                  b.in(body));
            b.add("object.torus", "Barrel rim",
                  {{"radius", "80 mm"},
                   {"tube", "8 mm"},
                   {"turn", "0, 0, 90"},
                   {"position", "0.16, 0, 0"},
                   {"material", "Projector brass"}},
                  b.in(body));
            b.add("object.cylinder", "Stand",
                  {{"radius", "28 mm"}, {"height", "0.9"}, {"position", "-0.2, -0.57, 0"}, {"material", "Dark bronze"}},
                  b.in(body));
            b.add("light.spot", "Projector",
                  {{"power", "9000"},
                   {"radius", "4 mm"},
                   {"cone", "21"},
                   {"edge", "0"},
                   {"slide", "orrery-assets/star-map.ppm"},
                   {"position", "-1.36, 1.02, 0.96"},
                   {"target", "2.1, 1.9, -2.4"}});
            b.add("light.area", "Night window",
                  {{"power", "2600"},
                   {"color", "0.36, 0.54, 1"},
                   {"width", "1"},
                   {"height", "2"},
                   {"position", "-4, 3, 2.6"},
                   {"target", "-1, 1, 0"},
                   {"seen", "off"}});
            b.add("pattern.noise", "Dust",
                  {{"family", "rolling"},
                   {"scale", "0.6"},
                   {"octaves", "5"},
                   {"contrast", "2"},
                   {"space", "world"},
                   {"low", "0.25, 0.25, 0.25"},
                   {"high", "1, 1, 1"},
                   {"drift", "0.03, 0.05, 0"}});
            b.add("air.beam", "Projector beam",
                  {{"light", "Projector"},
                   {"reach", "7"},
                   {"edge", "0"},
                   {"fade", "30 %"},
                   {"density", "0.3"},
                   {"anisotropy", "0.5"},
                   {"amount", "pattern Dust"}});
            b.add("camera.lens", "Camera",
                  {{"position", "-1.3, 1.35, 4.4"},
                   {"target", "0.35, 1.35, -0.6"},
                   {"focal_length", "30"},
                   {"focus", "4"},
                   {"f_stop", "8"},
                   {"ev100", "5.2"}});
            b.add("effect.projector_beam", "Star map beam",
                  {{"from", "Projector"}, {"through", "Projector beam"}, {"onto", "Screen wall"}});
            return StarterContent{b.take(), {{"orrery-assets/star-map.ppm", starMap()}}};
          }};
}

} // namespace ilumbra
