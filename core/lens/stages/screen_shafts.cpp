#include "core/base/colorspace.h"
#include "core/image/resample.h"
#include "core/lens/key.h"
#include "core/lens/stage.h"

namespace ilumbra {
namespace {

// How light streaks from a centre: every pixel gathers what lies between it and the centre. Samples stand at geometric
// steps, and each pass doubles their number, so that there are as many as pixels on the longest ray and no bands.
struct Streak {
  V2f centre;
  float length; ///< share of the way to the centre that is gathered, below 1
  float fade;   ///< what is left at the far end, 0 to 1
  bool peak;    ///< the brightest counts, instead of the mean
  int passes;
  Streak(const V2f& c, float l, float f, bool p, const LensContext& context)
      : centre(c), length(std::min(0.98f, std::max(1e-4f, l))), fade(std::max(1e-4f, f)), peak(p) {
    float farthest = 0;
    for (const float x : {0.0f, float(context.width)})
      for (const float y : {0.0f, float(context.height)}) farthest = std::max(farthest, std::hypot(x - c.x, y - c.y));
    const float samples = std::max(2.0f, farthest * -std::log(1 - length));
    passes = std::clamp(int(std::ceil(std::log2(samples))), 1, 12);
  }
};

Picture streaked(const Picture& in, const Streak& s, const Tasks& tasks) {
  const double count = std::exp2(s.passes), step = std::log(1 - double(s.length)) / count,
               dim = std::log(double(s.fade)) / count;
  Picture now = in;
  double total = 1;
  for (int k = 0; k < s.passes; ++k) {
    const double n = std::exp2(k);
    const float scale = float(std::exp(step * n)), weight = float(std::exp(dim * n));
    Picture next(in.width, in.height);
    // Where each column is read: the same for all rows. Black beyond the edges.
    const int w = in.width, h = in.height;
    std::vector<int> column(static_cast<size_t>(w));
    std::vector<float> between(column.size());
    for (int x = 0; x < w; ++x) {
      const float fx = std::clamp(s.centre.x + (float(x) + 0.5f - s.centre.x) * scale - 0.5f, -1.0f, float(w)),
                  whole = std::floor(fx);
      column[size_t(x)] = 3 * (int(whole) + 1); // in a line with one black pixel on the left, and two on the right
      between[size_t(x)] = fx - whole;
    }
    tasks.forEach(h, [&](int y) {
      float* o = next.at(0, y);
      const float* here = now.at(0, y);
      const float fy = std::clamp(s.centre.y + (float(y) + 0.5f - s.centre.y) * scale - 0.5f, -1.0f, float(h)),
                  whole = std::floor(fy), t = fy - whole;
      std::vector<float> line(3 * size_t(w + 3), 0.0f);
      for (const auto& [row, share] : {std::pair{int(whole), weight * (1 - t)}, {int(whole) + 1, weight * t}}) {
        if (row < 0 || row >= h || share == 0) continue;
        const float* p = now.at(0, row);
        float* l = line.data() + 3;
        for (int i = 0; i < 3 * w; ++i) l[i] += share * p[i];
      }
      for (int x = 0; x < w; ++x, o += 3, here += 3) {
        const float* l = line.data() + column[size_t(x)];
        const float b = between[size_t(x)];
        for (int j = 0; j < 3; ++j) {
          const float c = l[j] + (l[j + 3] - l[j]) * b;
          o[j] = s.peak ? std::max(here[j], c) : here[j] + c;
        }
      }
    });
    now = std::move(next);
    total *= 1 + double(weight);
  }
  if (!s.peak)
    forEachRow(now, tasks, [&](int y) {
      float* o = now.at(0, y);
      for (int i = 0; i < 3 * now.width; ++i) o[i] *= float(1 / total);
    });
  return now;
}

// What covers the picture, or the sources' bright light: what the rays are made of.
Picture raysOf(bool shadow, const Picture& source, const std::vector<float>& shares, const LensContext& c) {
  if (!shadow) return keyed(source, shares, c.tasks);
  Picture bright(c.width, c.height);
  for (size_t i = 0; i < c.covered.size() && 3 * i + 2 < bright.rgb.size(); ++i)
    bright.rgb[3 * i] = bright.rgb[3 * i + 1] = bright.rgb[3 * i + 2] = c.covered[i];
  return bright;
}

// From the mean to the maximum by equal factors: both are dark at the same places.
void gatherInto(Picture& result, const Picture& peak, float gather, const Tasks& tasks) {
  forEachRow(result, tasks, [&](int y) {
    float* o = result.at(0, y);
    const float* most = peak.at(0, y);
    for (int i = 0; i < 3 * result.width; ++i)
      if (o[i] > 0 && most[i] > 0) o[i] *= std::pow(std::max(1.0f, most[i] / o[i]), gather);
  });
}

// By pixel; empty where no pattern drives it.
std::vector<float> dustOf(const Params& p, const LensContext& c) {
  std::vector<float> dust;
  const auto use = p.pattern("dust");
  if (!use || !c.assets) return dust;
  const Program program = Program::compile(c.doc, use->pattern, c.frame, *c.assets, false);
  dust.resize(size_t(c.width) * size_t(c.height));
  c.tasks.forEach(c.height, [&](int y) {
    const std::vector<Sample4> row = patternRow(program, c, y);
    for (size_t x = 0; x < row.size(); ++x) dust[size_t(y) * size_t(c.width) + x] = std::max(0.0f, row[x].x);
  });
  return dust;
}

struct RayLook {
  Color tint{1.0f};
  float contrast = 1, plainDust = 1;
  std::vector<float> dust;
  float dustAt(size_t pixel) const { return dust.empty() ? plainDust : dust[pixel]; }
};

// Above the pivot rays grow with the contrast; a shadow is never more than whole.
void dress(Picture& result, const RayLook& look, bool shadow, const LensContext& c) {
  const float pivot = shadow ? 1 : 0.18f;
  const Color& tint = look.tint;
  forEachRow(result, c.tasks, [&](int y) {
    float* o = result.at(0, y);
    for (int x = 0; x < result.width; ++x, o += 3) {
      const size_t i = size_t(y) * size_t(result.width) + size_t(x);
      const float l = luminance({o[0], o[1], o[2]}),
                  steeper = look.contrast == 1 || l <= 0 ? 1 : std::pow(l / pivot, look.contrast - 1);
      const float s = steeper * look.dustAt(i);
      if (!shadow) {
        for (int k = 0; k < 3; ++k) o[k] *= s * tint[k];
        continue;
      }
      // What is left of the light behind: darker by the tint's strength, and of its hue; of a white one black. What
      // throws the shadow stands before it, and is not darkened.
      const float depth = clamp01(o[0] * s) * (1 - (i < c.covered.size() ? clamp01(c.covered[i]) : 0)),
                  most = maxComponent(tint), least = std::min({tint.x, tint.y, tint.z});
      for (int k = 0; k < 3; ++k) o[k] = clamp01(1 - depth * (most + least - tint[k]));
    }
  });
}

LensOperator prepare(const Params& p, const Picture& source, const LensContext& c) {
  const Anchor anchor = anchorOf(p, "centre", c);
  const float gather = clamp01(p.real("gather"));
  const Streak even(anchor.at, p.real("length"), p.real("fade"), false, c);
  auto shares = std::make_shared<const std::vector<float>>(keyShares(p, source, c.tasks));
  const bool shadow = p.text("rays_of") == "shadow";
  const Picture bright = raysOf(shadow, source, *shares, c);
  auto look = std::make_shared<RayLook>();
  look->tint = working(p.triple("tint")) * anchor.seen;
  look->contrast = p.real("contrast");
  look->plainDust = p.real("dust");
  look->dust = dustOf(p, c);
  // Linear, if nothing but the mean is asked for: then layers go their own ways.
  const bool plain = gather <= 0 && look->contrast == 1 && !shadow;
  Picture result = gather >= 1            ? Picture()
                   : plain && !c.oneLayer ? Picture(c.width, c.height)
                                          : streaked(bright, even, c.tasks);
  const Picture mean = plain || c.oneLayer ? Picture() : result;
  if (gather > 0) {
    Picture peak = streaked(bright, Streak(anchor.at, p.real("length"), p.real("fade"), true, c), c.tasks);
    if (gather >= 1)
      result = std::move(peak);
    else
      gatherInto(result, peak, gather, c.tasks);
  }
  dress(result, *look, shadow, c);
  LensOperator op;
  if (shadow) { // laid over all of the picture
    op.rest = std::move(result);
    op.blend = "multiply";
    op.apply = [](const Picture& layer) { return LensWork{{}, Picture(layer.width, layer.height)}; };
  } else if (c.oneLayer) {
    auto all = std::make_shared<Picture>(std::move(result));
    op.apply = [all](const Picture&) { return LensWork{{}, std::move(*all)}; };
  } else if (plain) { // times what dust and tint make of it
    op.apply = [=, &tasks = c.tasks](const Picture& layer) {
      LensWork work{{}, streaked(keyed(layer, *shares, tasks), even, tasks)};
      forEachRow(layer, tasks, [&](int y) {
        float* o = work.spread.at(0, y);
        for (int x = 0; x < layer.width; ++x, o += 3)
          for (int k = 0; k < 3; ++k) o[k] *= look->tint[k] * look->dustAt(size_t(y) * size_t(layer.width) + size_t(x));
      });
      return work;
    };
  } else { // each layer has the share of the whole that it has of the even mean
    auto whole = std::make_shared<const Picture>(std::move(result));
    auto average = std::make_shared<const Picture>(mean.rgb.empty() ? streaked(bright, even, c.tasks) : mean);
    op.apply = [=, &tasks = c.tasks](const Picture& layer) {
      LensWork work{{}, streaked(keyed(layer, *shares, tasks), even, tasks)};
      for (size_t i = 0; i < work.spread.rgb.size(); ++i)
        work.spread.rgb[i] = average->rgb[i] > 0 ? work.spread.rgb[i] / average->rgb[i] * whole->rgb[i] : 0;
      return work;
    };
  }
  return op;
}

} // namespace

LensStage screenShaftsStage() {
  return {
      .kind = {.id = "lens.screen_shafts",
               .label = "Screen shafts",
               .helpText = "Rays that streak over the picture from one centre, out of light or as the shadow of "
                           "silhouettes. They know of no depth.",
               .params =
                   join({stageParams(1, 100),
                         {choice("rays_of", "Rays of", {"light", "shadow"})
                              .at(Invalidation::Lens)
                              .matters()
                              .help("The sources' light, or the shadow that their silhouettes cast over the picture")},
                         anchorParams("centre", "Centre", ""),
                         {number("length", "Length", "%", 0.6)
                              .soft(0, 0.98)
                              .range(0, 0.98)
                              .at(Invalidation::Lens)
                              .matters()
                              .help("Of the way from a pixel to the centre, how much is gathered"),
                          number("fade", "Fade", "%", 0.15)
                              .soft(0, 1)
                              .range(0, 1)
                              .at(Invalidation::Lens)
                              .help("What is left of the light at the end of a ray"),
                          number("gather", "Even to peak", "%", 0)
                              .soft(0, 1)
                              .range(0, 1)
                              .at(Invalidation::Lens)
                              .matters()
                              .help("0 %: rays are the mean of what lies along them; 100 %: the brightest of it"),
                          number("contrast", "Contrast", "×", 1)
                              .soft(0.5, 3)
                              .range(0.1, 10)
                              .log()
                              .at(Invalidation::Lens)
                              .help("Above 1 faint rays go and strong ones stay"),
                          number("dust", "Dust", "%", 1)
                              .soft(0, 1)
                              .range(0, 10)
                              .patterned()
                              .at(Invalidation::Lens)
                              .help("What the rays are multiplied with: a drifting pattern makes the air live"),
                          color("tint", "Tint", {1, 1, 1})
                              .soft(0, 1)
                              .at(Invalidation::Lens)
                              .help("Of light what the rays are multiplied with; of shadow its hue and depth: white is "
                                    "a black shadow")},
                         keyParams(false)}),
               .slots = stageSlots(),
               .existence = Invalidation::Lens},
      .prepare = prepare,
      .level = 0.7f,
      .idle = keyIdle,
      .covers = true,
      .looks = {
          {"Through the canopy", {{"length", "70 %"}, {"fade", "10 %"}, {"gather", "0 %"}}},
          {"Hard rays", {{"length", "90 %"}, {"fade", "30 %"}, {"gather", "80 %"}, {"contrast", "1.5"}}},
          {"Short bloom from the centre", {{"length", "20 %"}, {"fade", "5 %"}, {"amount", "150 %"}}},
          {"Cut-out shadow",
           {{"rays_of", "shadow"}, {"length", "80 %"}, {"fade", "20 %"}, {"gather", "50 %"}, {"amount", "80 %"}}},
          {"Warm evening", {{"length", "85 %"}, {"fade", "15 %"}, {"tint", "1, 0.62, 0.3"}, {"gather", "30 %"}}},
          {"Cold searchlight", {{"length", "95 %"}, {"fade", "40 %"}, {"tint", "0.6, 0.8, 1"}, {"gather", "60 %"}}}}};
}

} // namespace ilumbra
