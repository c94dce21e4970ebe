#include "core/base/sampling.h"
#include "core/lens/stage.h"

namespace ilumbra {
namespace {

// Smooth noise over time, -1 to 1: quintic between random values at whole numbers. `period`: a whole number after which
// it comes again; 0: never.
float wander(float t, uint32_t seed, float period) {
  const float f = std::floor(t), u = t - f;
  const auto value = [&](float at) {
    if (period > 0) at -= period * std::floor(at / period);
    return 2 * sampling::toUnit(mixBits(uint32_t(int32_t(at)) * 2654435761u + seed)) - 1;
  };
  const float s = u * u * u * (u * (6 * u - 15) + 10);
  return value(f) * (1 - s) + value(f + 1) * s;
}

LensOperator prepare(const Params& p, const Picture&, const LensContext& c) {
  const auto seed = mixBits(uint32_t(p.number("seed")) * 131u + 5u);
  const float depth = p.real("depth");
  double t = c.seconds() * p.number("rate"), beats = 0;
  if (const double loop = p.number("loop") / settingsOf(c.doc).number("rate"); loop > 0) {
    beats = std::max(1.0, std::round(p.number("rate") * loop));
    t = c.seconds() / loop * beats;
    t -= beats * std::floor(t / beats);
  }
  // Of a loop each part comes a whole number of times.
  const auto part = [&](double faster, uint32_t other) {
    const double times = std::round(faster * beats);
    return wander(float(beats > 0 ? t * times / beats : faster * t), seed + other, float(times));
  };
  const float regular = 0.5f + 0.5f * float(std::cos(2 * M_PI * t)),
              wild = 0.5f +
                     0.5f * std::clamp(0.7f * part(1, 0) + 0.4f * part(2.3, 77) + 0.25f * part(5.1, 191), -1.0f, 1.0f);
  float light = 1 - depth * (1 - mix(regular, wild, p.real("uneven")));
  if (const float drops = p.real("drops");
      drops > 0 && sampling::toUnit(mixBits(uint32_t(int32_t(std::floor(t))) * 747796405u + seed)) < drops)
    light *= 1 - p.real("drop_depth");
  light = std::max(0.0f, light);
  return {[light, &tasks = c.tasks](const Picture& layer) {
    LensWork work{{}, Picture(layer.width, layer.height), true};
    tasks.forEach(layer.height, [&](int y) {
      const float* in = layer.at(0, y);
      float* o = work.spread.at(0, y);
      for (int i = 0; i < 3 * layer.width; ++i) o[i] = light * in[i];
    });
    return work;
  }};
}

} // namespace

LensStage flickerStage() {
  return {.kind = {.id = "lens.flicker",
                   .label = "Flicker",
                   .helpText = "Makes its sources brighter and darker over time: evenly, wildly, or dropping out.",
                   .params = join({stageParams(1, 1),
                                   {number("depth", "Depth", "%", 0.3)
                                        .soft(0, 1)
                                        .range(0, 1)
                                        .at(Invalidation::Lens)
                                        .matters()
                                        .help("How dark it becomes"),
                                    number("rate", "Rate", "", 6)
                                        .soft(0.1, 30)
                                        .range(0, 1000)
                                        .log()
                                        .at(Invalidation::Lens)
                                        .matters()
                                        .help("Times a second"),
                                    number("uneven", "Unevenness", "%", 1)
                                        .soft(0, 1)
                                        .range(0, 1)
                                        .at(Invalidation::Lens)
                                        .help("0 %: a steady beat; 100 %: like a flame"),
                                    number("drops", "Drop-outs", "%", 0)
                                        .soft(0, 0.5)
                                        .range(0, 1)
                                        .at(Invalidation::Lens)
                                        .help("How often it fails for a beat"),
                                    number("drop_depth", "Drop depth", "%", 0.8)
                                        .soft(0, 1)
                                        .range(0, 1)
                                        .at(Invalidation::Lens)
                                        .help("How dark it is then"),
                                    integer("loop", "Loop", 0)
                                        .soft(0, 480)
                                        .range(0, 1e6)
                                        .zero("never")
                                        .at(Invalidation::Lens)
                                        .help("Frames after which it comes again; its rate is then the nearest that "
                                              "makes whole beats"),
                                    number("seed", "Seed", "", 1)
                                        .soft(1, 100)
                                        .range(0, 1e6)
                                        .at(Invalidation::Lens)
                                        .help("Another course of it")}}),
                   .slots = stageSlots(),
                   .existence = Invalidation::Lens,
                   .changesByTime = [](const Params& p) { return p.number("rate") > 0; }},
          .prepare = prepare,
          .idle =
              [](const Params& p) {
                return p.number("depth") == 0 && p.number("drops") == 0 ? std::string("its depth is 0") : std::string();
              },
          .inPlace = true,
          .looks = {{"Candle", {{"depth", "25 %"}, {"rate", "5"}}},
                    {"Failing tube", {{"depth", "15 %"}, {"rate", "12"}, {"drops", "25 %"}, {"drop_depth", "90 %"}}},
                    {"Breathing", {{"depth", "50 %"}, {"rate", "0.25"}, {"uneven", "0 %"}}},
                    {"Old projector", {{"depth", "12 %"}, {"rate", "16"}, {"uneven", "60 %"}}},
                    {"Beacon", {{"depth", "100 %"}, {"rate", "0.5"}, {"uneven", "0 %"}}},
                    {"Storm", {{"depth", "60 %"}, {"rate", "9"}, {"drops", "40 %"}, {"drop_depth", "70 %"}}}}};
}

} // namespace ilumbra
