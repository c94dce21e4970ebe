#include "core/lens/stages/glow.h"

#include "core/base/colorspace.h"
#include "core/lens/key.h"
#include "core/lens/stage.h"

namespace ilumbra {

GaussianSum glowKernel(float size, float falloff, int frameHeight) {
  GaussianSum kernel;
  float weight = 1, sum = 0, sigma = size * float(frameHeight);
  for (int i = 0; i < glowLobes; ++i) {
    kernel.lobes.push_back({weight, std::max(sigma, 0.0f)});
    sum += weight;
    weight *= falloff;
    sigma *= 0.5f;
  }
  for (GaussianSum::Lobe& l : kernel.lobes) l.weight /= sum;
  return kernel;
}

namespace {

// Luminance without colour to twice the saturation: linear in the light.
void saturate(Picture& p, float saturation, const Tasks& tasks) {
  if (saturation == 1) return;
  tasks.forEach(p.height, [&](int y) {
    float* o = p.at(0, y);
    for (int x = 0; x < p.width; ++x, o += 3) {
      const float l = luminance({o[0], o[1], o[2]});
      for (int c = 0; c < 3; ++c) o[c] = l + (o[c] - l) * saturation;
    }
  });
}

GaussianSum kernelOf(const Params& p, const LensContext& c) {
  GaussianSum k = glowKernel(p.real("size"), p.real("falloff"), c.frameHeight);
  const Color core = chromaticity(working(p.triple("core_tint"))), halo = chromaticity(working(p.triple("tint")));
  const float shift = p.real("shift");
  // Each channel's share of what is far out grows or falls with every lobe; each keeps its sum.
  Color sums(0.0f);
  for (int i = 0; i < glowLobes; ++i) {
    GaussianSum::Lobe& l = k.lobes[size_t(i)];
    const float out = 1 - float(i) / float(glowLobes - 1); // 1: the widest
    l.tint = Color(std::exp2(2 * shift * (out - 0.5f)), 1, std::exp2(-2 * shift * (out - 0.5f)));
    sums += l.tint * l.weight;
  }
  for (int i = 0; i < glowLobes; ++i) {
    GaussianSum::Lobe& l = k.lobes[size_t(i)];
    const float out = 1 - float(i) / float(glowLobes - 1);
    l.tint = Color(l.tint.x / sums.x, l.tint.y / sums.y, l.tint.z / sums.z) * mix(core, halo, out);
  }
  return k;
}

LensOperator prepare(const Params& p, const Picture& source, const LensContext& c) {
  auto shares = std::make_shared<const std::vector<float>>(keyShares(p, source, c.tasks));
  const GaussianSum kernel = kernelOf(p, c);
  const float saturation = p.text("color_from") == "own" ? 0 : p.real("saturation"), white = p.real("white");
  const auto take = [=, &tasks = c.tasks](const Picture& light) {
    return shares->empty() ? Picture() : keyed(light, *shares, tasks);
  };
  const auto spread = [=, &tasks = c.tasks](const Picture& taken, const Region& part, const Region& to,
                                            const GiveSpread& give) {
    Picture hued;
    if (saturation != 1) {
      hued = taken;
      saturate(hued, saturation, tasks);
    }
    convolve(saturation != 1 ? hued : taken, part, kernel, to, tasks, [&](int x, int y, int pixels, float* s) {
      // The source itself goes to white: its light stays where it is, without its hue.
      const int row = y + to.y - part.y, left = part.x - to.x;
      if (white > 0 && row >= 0 && row < part.height)
        for (int i = std::max(x, left); i < std::min(x + pixels, left + part.width); ++i) {
          const Color t = taken.color(i - left, row);
          const float l = luminance(t);
          for (int k = 0; k < 3; ++k) s[3 * (i - x) + k] += white * (l - t[k]);
        }
      give(x, y, pixels, s);
    });
  };
  return {.apply =
              [=](const Picture& layer) {
                LensWork work;
                work.taken = take(layer);
                work.all = work.taken.rgb.empty();
                work.spread = Picture(layer.width, layer.height);
                const Region all{0, 0, layer.width, layer.height};
                spread(work.all ? layer : work.taken, all, all, [&](int x, int y, int pixels, const float* s) {
                  std::copy_n(s, 3 * pixels, work.spread.at(x, y));
                });
                return work;
              },
          .local = {.take = take,
                    .reach = [=, width = c.width, height = c.height](
                                 const Region& part) { return convolvedRegion(kernel, part, width, height); },
                    .spread = spread}};
}

} // namespace

LensStage glowStage() {
  return {
      .kind = {.id = "lens.glow",
               .label = "Glow",
               .helpText = "Spreads light around what is bright, as the scatter in a lens does. What it spreads it "
                           "takes away: no light is added.",
               .params = join({stageParams(0.2, 1),
                               {number("size", "Size", "%", 0.12)
                                    .soft(0.005, 0.5)
                                    .range(0.0001, 4)
                                    .log()
                                    .at(Invalidation::Lens)
                                    .matters()
                                    .help("Width of the widest halo by the frame's height"),
                                number("falloff", "Bright core", "×", 1)
                                    .soft(0.25, 4)
                                    .range(0.01, 100)
                                    .log()
                                    .at(Invalidation::Lens)
                                    .matters()
                                    .help("More than 1 draws the glow to its middle, less spreads it out to a veil")},
                               keyParams(false),
                               {choice("color_from", "Colour from", {"light", "own"})
                                    .at(Invalidation::Lens)
                                    .in("Colour")
                                    .help("Of the light, or a colour of its own"),
                                color("tint", "Halo", {1, 1, 1})
                                    .soft(0, 1)
                                    .at(Invalidation::Lens)
                                    .in("Colour")
                                    .help("Hue far out; keeps its luminance"),
                                color("core_tint", "Colour of the core", {1, 1, 1})
                                    .soft(0, 1)
                                    .at(Invalidation::Lens)
                                    .in("Colour")
                                    .help("Hue close to the source; keeps its luminance"),
                                number("shift", "Shift", "", 0)
                                    .soft(-1, 1)
                                    .range(-2, 2)
                                    .at(Invalidation::Lens)
                                    .in("Colour")
                                    .help("Above 0 the glow turns red with distance and blue within, below 0 the other "
                                          "way; no channel loses light"),
                                number("saturation", "Saturation", "%", 1)
                                    .soft(0, 2)
                                    .range(0, 4)
                                    .at(Invalidation::Lens)
                                    .in("Colour")
                                    .when("color_from", "light")
                                    .help("Of the glow, by the light's own"),
                                number("white", "White core", "%", 0)
                                    .soft(0, 1)
                                    .range(0, 1)
                                    .at(Invalidation::Lens)
                                    .in("Colour")
                                    .help("The source itself goes to white while its halo keeps the hue")}}),
               .slots = stageSlots(),
               .existence = Invalidation::Lens},
      .handles = {{StageHandle::Shape::SourceRing, "size", "Halo's edge"}},
      .prepare = prepare,
      .idle = keyIdle,
      .local = true,
      .looks = {{"Lantern in fog", {{"amount", "35 %"}, {"size", "25 %"}, {"falloff", "0.7"}}},
                {"Candle", {{"amount", "25 %"}, {"size", "9 %"}, {"falloff", "1.2"}, {"shift", "0.6"}}},
                {"Tight rim", {{"amount", "30 %"}, {"size", "2 %"}, {"falloff", "1.4"}}},
                {"Veil", {{"amount", "12 %"}, {"size", "60 %"}, {"falloff", "0.45"}}},
                {"Tube light", {{"amount", "40 %"}, {"size", "7 %"}, {"white", "70 %"}, {"saturation", "140 %"}}},
                {"Moonlit", {{"amount", "20 %"}, {"size", "16 %"}, {"tint", "0.45, 0.65, 1"}, {"saturation", "60 %"}}},
                {"Ember",
                 {{"amount", "30 %"},
                  {"size", "6 %"},
                  {"tint", "1, 0.25, 0.05"},
                  {"core_tint", "1, 0.8, 0.5"},
                  {"keyed", "on"},
                  {"key", "1 stops"}}}}};
}

} // namespace ilumbra
