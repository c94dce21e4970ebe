// The pierced zodiac band: a lamp inside, and shafts through its signs into the mist around it.
#include "demo/part_file.h"
#include "demo/pierced.h"
#include "demo/scene_builder.h"
#include "demo/set_parts.h"
#include "demo/starters.h"

namespace ilumbra {
namespace {

std::string zodiacBandFile() {
  PiercedShell s;
  s.profile = [](float v) { return V2f(0.3f, mix(-0.115f, 0.115f, v)); };
  s.wall = 0.006f;
  s.rows = 3;
  s.columns = 24;
  s.opening = 0.78f;
  s.star = 0.5f;
  s.points = 8;
  s.stagger = 0.5f;
  s.size = [](int row, int column) { return row == 1 ? (column % 2 ? 0.55f : 1.0f) : 0.42f; };
  return partFile("Zodiac band", piercedShell(s));
}

} // namespace

Starter zodiacBandStarter() {
  return {"zodiac-band", "Zodiac band", "A lamp in a pierced band: shafts all around, in mist that fills a ball",
          [](const std::shared_ptr<const Kinds>& kinds) {
            SceneBuilder b(kinds);
            b.settings(
                {{"width", "1280"}, {"height", "800"}, {"samples", "192"}, {"noise", "2 %"}, {"firefly_limit", "1"}});
            addSlateTable(b);
            b.preset("Band brass", "Brushed brass");
            b.preset("Dark bronze", "Weathered bronze");
            const NodeId band = b.add("object.group", "Zodiac", {{"position", "0, 0.62, 0"}, {"turn", "0, 12, 17"}});
            b.add("object.mesh", "Zodiac band",
                  {{"file", "orrery-assets/zodiac-band.glb"}, {"part", "1"}, {"material", "Band brass"}}, b.in(band));
            for (const auto& [name, y] : {std::pair{"Upper rim", "0, 0.118, 0"}, {"Lower rim", "0, -0.118, 0"}})
              b.add("object.torus", name,
                    {{"radius", "0.3"}, {"tube", "8 mm"}, {"position", y}, {"material", "Band brass"}}, b.in(band));
            for (const auto& [name, y] : {std::pair{"Lid", "0, 0.118, 0"}, {"Bottom", "0, -0.118, 0"}})
              b.add("object.cylinder", name,
                    {{"radius", "0.3"},
                     {"height", "6 mm"},
                     {"position", y},
                     {"material", "Dark bronze"},
                     {"segments", "128"}},
                    b.in(band));
            b.add("object.cylinder", "Stem",
                  {{"radius", "12 mm"}, {"height", "0.5"}, {"position", "0.03, 0.25, 0"}, {"material", "Dark bronze"}});
            b.add("object.cone", "Foot",
                  {{"radius", "0.12"},
                   {"top", "20 mm"},
                   {"height", "60 mm"},
                   {"position", "0.03, 0.03, 0"},
                   {"material", "Dark bronze"}});
            b.add("light.point", "Zodiac lamp",
                  {{"power", "2600"}, {"color", "1, 0.66, 0.32"}, {"radius", "9 mm"}, {"position", "0, 0.62, 0"}});
            b.add("light.area", "Night window",
                  {{"power", "3500"},
                   {"color", "0.36, 0.54, 1"},
                   {"width", "1"},
                   {"height", "2"},
                   {"position", "-3, 2.4, 1.6"},
                   {"target", "0, 0.4, 0"},
                   {"seen", "off"}});
            b.add("air.beam", "Zodiac shafts",
                  {{"light", "Zodiac lamp"},
                   {"reach", "1.35"},
                   {"fade", "100 %"},
                   {"edge", "0"},
                   {"density", "0.9"},
                   {"anisotropy", "0.2"}});
            b.add("camera.lens", "Camera",
                  {{"position", "0.2, 0.95, 2.7"},
                   {"target", "0, 0.56, 0"},
                   {"focal_length", "44"},
                   {"focus", "2.6"},
                   {"f_stop", "5.6"},
                   {"ev100", "4.6"}});
            b.add("effect.lamp_in_mist", "Zodiac in mist", {{"from", "Zodiac lamp"}, {"through", "Zodiac shafts"}});
            // Beside the shafts in the air those of the lens: out of what shines through the signs.
            b.add("lens.screen_shafts", "Rays of the signs",
                  {{"sources", "Zodiac band, Zodiac lamp"},
                   {"amount", "30 %"},
                   {"centre_by", "thing"},
                   {"centre_at", "Zodiac"},
                   {"length", "80 %"},
                   {"fade", "1 %"},
                   {"gather", "25 %"},
                   {"keyed", "on"},
                   {"key", "1"},
                   {"tint", "1, 0.82, 0.6"}});
            return StarterContent{b.take(), {{"orrery-assets/zodiac-band.glb", zodiacBandFile()}}};
          }};
}

} // namespace ilumbra
