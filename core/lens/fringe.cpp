#include "core/lens/resample.h"
#include "core/lens/stages.h"

namespace ilumbra {
namespace {

LensOperator prepare(const Params& p, const Picture&, const LensContext& c) {
  const Anchor centre = anchorOf(p, "centre", c);
  const float across = p.real("across"), around = p.real("around");
  const Edge edge = edgeOf(p.text("edge"));
  const float soft[3] = {c.size(p.number("red_soft")), 0, c.size(p.number("blue_soft"))};
  const float far = 0.5f * std::hypot(float(c.frameWidth), float(c.frameHeight));
  return {[=, &tasks = c.tasks](const Picture& layer) {
    LensWork work{layer, layer};
    for (int k = 0; k < 3; ++k) {
      const float by = k == 0 ? across : k == 2 ? -across : 0;
      const bool moves = by != 0;
      if (!moves && soft[k] < 0.02f) continue;
      Picture one(layer.width, layer.height);
      for (size_t i = size_t(k); i < layer.rgb.size(); i += 3) one.rgb[i] = layer.rgb[i];
      if (soft[k] >= 0.02f) one = blurred(one, soft[k], tasks);
      if (moves)
        one = warped(one, edge, tasks, [&](float x, float y) {
          const V2f d = V2f(x, y) - centre.at;
          // Growing with the distance as a power of it: 0 a mere change of size, more only towards the corners.
          const float r = d.length() / far, s = 1 - by * std::pow(r, around);
          return centre.at + d * s;
        });
      for (size_t i = size_t(k); i < layer.rgb.size(); i += 3) work.spread.rgb[i] = one.rgb[i];
    }
    return work;
  }};
}

} // namespace

LensStage fringeStage() {
  return {.kind = {.id = "lens.fringe",
                   .label = "Fringe",
                   .helpText = "Colour fringes: red and blue are drawn larger and smaller towards the corners, or out of focus.",
                   .params = join({stageParams(1, 1),
                                   {number("across", "Across", "%", 0.003).soft(-0.02, 0.02).range(-0.5, 0.5).at(Stage::Lens).matters().help("How much larger red is drawn than green, and green than blue, at the corners"),
                                    number("around", "Towards the corners", "", 1).soft(0, 4).range(0, 20).at(Stage::Lens).help("0: everywhere alike; more: only far from the centre"),
                                    number("red_soft", "Red softness", "%", 0).soft(0, 0.01).range(0, 1).at(Stage::Lens).help("Blur of red, by the frame's height"),
                                    number("blue_soft", "Blue softness", "%", 0.001).soft(0, 0.01).range(0, 1).at(Stage::Lens).help("Blur of blue, by the frame's height")},
                                   anchorParams("centre", "Centre", "Centre"),
                                   {choice("edge", "Beyond the edge", {"held", "mirrored", "wrapped", "black"}).at(Stage::Lens).in("Centre").help("What is read outside the picture")}}),
                   .slots = stageSlots(),
                   .existence = Stage::Lens},
          .prepare = prepare,
          .looks = {{"Hint", {{"across", "0.1 %"}}},
                    {"Old zoom", {{"across", "0.6 %"}, {"around", "2"}, {"blue_soft", "0.2 %"}}},
                    {"Plastic lens", {{"across", "1.5 %"}, {"around", "1"}, {"red_soft", "0.2 %"}, {"blue_soft", "0.4 %"}}},
                    {"Blue halo", {{"across", "0 %"}, {"blue_soft", "0.6 %"}}},
                    {"Prism", {{"across", "4 %"}, {"around", "0"}}},
                    {"Corners only", {{"across", "1 %"}, {"around", "4"}}}}};
}

} // namespace ilumbra
