#include "core/compile/camera.h"
#include "core/image/convolution.h"
#include "core/image/resample.h"
#include "core/lens/stage.h"

namespace ilumbra {
namespace {

// The aperture's own shape, evenly bright: each pixel by 4 × 4 points of it.
Picture apertureKernel(const Aperture& opening, float radius) {
  const int reach = std::max(1, int(std::ceil(radius)) + 1);
  Picture k(2 * reach + 1, 2 * reach + 1);
  double sum = 0;
  for (int y = 0; y < k.height; ++y)
    for (int x = 0; x < k.width; ++x) {
      int in = 0;
      for (int j = 0; j < 4; ++j)
        for (int i = 0; i < 4; ++i) {
          const float dx = float(x - reach) + (float(i) + 0.5f) / 4 - 0.5f,
                      dy = float(y - reach) + (float(j) + 0.5f) / 4 - 0.5f;
          in += std::hypot(dx, dy) <= radius * opening.edge(std::atan2(-dy, dx));
        }
      for (int c = 0; c < 3; ++c) k.at(x, y)[c] = float(in);
      sum += in;
    }
  if (sum > 0)
    for (float& v : k.rgb) v = float(double(v) / sum);
  return k;
}

LensOperator prepare(const Params& p, const Picture&, const LensContext& c) {
  const float size = c.size(p.number("size"));
  if (p.text("shape") == "soft")
    return {[size, &tasks = c.tasks](const Picture& layer) {
      return LensWork{{}, blurred(layer, 0.5f * size, tasks), true};
    }};
  if (size < 0.3f) return {[](const Picture& layer) { return LensWork{{}, layer, true}; }};
  const Aperture opening = p.text("shape") == "disc"
                               ? Aperture(0, 1, 0)
                               : Aperture(int(p.number("blades")), p.real("rounding"), p.real("turn"));
  auto convolution = std::make_shared<const Convolution>(apertureKernel(opening, size), c.width, c.height, c.tasks);
  return {[=, &tasks = c.tasks](const Picture& layer) { return LensWork{{}, convolution->apply(layer, tasks), true}; }};
}

} // namespace

LensStage blurStage() {
  return {.kind = {.id = "lens.blur",
                   .label = "Blur",
                   .helpText = "Blurs its sources: softly, or each point to the shape of an aperture.",
                   .params = join({stageParams(1, 1),
                                   {number("size", "Size", "%", 0.01)
                                        .soft(0, 0.1)
                                        .range(0, 2)
                                        .at(Invalidation::Lens)
                                        .matters()
                                        .help("Radius, by the frame's height"),
                                    choice("shape", "Shape", {"soft", "disc", "blades"})
                                        .at(Invalidation::Lens)
                                        .matters()
                                        .help("A soft spot, or the evenly bright one of a lens out of focus"),
                                    integer("blades", "Blades", 6)
                                        .soft(3, 12)
                                        .range(3, 64)
                                        .at(Invalidation::Lens)
                                        .when("shape", "blades")
                                        .help("Of the aperture"),
                                    number("rounding", "Rounding", "%", 0.2)
                                        .soft(0, 1)
                                        .range(0, 1)
                                        .at(Invalidation::Lens)
                                        .when("shape", "blades")
                                        .help("How far the blades bulge out to the circle"),
                                    number("turn", "Turn", "°", 0)
                                        .soft(-90, 90)
                                        .at(Invalidation::Lens)
                                        .when("shape", "blades")
                                        .help("Of the aperture")}}),
                   .slots = stageSlots(),
                   .existence = Invalidation::Lens},
          .handles = {{StageHandle::Shape::SourceRing, "size", "Size of the blur"}},
          .prepare = prepare,
          .idle = [](const Params& p) { return p.number("size") == 0 ? std::string("its size is 0") : std::string(); },
          .carries = true,
          .looks = {{"Hint of softness", {{"size", "0.3 %"}}},
                    {"Out of focus", {{"size", "2 %"}, {"shape", "disc"}}},
                    {"Six-sided lights", {{"size", "3 %"}, {"shape", "blades"}, {"blades", "6"}, {"rounding", "0 %"}}},
                    {"Dream", {{"size", "2 %"}, {"amount", "40 %"}}},
                    {"Frosted", {{"size", "5 %"}}},
                    {"Five old blades",
                     {{"size", "2 %"}, {"shape", "blades"}, {"blades", "5"}, {"rounding", "30 %"}, {"turn", "18 °"}}}}};
}

} // namespace ilumbra
