#include "core/base/colorspace.h"
#include "core/compile/camera.h"
#include "core/lens/stage.h"

namespace ilumbra {
namespace {

LensOperator prepare(const Params& p, const Picture&, const LensContext& c) {
  const Anchor centre = anchorOf(p, "centre", c);
  const Color dark = working(p.triple("color"));
  auto gain = std::make_shared<Picture>(c.width, c.height);
  double filmWidth = 36, focal = 50;
  if (const Node* camera = activeCamera(c.doc)) {
    const Params lens(*camera, c.frame);
    filmWidth = lens.number("film_width");
    focal = lens.number("focal_length");
  }
  const bool natural = p.text("shape") == "natural";
  const float radius = std::max(1e-3f, p.real("radius")), soft = std::max(1e-3f, p.real("soft")),
              round = clamp01(p.real("roundness"));
  // Of the frame's half diagonal; or squeezed to the frame's own proportions.
  const float half = 0.5f * std::hypot(float(c.frameWidth), float(c.frameHeight)),
              ax = mix(0.70710678f * float(c.frameWidth), half, round),
              ay = mix(0.70710678f * float(c.frameHeight), half, round);
  const auto perPixel = float(filmWidth / std::max(1, c.frameWidth) / focal);
  c.tasks.forEach(c.height, [=, &c](int y) {
    const float dy = float(y) + 0.5f - centre.at.y, left = 0.5f - centre.at.x;
    std::vector<float> keep(static_cast<size_t>(c.width));
    if (natural) // cos⁴ of the angle at which light meets the film
      for (int x = 0; x < c.width; ++x)
        keep[size_t(x)] = 1 / sqr(1 + sqr((float(x) + left) * perPixel) + sqr(dy * perPixel));
    else
      for (int x = 0; x < c.width; ++x)
        keep[size_t(x)] =
            1 - smoothstep((std::sqrt(sqr((float(x) + left) / ax) + sqr(dy / ay)) - radius) / soft + 0.5f);
    float* g = gain->at(0, y);
    for (const float k : keep)
      for (int i = 0; i < 3; ++i) *g++ = k + (1 - k) * dark[i];
  });
  return scaled(gain, c.tasks);
}

} // namespace

LensStage vignetteStage() {
  return {.kind = {.id = "lens.vignette",
                   .label = "Vignette",
                   .helpText = "Takes light from the corners: as lenses do by nature, or by a shape.",
                   .params = join({stageParams(0.6, 1),
                                   {choice("shape", "Shape", {"drawn", "natural"})
                                        .at(Invalidation::Lens)
                                        .help("By the values below, or by the fourth power of the cosine of the angle "
                                              "of light on the camera's film"),
                                    number("radius", "Radius", "%", 0.85)
                                        .soft(0.2, 1.5)
                                        .range(0.01, 20)
                                        .at(Invalidation::Lens)
                                        .matters()
                                        .when("shape", "drawn")
                                        .help("Where half of it is gone, by the half diagonal"),
                                    number("soft", "Softness", "%", 0.7)
                                        .soft(0, 2)
                                        .range(0, 20)
                                        .at(Invalidation::Lens)
                                        .matters()
                                        .when("shape", "drawn")
                                        .help("Width of its edge, by the half diagonal"),
                                    number("roundness", "Roundness", "%", 0.5)
                                        .soft(0, 1)
                                        .range(0, 1)
                                        .at(Invalidation::Lens)
                                        .when("shape", "drawn")
                                        .help("0 %: as wide as the frame is; 100 %: round"),
                                    color("color", "Into", {0, 0, 0})
                                        .soft(0, 1)
                                        .at(Invalidation::Lens)
                                        .help("What is left of the light outside: black takes all of it")},
                                   anchorParams("centre", "Centre", "Centre")}),
                   .slots = stageSlots(),
                   .existence = Invalidation::Lens},
          .handles = {{StageHandle::Shape::CentreRing, "radius", "Radius of the vignette"}},
          .prepare = prepare,
          .inPlace = true,
          .looks = {
              {"By nature", {{"shape", "natural"}, {"amount", "100 %"}}},
              {"Gentle", {{"amount", "35 %"}, {"soft", "100 %"}}},
              {"Spyglass", {{"amount", "100 %"}, {"radius", "55 %"}, {"soft", "5 %"}, {"roundness", "100 %"}}},
              {"Old plate", {{"amount", "80 %"}, {"radius", "75 %"}, {"soft", "60 %"}, {"color", "0.12, 0.07, 0.03"}}},
              {"Cold corners", {{"amount", "60 %"}, {"color", "0.3, 0.4, 0.6"}}},
              {"Closing in", {{"amount", "95 %"}, {"radius", "45 %"}, {"soft", "80 %"}}}}};
}

} // namespace ilumbra
