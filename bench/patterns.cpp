#include "bench/parts.h"

#include "core/geometry/no_assets.h"
#include "core/pattern/presets.h"
#include "core/pattern/program.h"
#include "core/session/pattern_swatch.h"
#include "demo/scene_builder.h"

#include <fmt/format.h>

using namespace ilumbra;

namespace {

// What patterns are measured by: a chain of multiplications and additions, one after the other, nanoseconds each.
double arithmetic() {
  volatile float seed = 0.5f;
  constexpr int n = 4000000;
  float x = seed;
  const double t = best(5, [&] {
    for (int i = 0; i < n; ++i) x = x * 0.999f + 0.1f;
  });
  if (x < -1e9f) std::abort(); // so that it is made
  return t / n * 1e9;
}

PatternPoint pointOf(int i) {
  PatternPoint at;
  at.position = at.world = V3f(float(i % 97) * 0.1f, float(i % 89) * 0.1f, float(i % 83) * 0.1f);
  at.uv = {at.position.x, at.position.y};
  return at;
}

} // namespace

void patternRatios(Hall& hall) {
  SceneBuilder b(hall.kinds);
  b.add("pattern.noise", "Clouds", {{"octaves", "4"}});
  b.add("pattern.ramp", "Bands", {{"along", "value"}, {"value", "pattern Clouds"}});
  b.add("pattern.incidence", "Rim", {});
  b.add("pattern.mix", "Both", {{"below", "pattern Bands"}, {"above", "pattern Rim"}, {"mask", "0.4"}});
  // Sums and products.
  b.add("pattern.coordinates", "Chain 0", {});
  for (int i = 1; i <= 500; ++i)
    b.add("pattern.math", fmt::format("Chain {}", i).c_str(),
          {{"does", i % 2 ? "multiply" : "add"}, {"a", fmt::format("pattern Chain {}", i - 1).c_str()}, {"b", "0.9"}});
  const Document doc = b.take();
  const auto compile = [&](const char* name) {
    return Program::compile(doc, {doc.findByName(name)->id, nullptr}, 1, NoAssets(), false);
  };
  const double unit = arithmetic();
  std::vector<PatternPoint> points;
  for (int i = 0; i < 256; ++i) points.push_back(pointOf(i * 37));
  std::vector<Sample4> out(points.size());
  float sum = 0;
  const auto measure = [&](const char* name, int nodes, const char* what) {
    const Program p = compile(name);
    const int rounds = std::max(1, 400000 / 256 / std::max(1, nodes / 4));
    const double one = best(5,
                            [&] {
                              for (int r = 0; r < rounds; ++r)
                                for (const PatternPoint& at : points) sum += p.evaluate(at).x;
                            }) /
                       rounds / 256 / nodes * 1e9,
                 many = best(5,
                             [&] {
                               for (int r = 0; r < rounds; ++r) {
                                 p.evaluate(points, out.data());
                                 sum += out[size_t(r) % out.size()].x;
                               }
                             }) /
                        rounds / 256 / nodes * 1e9;
    line(fmt::format("{}: a node ÷ a multiplication and an addition in a chain", what), "told",
         fmt::format("{:.1f} at one place, {:.1f} in batches of 256", one / unit, many / unit),
         fmt::format("{:.1f} and {:.1f} ns a node, {:.2f} ns (sum {:.2g})", one, many, unit, double(sum)));
  };
  measure("Both", 4, "noise of 4 octaves, ramp by it, incidence, mix");
  measure("Chain 500", 500, "500 sums and products");
  const double compiling = best(5, [&] { compile("Chain 500"); });
  const Program chain = compile("Chain 500");
  const double running = best(3, [&] {
    for (int r = 0; r < 1000000 / 256; ++r) chain.evaluate(points, out.data());
  });
  line("compiling 500 nodes ÷ evaluating them at a million places", "told", fmt::format("{:.5f}", compiling / running),
       fmt::format("{:.2f} ms and {:.0f} ms", 1e3 * compiling, 1e3 * running));
  NodeId rust = 0;
  const Document made = addPatternPreset(doc, findPatternPreset("Rust"), &rust);
  const ParamDef& takes = *hall.kinds->find("material.surface")->param("base_color");
  SwatchPlaces places;
  const double placing = best(3, [&] { places = swatchPlaces(nullptr, made, {}, SwatchOn::Ball, 128, 128); }),
               drawing = best(3, [&] {
                 sum += patternSwatch(places, made, {rust, nullptr}, takes, NoAssets()).numbers[0];
               });
  const Program whole = Program::compile(made, {rust, nullptr}, 1, NoAssets(), true);
  std::vector<Sample4> values(places.points.size());
  const double bare = best(3, [&] { whole.evaluate(places.points, values.data()); });
  line("a swatch of a preset, 128 by 128 on a ball ÷ its pattern at those places alone", "told",
       fmt::format("{:.2f}", (placing + drawing) / bare),
       fmt::format("{:.1f} ms and {:.1f} ms", 1e3 * (placing + drawing), 1e3 * bare));
}
