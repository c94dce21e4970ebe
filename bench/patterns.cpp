#include "bench/parts.h"

#include "core/geometry/no_assets.h"
#include "core/surface/material.h"
#include "demo/scene_builder.h"

#include <fmt/format.h>

using namespace ilumbra;

void patternRatios(Hall& hall) {
  SceneBuilder b(hall.kinds);
  b.add("pattern.noise", "Clouds", {{"octaves", "4"}});
  b.add("pattern.ramp", "Bands", {{"along", "value"}, {"value", "pattern Clouds"}});
  b.add("pattern.incidence", "Rim", {});
  b.add("pattern.mix", "Both", {{"below", "pattern Bands"}, {"above", "pattern Rim"}, {"mask", "0.4"}});
  b.add("material.surface", "Matter", {{"base_color", "pattern Both"}});
  const Document doc = b.take();
  const Material m = compileMaterial(doc, {doc.findByName("Matter")->id, nullptr}, 1, NoAssets(), {});
  const auto time = [&](const Driven& d) {
    Color sum(0.0f);
    constexpr int n = 400000;
    const double t = best(5, [&] {
      for (int i = 0; i < n; ++i) {
        PatternPoint at;
        at.position = at.world = V3f(float(i % 97) * 0.1f, float(i % 89) * 0.1f, float(i % 83) * 0.1f);
        sum += d.color(at);
      }
    });
    return std::pair{t / n * 1e9, sum};
  };
  const auto [nanoseconds, sum] = time(m.baseColor);
  line("nanoseconds a pattern node", "–", fmt::format("{:.0f}", nanoseconds / 4),
       fmt::format("noise of 4 octaves, ramp by it, incidence, mix: {:.0f} ns a point (sum {:.2g})", nanoseconds,
                   double(sum.x)));
}
