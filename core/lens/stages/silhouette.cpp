#include "core/base/colorspace.h"
#include "core/lens/stage.h"

namespace ilumbra {
namespace {

LensOperator prepare(const Params& p, const Picture&, const LensContext& c) {
  const Color flat = working(p.triple("color")) * float(std::exp2(p.number("stops")));
  LensOperator op;
  op.rest = Picture(c.width, c.height);
  for (size_t i = 0; i < c.covered.size() && 3 * i + 2 < op.rest.rgb.size(); ++i)
    for (size_t k = 0; k < 3; ++k) op.rest.rgb[3 * i + k] = flat[int(k)] * clamp01(c.covered[i]);
  op.apply = [](const Picture& layer) { return LensWork{{}, Picture(layer.width, layer.height), true}; };
  return op;
}

} // namespace

LensStage silhouetteStage() {
  return {
      .kind = {.id = "lens.silhouette",
               .label = "Silhouette",
               .helpText = "Puts one flat colour in the place of its sources' light, as far as they cover each pixel.",
               .params = join({stageParams(1, 1),
                               {color("color", "Colour", {0.02, 0.02, 0.02})
                                    .soft(0, 1)
                                    .at(Invalidation::Lens)
                                    .matters()
                                    .help("Of every pixel that its sources cover"),
                                number("stops", "Stops", "stops", 0)
                                    .soft(-6, 6)
                                    .range(-40, 40)
                                    .at(Invalidation::Lens)
                                    .matters()
                                    .help("Brighter or darker than the colour says")}}),
               .slots = stageSlots(),
               .existence = Invalidation::Lens},
      .prepare = prepare,
      .linear = false,
      .inPlace = true,
      .covers = true,
      .looks = {{"Against the light", {{"color", "0.004, 0.004, 0.005"}}},
                {"Cut from paper", {{"color", "0.8, 0.78, 0.72"}}},
                {"Hologram", {{"color", "0.12, 0.75, 0.7"}, {"stops", "1"}, {"amount", "70 %"}}},
                {"Night blue", {{"color", "0.01, 0.02, 0.06"}, {"amount", "90 %"}}},
                {"Infrared", {{"color", "1, 0.12, 0.02"}, {"stops", "0.5"}}},
                {"Half drowned", {{"color", "0, 0, 0"}, {"amount", "50 %"}}}}};
}

} // namespace ilumbra
