#include "core/base/colorspace.h"
#include "core/image/resample.h"
#include "core/lens/key.h"
#include "core/lens/stage.h"

namespace ilumbra {
namespace {

// A way that an anchor has come, in pixels from where it is, with what counts there.
struct Stop {
  V2f offset;
  Color weight;
};

// Of two frames so many steps that none is longer than this.
constexpr float longestStep = 1.5f;
constexpr int mostStops = 400;

// Light copied along a way: each row adds what is moved into it.
Picture along(const Picture& in, const std::vector<Stop>& stops, const Tasks& tasks) {
  Picture out(in.width, in.height);
  // Rows without light are skipped: what trails is mostly small.
  std::vector<char> lit(size_t(in.height), 0);
  forEachRow(in, tasks, [&](int y) {
    const float* p = in.at(0, y);
    lit[size_t(y)] = std::any_of(p, p + 3 * in.width, [](float v) { return v != 0; });
  });
  tasks.forEach(in.height, [&](int y) {
    float* o = out.at(0, y);
    for (const Stop& s : stops) {
      const float fy = float(y) - s.offset.y, by = std::floor(fy), ty = fy - by, bx = std::floor(-s.offset.x),
                  tx = -s.offset.x - bx;
      const int dx = int(bx);
      for (int j = 0; j < 2; ++j) {
        const int row = int(by) + j;
        const float wy = j ? ty : 1 - ty;
        if (row < 0 || row >= in.height || !lit[size_t(row)] || wy == 0) continue;
        const float* p = in.at(0, row);
        for (int i = 0; i < 2; ++i) {
          const float w = wy * (i ? tx : 1 - tx);
          if (w == 0) continue;
          const int shift = dx + i, from = std::max(0, -shift), to = std::min(in.width, in.width - shift);
          const Color c = s.weight * w;
          for (int x = from; x < to; ++x)
            for (int k = 0; k < 3; ++k) o[3 * x + k] += c[k] * p[3 * (x + shift) + k];
        }
      }
    }
  });
  return out;
}

std::vector<V2f> wayOf(const Params& p, const LensContext& c, double from, double to) {
  // Points where it was at each frame and between: fine enough for any pace.
  std::vector<V2f> points;
  const V2f now = anchorAt(p, "anchor", c, c.frame).at;
  const int n = std::clamp(int(std::ceil(std::abs(to - from) * 4)), 1, 256);
  for (int i = 0; i <= n; ++i) points.push_back(anchorAt(p, "anchor", c, from + (to - from) * i / n).at - now);
  return points;
}

// The way in steps of even length, with the share of time at which each is passed (0 at its beginning).
std::vector<std::pair<V2f, float>> stepsOf(const std::vector<V2f>& points) {
  std::vector<std::pair<V2f, float>> out;
  double length = 0;
  for (size_t i = 1; i < points.size(); ++i) length += double((points[i] - points[i - 1]).length());
  const double step = std::max(double(longestStep), length / mostStops);
  for (size_t i = 1; i < points.size(); ++i) {
    const V2f d = points[i] - points[i - 1];
    const int n = std::max(1, int(std::ceil(double(d.length()) / step)));
    for (int k = 0; k < n; ++k) {
      const float t = (float(k) + 0.5f) / float(n);
      out.emplace_back(points[i - 1] + d * t, (float(i - 1) + t) / float(points.size() - 1));
    }
  }
  // Each step counts for the time spent in it.
  return out;
}

LensOperator prepareTrails(const Params& p, const Picture& source, const LensContext& c) {
  auto shares = std::make_shared<const std::vector<float>>(keyShares(p, source, c.tasks));
  const double frames = p.number("frames");
  const float fade = std::max(1e-4f, p.real("fade"));
  const Color head(1.0f), tail = working(p.triple("tail_tint"));
  const int gaps = int(p.number("copies"));
  std::vector<Stop> stops;
  const std::vector<V2f> way = wayOf(p, c, c.frame, c.frame - frames);
  if (gaps > 0) {
    for (int i = 1; i <= gaps; ++i) {
      const float t = float(i) / float(gaps);
      stops.push_back({way[size_t(std::lround(t * float(way.size() - 1)))], mix(head, tail, t) * std::pow(fade, t)});
    }
  } else {
    for (const auto& [offset, t] : stepsOf(way)) stops.push_back({offset, mix(head, tail, t) * std::pow(fade, t)});
    // A frame's own light is laid over the way of one frame, so that faster means fainter.
    const float perFrame = float(std::max<size_t>(1, stops.size())) / float(std::max(1e-3, frames));
    for (Stop& s : stops) s.weight *= 1 / perFrame;
  }
  return {[=, &tasks = c.tasks](const Picture& layer) {
    return LensWork{{}, along(keyed(layer, *shares, tasks), stops, tasks)};
  }};
}

LensOperator prepareSmear(const Params& p, const Picture&, const LensContext& c) {
  const double length = p.number("frames"), centre = p.number("centre");
  std::vector<Stop> stops;
  if (p.text("by") == "angle") {
    const float angle = (p.real("angle") + aimOf(p, c, c.place(0.5, 0.5))) * pi / 180,
                reach = c.size(p.number("reach"));
    const V2f d(std::cos(angle) * reach, -std::sin(angle) * reach);
    for (const auto& [offset, t] : stepsOf({d * float(-centre), d * float(1 - centre)}))
      stops.push_back({offset, Color(1.0f)});
  } else {
    for (const auto& [offset, t] : stepsOf(wayOf(p, c, c.frame - length * centre, c.frame + length * (1 - centre))))
      stops.push_back({offset, Color(1.0f)});
  }
  for (Stop& s : stops) s.weight *= 1 / float(stops.size());
  return {[=, &tasks = c.tasks](const Picture& layer) { return LensWork{{}, along(layer, stops, tasks), true}; }};
}

} // namespace

LensStage trailsStage() {
  return {
      .kind =
          {.id = "lens.trails",
           .label = "Trails",
           .helpText = "Light that stays along the way on which a thing has come through the picture: from its "
                       "keys and the camera's, so that no earlier frame need be rendered.",
           .params = join(
               {stageParams(1, 100),
                anchorParams("anchor", "Moves with", "Moves with"),
                {number("frames", "Length", "frames", 12)
                     .soft(1, 96)
                     .range(0, 10000)
                     .at(Invalidation::Lens)
                     .matters()
                     .help("How many frames of its way are seen"),
                 number("fade", "Fade", "%", 0.05)
                     .soft(0, 1)
                     .range(0, 1)
                     .at(Invalidation::Lens)
                     .matters()
                     .help("What is left of the light at the end"),
                 color("tail_tint", "End", {1, 1, 1}).soft(0, 1).at(Invalidation::Lens).help("Colour towards the end"),
                 integer("copies", "Copies", 0)
                     .soft(0, 24)
                     .range(0, 400)
                     .at(Invalidation::Lens)
                     .help("0: one even trail; more: so many copies along it")},
                keyParams(false)}),
           .slots = stageSlots(),
           .existence = Invalidation::Lens},
      .prepare = prepareTrails,
      .idle = keyIdle,
      .looks = {{"Spark", {{"frames", "6"}, {"fade", "2 %"}}},
                {"Comet", {{"frames", "36"}, {"fade", "4 %"}, {"tail_tint", "0.35, 0.6, 1"}}},
                {"Swung ember", {{"frames", "18"}, {"fade", "10 %"}, {"tail_tint", "1, 0.3, 0.05"}}},
                {"Echoes", {{"frames", "24"}, {"copies", "6"}, {"fade", "15 %"}}},
                {"Long exposure", {{"frames", "96"}, {"fade", "100 %"}}},
                {"Strobe", {{"frames", "12"}, {"copies", "4"}, {"fade", "100 %"}}}}};
}

LensStage smearStage() {
  return {
      .kind = {.id = "lens.smear",
               .label = "Smear",
               .helpText = "Blurs its sources along the way that a thing takes through the picture, or along a line.",
               .params = join({stageParams(1, 1),
                               {choice("by", "Along", {"motion", "angle"})
                                    .at(Invalidation::Lens)
                                    .help("The way of what it moves with, or a line")},
                               anchorParams("anchor", "Moves with", "Moves with"),
                               {number("frames", "Length", "frames", 1)
                                    .soft(0, 8)
                                    .range(0, 1000)
                                    .at(Invalidation::Lens)
                                    .matters()
                                    .when("by", "motion")
                                    .help("How much of its way"),
                                number("angle", "Angle", "°", 0)
                                    .soft(-180, 180)
                                    .at(Invalidation::Lens)
                                    .when("by", "angle")
                                    .help("From the right upwards")},
                               followParams("", "by", "angle"),
                               {number("reach", "Reach", "%", 0.05)
                                    .soft(0, 0.5)
                                    .range(0, 5)
                                    .at(Invalidation::Lens)
                                    .when("by", "angle")
                                    .help("By the frame's height"),
                                number("centre", "Centre", "%", 0.5)
                                    .soft(0, 1)
                                    .range(0, 1)
                                    .at(Invalidation::Lens)
                                    .help("0 %: ahead of it, 50 %: to both sides, 100 %: behind it")}}),
               .slots = stageSlots(),
               .existence = Invalidation::Lens},
      .prepare = prepareSmear,
      .carries = true,
      .looks = {{"One frame", {{"frames", "1"}}},
                {"Half a frame", {{"frames", "0.5"}}},
                {"Drawn behind", {{"frames", "3"}, {"centre", "100 %"}}},
                {"Level", {{"by", "angle"}, {"angle", "0 °"}, {"reach", "6 %"}}},
                {"Rain", {{"by", "angle"}, {"angle", "80 °"}, {"reach", "10 %"}, {"centre", "100 %"}}},
                {"Shaken", {{"by", "angle"}, {"angle", "35 °"}, {"reach", "2 %"}}}}};
}

} // namespace ilumbra
