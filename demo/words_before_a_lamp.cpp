// Words before a lamp: their shadows streak over the picture.
#include "demo/scene_builder.h"
#include "demo/starters.h"

namespace ilumbra {

Starter wordsBeforeALampStarter() {
  return {"words-before-a-lamp", "Words before a lamp",
          "Letters before a lamp in a niche: the lens streaks their shadow over the picture, from the lamp outwards",
          [](const std::shared_ptr<const Kinds>& kinds) {
            SceneBuilder b(kinds);
            b.settings({{"width", "1280"}, {"height", "800"}, {"samples", "128"}, {"noise", "1.5 %"}});
            b.preset("Niche plaster", "Plaster");
            b.set(b.find("Niche plaster"), {{"base_color", "0.5, 0.4, 0.32"}});
            b.preset("Letter bronze", "Weathered bronze");
            b.set(b.find("Letter bronze"), {{"base_color", "0.03, 0.03, 0.03"}});
            b.preset("Sill slate", "Honed slate");
            b.set(b.find("Sill slate"), {{"roughness", "0.18"}});
            b.add("object.plane", "Niche",
                  {{"width", "8"},
                   {"depth", "5"},
                   {"position", "0, 1, -0.62"},
                   {"turn", "90, 0, 0"},
                   {"material", "Niche plaster"}});
            b.add("object.box", "Sill",
                  {{"width", "6"},
                   {"height", "0.1"},
                   {"depth", "1.6"},
                   {"round", "6 mm"},
                   {"position", "0, -0.05, 0"},
                   {"material", "Sill slate"}});
            b.add("object.text", "Words",
                  {{"text", "ORRERY"},
                   {"letter", "0.24"},
                   {"depth", "50 mm"},
                   {"tracking", "0.04"},
                   {"position", "0, 0.02, 0"},
                   {"material", "Letter bronze"}});
            b.add(
                "light.point", "Niche lamp",
                {{"power", "2600"}, {"color", "1, 0.68, 0.36"}, {"radius", "40 mm"}, {"position", "0.05, 0.16, -0.3"}});
            b.add("light.sky", "Dusk", {{"power", "1.2"}, {"color", "0.35, 0.5, 0.9"}});
            b.add("camera.lens", "Camera",
                  {{"position", "0, 0.3, 1.75"},
                   {"target", "0, 0.2, 0"},
                   {"focal_length", "46"},
                   {"focus", "1.75"},
                   {"f_stop", "8"},
                   {"ev100", "7.2"}});
            b.effect("effect.screen_shafts", "Shadows of words", {"Words"});
            b.set(b.find("Words screen shafts rays"), {{"length", "92 %"}, {"amount", "100 %"}, {"fade", "0 %"}});
            return StarterContent{b.take(), {}};
          }};
}

} // namespace ilumbra
