// Gathered light in haze: the beams that photons leave there, against camera paths.
#include "core/compile/compile.h"
#include "core/document/edit.h"
#include "core/label/layer_query.h"
#include "core/scene/ray_caster.h"
#include "core/transport/photons.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// A ball of light over a ball of glass in haze: below it is a cone of light.
Set hazyGlass(const char* haze) {
  Set s(12, 12);
  s.look("0, -0.75, 2", "0, -0.75, 0", "60");
  s.lambert("Black", "0, 0, 0");
  s.add("material.surface", "Glass",
        {{"base_color", "1, 1, 1"}, {"roughness", "0"}, {"ior", "1.5"}, {"transmission", "1"}});
  s.add("object.plane", "Floor", {{"width", "8"}, {"depth", "8"}, {"position", "0, -1.2, 0"}, {"material", "Black"}});
  s.add("object.sphere", "Ball",
        {{"radius", "0.3"}, {"position", "0, -0.2, 0"}, {"material", "Glass"}, {"light_through", "focused"}});
  s.add("light.point", "Lamp", {{"power", "1000"}, {"position", "0, 1, 0"}, {"radius", "0.5"}});
  s.add("air.haze", "Haze", {{"density", haze}});
  s.add("effect.caustics", "Caustics", {{"from", "Lamp"}, {"through", "Ball"}, {"photons", "1000"}, {"edge", "20 %"}});
  return s;
}

} // namespace

TEST_CASE("Beams of photons in haze bring the light that camera paths find there", "[caustics][air]") {
  Set s = hazyGlass("0.15");
  const Region cone{4, 3, 4, 8};
  // Camera paths find it where they turn in the haze towards the glass and the lamp behind it.
  s.set(s.find("Haze"), {{"scatterings", "2"}});
  const Estimate photons = estimate(s.peek(), 256, cone);
  s.set(s.find("Caustics"), {{"on", "off"}});
  const Estimate paths = estimate(s.peek(), 1024, cone);
  s.set(s.find("Ball"), {{"light_through", "blocked"}});
  const Estimate dark = estimate(s.peek(), 256, cone);
  CAPTURE(photons.mean, photons.se, paths.mean, paths.se, dark.mean);
  CHECK(std::abs(photons.mean - paths.mean) < 3 * std::hypot(photons.se, paths.se) + 0.02 * paths.mean);
  CHECK(std::max(paths.se, photons.se) < 0.02 * paths.mean);
  CHECK(dark.mean < 0.8 * paths.mean); // most of it is gathered light
}

TEST_CASE("The onto of an effect may name the air, or leave it to others", "[caustics][air]") {
  Set s = hazyGlass("0.15");
  const auto beams = [&] {
    static SceneCache cache;
    const ScenePtr scene = compileScene(s.peek(), {.queries = {causticsLayer()}}, noAssets(), cache);
    REQUIRE(scene->warnings.empty());
    Rendering r;
    r.restart(scene);
    const CancelFlag none;
    r.advance(pool(), 8, none);
    return mean(collect(r.film(), 1, scene->groupScales, 1, pool()));
  };
  const double all = beams();
  CHECK(all > 0);
  s.set(s.find("Caustics"), {{"onto", "Haze"}});
  CHECK(beams() == Approx(all).epsilon(1e-3)); // the floor is black
  s.set(s.find("Caustics"), {{"onto", "Floor"}});
  CHECK(beams() < 0.02 * all);
}

TEST_CASE("A beam of photons holds its light across its radius", "[caustics][air]") {
  // One beam along z, and rays that cross it everywhere: what they see sums to what it carries.
  static SceneCache cache;
  const ScenePtr scene = compileScene(hazyGlass("0.1").peek(), {}, noAssets(), cache);
  std::vector<PhotonBeam> one(1);
  one[0] = {.begin = {0, 0, -1}, .direction = {0, 0, 1}, .length = 2, .power = Color(1.0f)};
  const RTCDevice device = rtcGetSceneDevice(scene->everything);
  const PhotonBeams beams(one, {0.05f}, device);
  rtcReleaseDevice(device);
  for (const double slant : {0.0, 0.6}) {
    double sum = 0;
    constexpr int n = 400;
    for (int i = 0; i < n; ++i) {
      const float y = -0.1f + 0.2f * (float(i) + 0.5f) / n;
      std::vector<PhotonBeams::Meeting> met;
      beams.along({-1, y, float(-std::tan(slant))}, {float(std::cos(slant)), 0, float(std::sin(slant))}, 10, met);
      for (const auto& m : met) {
        CHECK(m.behind == Approx(1).margin(1e-3));
        sum += double(m.weight) * 0.2 / n;
      }
    }
    CHECK(sum == Approx(1 / std::cos(slant)).epsilon(0.01));
  }
}
