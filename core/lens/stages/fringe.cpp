#include "core/image/resample.h"
#include "core/lens/stage.h"

#include <array>

namespace ilumbra {
namespace {

LensOperator prepare(const Params& p, const Picture&, const LensContext& c) {
  const Anchor centre = anchorOf(p, "centre", c);
  const float across = p.real("across"), around = p.real("around");
  const Edge edge = edgeOf(p.text("edge"));
  const std::array<float, 3> soft = {c.size(p.number("red_soft")), 0, c.size(p.number("blue_soft"))};
  const float far = 0.5f * std::hypot(float(c.frameWidth), float(c.frameHeight));
  return {[=, &tasks = c.tasks](const Picture& layer) {
    LensWork work{{}, Picture(layer.width, layer.height), true};
    // Red, which is drawn larger or smaller, and blue the other way.
    Picture softer[2];
    for (int i = 0; i < 2; ++i)
      if (soft[2 * i] >= 0.02f) softer[i] = blurred(layer, soft[2 * i], tasks);
    const PictureReader red(softer[0].rgb.empty() ? layer : softer[0], edge),
        blue(softer[1].rgb.empty() ? layer : softer[1], edge);
    forEachRow(layer, tasks, [&](int y) {
      float* o = work.spread.at(0, y);
      const float* here = layer.at(0, y);
      for (int x = 0; x < layer.width; ++x, o += 3, here += 3) {
        const V2f d = V2f(float(x) + 0.5f, float(y) + 0.5f) - centre.at;
        // Growing with the distance as a power of it: 0 a mere change of size, more only towards the corners.
        const float r = d.length() / far, s = across == 0 ? 0
                                                          : across * (around == 0   ? 1
                                                                      : around == 1 ? r
                                                                      : around == 2 ? r * r
                                                                                    : std::pow(r, around));
        const V2f one = centre.at + d * (1 - s), two = centre.at + d * (1 + s);
        o[0] = red.channel(one.x, one.y, 0);
        o[1] = here[1];
        o[2] = blue.channel(two.x, two.y, 2);
      }
    });
    return work;
  }};
}

} // namespace

LensStage fringeStage() {
  return {
      .kind = {.id = "lens.fringe",
               .label = "Fringe",
               .helpText =
                   "Colour fringes: red and blue are drawn larger and smaller towards the corners, or out of focus.",
               .params =
                   join({stageParams(1, 1),
                         {number("across", "Across", "%", 0.003)
                              .soft(-0.02, 0.02)
                              .range(-0.5, 0.5)
                              .at(Invalidation::Lens)
                              .matters()
                              .help("How much larger red is drawn than green, and green than blue, at the corners"),
                          number("around", "Towards the corners", "", 1)
                              .soft(0, 4)
                              .range(0, 20)
                              .at(Invalidation::Lens)
                              .help("0: everywhere alike; more: only far from the centre"),
                          number("red_soft", "Red softness", "%", 0)
                              .soft(0, 0.01)
                              .range(0, 1)
                              .at(Invalidation::Lens)
                              .help("Blur of red, by the frame's height"),
                          number("blue_soft", "Blue softness", "%", 0.001)
                              .soft(0, 0.01)
                              .range(0, 1)
                              .at(Invalidation::Lens)
                              .help("Blur of blue, by the frame's height")},
                         anchorParams("centre", "Centre", "Centre"),
                         {choice("edge", "Beyond the edge", {"held", "mirrored", "wrapped", "black"})
                              .at(Invalidation::Lens)
                              .in("Centre")
                              .help("What is read outside the picture")}}),
               .slots = stageSlots(),
               .existence = Invalidation::Lens},
      .prepare = prepare,
      .looks = {{"Hint", {{"across", "0.1 %"}}},
                {"Old zoom", {{"across", "0.6 %"}, {"around", "2"}, {"blue_soft", "0.2 %"}}},
                {"Plastic lens", {{"across", "1.5 %"}, {"around", "1"}, {"red_soft", "0.2 %"}, {"blue_soft", "0.4 %"}}},
                {"Blue halo", {{"across", "0 %"}, {"blue_soft", "0.6 %"}}},
                {"Prism", {{"across", "4 %"}, {"around", "0"}}},
                {"Corners only", {{"across", "1 %"}, {"around", "4"}}}}};
}

} // namespace ilumbra
