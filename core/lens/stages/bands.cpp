#include "core/base/colorspace.h"
#include "core/lens/stage.h"

namespace ilumbra {
namespace {

LensOperator prepare(const Params& p, const Picture&, const LensContext& c) {
  const float width = std::max(0.05f, c.size(p.number("width"))), gap = std::max(0.0f, c.size(p.number("gap"))),
              period = width + gap, soft = clamp01(p.real("soft"));
  const float angle = (p.real("angle") + aimOf(p, c, c.place(0.5, 0.5))) * pi / 180, nx = std::sin(angle),
              ny = std::cos(angle);
  const auto seconds = float(c.seconds());
  const float drift = c.size(p.number("drift")) * seconds;
  const float rollWidth = std::max(1e-3f, c.size(p.number("roll_width"))), rollPlace = p.real("roll_speed") * seconds,
              rollDepth = p.real("roll_depth");
  const Color dark = working(p.triple("between"));
  auto gain = std::make_shared<Picture>(c.width, c.height);
  const V2f middle = c.place(0.5, 0.5);
  // What of a pixel lies in a band: the mean over it, so that fine bands grow grey instead of crawling.
  const float flank = std::max(1.0f, soft * std::min(width, std::max(gap, 1e-3f)));
  const auto share = [&](float d) {
    if (gap <= 0) return 1.0f;
    float t = d / period - std::floor(d / period);
    t = std::abs(t - 0.5f) * period; // from the band's middle
    if (flank >= period) return width / period;
    return smoothstep((0.5f * width - t) / flank + 0.5f);
  };
  const float wraps = float(c.frameHeight) + 2 * rollWidth;
  c.tasks.forEach(c.height, [&](int y) {
    for (int x = 0; x < c.width; ++x) {
      const float d = (float(x) + 0.5f - middle.x) * nx + (float(y) + 0.5f - middle.y) * ny;
      const float s = share(d - drift);
      // A broad bar that rolls through the frame and comes back.
      float at = d + 0.5f * float(c.frameHeight) - rollPlace * float(c.frameHeight);
      at -= std::floor(at / wraps) * wraps;
      const float rolled = 1 - rollDepth * smoothstep(1 - std::abs(at - rollWidth) / rollWidth);
      for (int k = 0; k < 3; ++k) gain->at(x, y)[k] = (s + (1 - s) * dark[k]) * rolled;
    }
  });
  return scaled(gain, c.tasks);
}

} // namespace

LensStage bandsStage() {
  return {
      .kind = {.id = "lens.bands",
               .label = "Bands",
               .helpText = "Scan lines: bands of the light with darkness between them, drifting, with a broad bar that "
                           "rolls through.",
               .params =
                   join({stageParams(1, 1),
                         {number("width", "Width", "%", 0.006)
                              .soft(0.001, 0.1)
                              .range(0.00001, 10)
                              .log()
                              .at(Invalidation::Lens)
                              .matters()
                              .help("Of a band, by the frame's height"),
                          number("gap", "Gap", "%", 0.004)
                              .soft(0, 0.1)
                              .range(0, 10)
                              .at(Invalidation::Lens)
                              .matters()
                              .help("Between bands, by the frame's height"),
                          number("angle", "Angle", "°", 0).soft(-90, 90).at(Invalidation::Lens).help("0° lie level")},
                         followParams(""),
                         {number("soft", "Softness", "%", 0.5)
                              .soft(0, 1)
                              .range(0, 1)
                              .at(Invalidation::Lens)
                              .help("Of a band's edges"),
                          color("between", "Between", {0, 0, 0})
                              .soft(0, 1)
                              .at(Invalidation::Lens)
                              .help("What is left of the light in the gaps"),
                          number("drift", "Drift", "%", 0)
                              .soft(-0.5, 0.5)
                              .range(-100, 100)
                              .at(Invalidation::Lens)
                              .in("Motion")
                              .help("Frame heights a second"),
                          number("roll_depth", "Roll", "%", 0)
                              .soft(-1, 1)
                              .range(-10, 1)
                              .at(Invalidation::Lens)
                              .in("Motion")
                              .help("How much darker the rolling bar is; below 0 brighter"),
                          number("roll_width", "Roll width", "%", 0.25)
                              .soft(0.01, 1)
                              .range(0.001, 10)
                              .at(Invalidation::Lens)
                              .in("Motion")
                              .help("Half of the bar, by the frame's height"),
                          number("roll_speed", "Roll speed", "%", 0.3)
                              .soft(-2, 2)
                              .range(-100, 100)
                              .at(Invalidation::Lens)
                              .in("Motion")
                              .help("Frame heights a second")}}),
               .slots = stageSlots(),
               .existence = Invalidation::Lens,
               .changesByTime =
                   [](const Params& p) {
                     return p.number("drift") != 0 || (p.number("roll_depth") != 0 && p.number("roll_speed") != 0);
                   }},
      .prepare = prepare,
      .idle =
          [](const Params& p) {
            return p.number("gap") == 0 && p.number("roll_depth") == 0
                       ? std::string("there is no gap between its bands")
                       : std::string();
          },
      .inPlace = true,
      .looks = {
          {"Fine scan", {{"width", "0.4 %"}, {"gap", "0.3 %"}}},
          {"Projected figure",
           {{"width", "0.7 %"},
            {"gap", "0.5 %"},
            {"between", "0.15, 0.25, 0.3"},
            {"drift", "4 %"},
            {"roll_depth", "-60 %"}}},
          {"Blinds", {{"width", "4 %"}, {"gap", "2 %"}, {"angle", "8 °"}, {"soft", "80 %"}}},
          {"Interlaced", {{"width", "0.19 %"}, {"gap", "0.19 %"}, {"soft", "0 %"}}},
          {"Rolling hum", {{"gap", "0 %"}, {"roll_depth", "35 %"}, {"roll_width", "40 %"}, {"roll_speed", "20 %"}}},
          {"Corduroy",
           {{"width", "0.8 %"},
            {"gap", "0.8 %"},
            {"soft", "100 %"},
            {"angle", "90 °"},
            {"between", "0.5, 0.5, 0.5"}}}}};
}

} // namespace ilumbra
