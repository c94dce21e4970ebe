#include "core/base/sampling.h"
#include "core/lens/resample.h"
#include "core/lens/stages.h"

namespace ilumbra {
namespace {

// Numbers of mean 0 and variance 1, as normally spread as 16384 of their quantiles: by the inverse of the distribution (Moro 1995), scaled
// to the variance of 1 that the cut tails take away.
const std::vector<float>& quantiles() {
  static const std::vector<float> all = [] {
    constexpr int count = 16384;
    std::vector<float> q;
    double sum = 0;
    for (int i = 0; i < count; ++i) {
      const double u = (i + 0.5) / count, y = u - 0.5;
      double x;
      if (std::abs(y) < 0.42) {
        const double r = y * y;
        x = y * (((-25.44106049637 * r + 41.39119773534) * r - 18.61500062529) * r + 2.50662823884) / ((((3.13082909833 * r - 21.06224101826) * r + 23.08336743743) * r - 8.47351093090) * r + 1);
      } else {
        const double k = std::log(-std::log(y > 0 ? 1 - u : u));
        const double c[] = {0.3374754822726147, 0.9761690190917186, 0.1607979714918209, 0.0276438810333863, 0.0038405729373609, 0.0003951896511919, 0.0000321767881768, 0.0000002888167364, 0.0000003960315187};
        x = 0;
        for (int j = 8; j >= 0; --j) x = x * k + c[j];
        if (y < 0) x = -x;
      }
      q.push_back(float(x));
      sum += x * x;
    }
    for (float& v : q) v *= float(1 / std::sqrt(sum / count));
    return q;
  }();
  return all;
}

LensOperator prepare(const Params& p, const Picture& source, const LensContext& c) {
  const float strength = p.real("strength"), colour = clamp01(p.real("color")), size = c.size(p.number("size")), shadows = p.real("shadows");
  const auto moment = p.flag("moves") ? uint32_t(int64_t(std::floor(c.frame))) : 0u;
  const uint32_t seed = mixBits(uint32_t(p.number("seed")) + mixBits(moment + 0x51ed270bu));
  Picture noise(c.width, c.height);
  // From the pixel, the frame and the seed alone.
  const auto normal = [&q = quantiles()](uint32_t key) { return q[mixBits(key) >> 18]; };
  const float grey = std::sqrt(1 - colour), own = std::sqrt(colour);
  c.tasks.forEach(c.height, [&](int y) {
    for (int x = 0; x < c.width; ++x) {
      const uint32_t key = mixBits(uint32_t(x - c.left) + mixBits(uint32_t(y - c.top) + seed));
      const float all = grey * normal(key);
      for (int k = 0; k < 3; ++k) noise.at(x, y)[k] = all + (own > 0 ? own * normal(key + uint32_t(k + 1) * 0x68bc21ebu) : 0);
    }
  });
  if (size > 0.6f) {
    // Coarser grains: blurred, and as strong as before.
    const float sigma = 0.5f * size;
    noise = blurred(noise, sigma, c.tasks);
    const float gain = std::max(1.0f, 2 * std::sqrt(pi) * sigma);
    for (float& v : noise.rgb) v *= gain;
  }
  Picture out = source;
  // As light that is counted: its spread grows with its root; in the dark a floor of its own.
  forEachRow(out, c.tasks, [&](int y) {
    float *o = out.at(0, y), *n = noise.at(0, y);
    for (int x = 0; x < out.width; ++x, o += 3, n += 3)
      for (int k = 0; k < 3; ++k) o[k] += strength * 0.25f * n[k] * std::sqrt(std::max(0.0f, o[k]) + 0.02f * shadows);
  });
  return pointwise(source, std::move(out), c.tasks);
}

} // namespace

LensStage grainStage() {
  return {.kind = {.id = "lens.grain",
                   .label = "Grain",
                   .helpText = "The grain of a film, or the noise of a chip: it grows with the root of the light.",
                   .params = join({stageParams(1, 1),
                                   {number("strength", "Strength", "%", 0.12).soft(0, 1).range(0, 10).at(Stage::Lens).matters().help("At white, four times the spread of a pixel"),
                                    number("size", "Size", "%", 0.0015).soft(0, 0.01).range(0, 0.5).at(Stage::Lens).matters().help("Of a grain, by the frame's height; never finer than a pixel"),
                                    number("color", "Colour", "%", 0.3).soft(0, 1).range(0, 1).at(Stage::Lens).help("How much the channels differ"),
                                    number("shadows", "In the dark", "%", 0.3).soft(0, 1).range(0, 10).at(Stage::Lens).help("Grain where there is no light"),
                                    flag("moves", "Another in each frame", true).at(Stage::Lens).help("Off: it stands still"),
                                    number("seed", "Seed", "", 1).soft(1, 100).range(0, 1e6).at(Stage::Lens).help("Other grains")}}),
                   .slots = stageSlots(),
                   .existence = Stage::Lens,
                   .changesByTime = [](const Params& p) { return p.flag("moves"); }},
          .prepare = prepare,
          .linear = false,
          .idle = [](const Params& p) { return p.number("strength") == 0 ? std::string("its strength is 0") : std::string(); },
          .inPlace = true,
          .looks = {{"Fine film", {{"strength", "8 %"}, {"size", "0.1 %"}}},
                    {"Pushed two stops", {{"strength", "35 %"}, {"size", "0.25 %"}, {"color", "20 %"}}},
                    {"Silver", {{"strength", "20 %"}, {"size", "0.2 %"}, {"color", "0 %"}}},
                    {"Small chip at night", {{"strength", "40 %"}, {"size", "0 %"}, {"color", "90 %"}, {"shadows", "100 %"}}},
                    {"Narrow gauge", {{"strength", "30 %"}, {"size", "0.5 %"}, {"color", "30 %"}}},
                    {"Still plate", {{"strength", "25 %"}, {"size", "0.3 %"}, {"moves", "off"}}}}};
}

} // namespace ilumbra
