#include "core/compile/compile.h"
#include "core/document/edit.h"
#include "core/exchange/assets.h"
#include "core/film/denoise.h"
#include "core/transport/rendering.h"
#include "demo/starters.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// By each pixel's own light, over what is hardly lit by the picture's. Beyond five times its light a pixel is simply
// wrong: one firefly among thousands does not decide.
double relativeError(const Picture& a, const Picture& truth) {
  double mean = 0, sum = 0;
  for (size_t i = 0; i < truth.pixels(); ++i)
    mean += double(luminance(truth.color(int(i) % truth.width, int(i) / truth.width)));
  const double floor = 0.02 * mean / double(truth.pixels());
  for (size_t i = 0; i < truth.rgb.size(); ++i) {
    const double e = (double(a.rgb[i]) - double(truth.rgb[i])) / (std::abs(double(truth.rgb[i])) + floor);
    sum += std::min(e * e, 25.0);
  }
  return sum / double(truth.rgb.size());
}

} // namespace

TEST_CASE("No starter is clearly worse denoised than raw", "[demo][denoise][long]") {
  const TemporaryFolder folder;
  AssetCache cache;
  const CancelFlag never;
  for (const Starter& s : allStarters()) {
    if (s.name == "orrery-hall") continue; // all of them at once
    const Document doc = writeStarter(s, kinds(), folder / (s.name + ".ilum"));
    SceneCache scenes;
    const ScenePtr scene = compileScene(doc, {.frame = currentFrame(doc), .width = 80, .height = 50, .queries = {}},
                                        cache.assets(doc.folder()), scenes);
    if (scene->bare()) continue;
    const auto lit = [&](const Rendering& r) { return collect(r.film(), 0, scene->groupScales, 1, pool()); };
    Rendering r(scene);
    REQUIRE(r.advance(pool(), 64, never));
    const Picture raw = lit(r), clean = Denoiser(r.film(), pool()).apply(raw, pool());
    // The truth is of the 96 samples after them alone, so that it owes the raw picture nothing.
    REQUIRE(r.advance(pool(), 160, never));
    Picture truth = lit(r);
    for (size_t i = 0; i < truth.rgb.size(); ++i) truth.rgb[i] = (160 * truth.rgb[i] - 64 * raw.rgb[i]) / 96;
    const double before = relativeError(raw, truth), after = relativeError(clean, truth);
    CAPTURE(s.name, before, after);
    // Where glints are found by few of these samples, the truth itself is rough: a little is left to it.
    CHECK(after < 1.15 * before);
  }
}
