#include "core/base/power.h"
#include "core/base/sampling.h"
#include "core/image/resample.h"
#include "core/lens/stage.h"

namespace ilumbra {
namespace {

// Of bits that fall evenly a number that is normally spread: by the inverse error function (M. Giles, Approximating the
// erfinv function, 2010), within 1e-5, without branches so that rows of it run in vector registers.
inline float normal(uint32_t bits) {
  const float x = (float(int32_t(bits >> 9)) + 0.5f) * 0x1p-22f - 1; // -1 to 1, never at its ends
  const float w = -0.69314718f * quickLog2((1 - x) * (1 + x)), a = w - 2.5f, b = std::sqrt(w) - 3;
  const float near =
      1.50140941f +
      a * (0.246640727f + a * (-0.00417768164f +
                               a * (-0.00125372503f +
                                    a * (0.00021858087f +
                                         a * (-4.39150654e-06f +
                                              a * (-3.5233877e-06f + a * (3.43273939e-07f + a * 2.81022636e-08f)))))));
  const float far =
      2.83297682f +
      b * (1.00167406f +
           b * (0.00943887047f +
                b * (-0.0076224613f +
                     b * (0.00573950773f + b * (-0.00367342844f +
                                                b * (0.00134934322f + b * (0.000100950558f - b * 0.000200214257f)))))));
  return 1.41421356f * x * (w < 5 ? near : far);
}

LensOperator prepare(const Params& p, const Picture& source, const LensContext& c) {
  const float strength = p.real("strength"), colour = clamp01(p.real("color")), size = c.size(p.number("size")),
              shadows = p.real("shadows");
  const auto moment = p.flag("moves") ? uint32_t(int64_t(std::floor(c.frame))) : 0u;
  const uint32_t seed = mixBits(uint32_t(p.number("seed")) + mixBits(moment + 0x51ed270bu));
  // From the pixel, the frame and the seed alone.
  const float grey = std::sqrt(1 - colour), own = std::sqrt(colour);
  const auto grains = [=, left = c.left, top = c.top, width = c.width](int y, float* to) {
    const uint32_t row = mixBits(uint32_t(y - top) + seed);
    std::vector<float> one(static_cast<size_t>(width));
    const auto numbers = [&](uint32_t more, float share) {
      float* n = one.data();
      for (int x = 0; x < width; ++x) n[x] = share * normal(mixBits(mixBits(uint32_t(x - left) + row) + more));
    };
    numbers(0, grey);
    for (int x = 0; x < width; ++x) to[3 * x] = to[3 * x + 1] = to[3 * x + 2] = one[size_t(x)];
    for (uint32_t k = 0; own > 0 && k < 3; ++k) {
      numbers((k + 1) * 0x68bc21ebu, own);
      for (int x = 0; x < width; ++x) to[3 * x + int(k)] += one[size_t(x)];
    }
  };
  Picture noise;
  float coarser = 1;
  if (size > 0.6f) {
    // Coarser grains: blurred, and as strong as before.
    noise = Picture(c.width, c.height);
    c.tasks.forEach(c.height, [&](int y) { grains(y, noise.at(0, y)); });
    const float sigma = 0.5f * size;
    noise = blurred(noise, sigma, c.tasks);
    coarser = std::max(1.0f, 2 * std::sqrt(pi) * sigma);
  }
  Picture out = source;
  // As light that is counted: its spread grows with its root; in the dark a floor of its own.
  forEachRow(out, c.tasks, [&](int y) {
    std::vector<float> row;
    if (noise.rgb.empty()) {
      row.resize(3 * size_t(out.width));
      grains(y, row.data());
    }
    float* o = out.at(0, y);
    const float* n = row.empty() ? noise.at(0, y) : row.data();
    const float gain = 0.25f * strength * coarser, floor = 0.02f * shadows;
    for (int i = 0, count = 3 * out.width; i < count; ++i)
      o[i] += gain * n[i] * std::sqrt(std::max(0.0f, o[i]) + floor);
  });
  return pointwise(source, std::move(out), c);
}

} // namespace

LensStage grainStage() {
  return {
      .kind = {.id = "lens.grain",
               .label = "Grain",
               .helpText = "The grain of a film, or the noise of a chip: it grows with the root of the light.",
               .params = join(
                   {stageParams(1, 1),
                    {number("strength", "Strength", "%", 0.12)
                         .soft(0, 1)
                         .range(0, 10)
                         .at(Invalidation::Lens)
                         .matters()
                         .help("At white, four times the spread of a pixel"),
                     number("size", "Size", "%", 0.0015)
                         .soft(0, 0.01)
                         .range(0, 0.5)
                         .at(Invalidation::Lens)
                         .matters()
                         .help("Of a grain, by the frame's height; never finer than a pixel"),
                     number("color", "Colour", "%", 0.3)
                         .soft(0, 1)
                         .range(0, 1)
                         .at(Invalidation::Lens)
                         .help("How much the channels differ"),
                     number("shadows", "In the dark", "%", 0.3)
                         .soft(0, 1)
                         .range(0, 10)
                         .at(Invalidation::Lens)
                         .help("Grain where there is no light"),
                     flag("moves", "Another in each frame", true).at(Invalidation::Lens).help("Off: it stands still"),
                     number("seed", "Seed", "", 1)
                         .soft(1, 100)
                         .range(0, 1e6)
                         .at(Invalidation::Lens)
                         .help("Other grains")}}),
               .slots = stageSlots(),
               .existence = Invalidation::Lens,
               .changesByTime = [](const Params& p) { return p.flag("moves"); }},
      .prepare = prepare,
      .linear = false,
      .idle =
          [](const Params& p) { return p.number("strength") == 0 ? std::string("its strength is 0") : std::string(); },
      .inPlace = true,
      .looks = {
          {"Fine film", {{"strength", "8 %"}, {"size", "0.1 %"}}},
          {"Pushed two stops", {{"strength", "35 %"}, {"size", "0.25 %"}, {"color", "20 %"}}},
          {"Silver", {{"strength", "20 %"}, {"size", "0.2 %"}, {"color", "0 %"}}},
          {"Small chip at night", {{"strength", "40 %"}, {"size", "0 %"}, {"color", "90 %"}, {"shadows", "100 %"}}},
          {"Narrow gauge", {{"strength", "30 %"}, {"size", "0.5 %"}, {"color", "30 %"}}},
          {"Still plate", {{"strength", "25 %"}, {"size", "0.3 %"}, {"moves", "off"}}}}};
}

} // namespace ilumbra
