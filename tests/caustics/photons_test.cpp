// Light over mirrors and clear things onto surfaces: photons against camera paths and closed forms.
#include "core/render/photons.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

constexpr double pi64 = 3.14159265358979323846;

// A small ball of light over a ball of glass, in a room of grey walls.
Set glassRoom() {
  Set s(24, 24);
  s.look("0, 0.9, 1.8", "0, -0.8, 0", "24");
  s.lambert("Grey", "0.5, 0.5, 0.5");
  s.add("material.surface", "Glass", {{"base_color", "1, 1, 1"}, {"roughness", "0"}, {"ior", "1.5"}, {"transmission", "1"}});
  const NodeId room = s.add("object.box", "Room", {{"width", "4"}, {"height", "2"}, {"depth", "4"}, {"material", "Grey"}});
  s.add("modifier.shell", "Inwards", {}, {room, "modifiers"});
  s.add("object.sphere", "Ball", {{"radius", "0.3"}, {"position", "0, -0.4, 0"}, {"material", "Glass"}});
  s.add("light.point", "Lamp", {{"power", "1000"}, {"position", "0, 0.8, 0"}, {"radius", "0.08"}});
  s.add("effect.caustics", "Caustics", {{"from", "Lamp"}, {"through", "Ball"}, {"photons", "100000"}, {"edge", "60 %"}});
  return s;
}

ScenePtr compiled(const Document& doc) {
  static SceneCache cache;
  return compileScene(doc, {}, noAssets(), cache);
}

} // namespace

TEST_CASE("All power that is sent to a lossless ball of glass lands", "[caustics][truth24]") {
  const Set s = glassRoom();
  const ScenePtr scene = compiled(s.peek());
  REQUIRE(scene->troubles.empty());
  REQUIRE(scene->caustics);
  const CancelFlag none;
  const auto map = tracePhotons(*scene, 0, 4, pool(), none);
  Color sum(0.0f);
  for (const auto& sheet : map->sheets())
    for (const Photon& p : sheet.photons) sum += p.power;
  // At unit power a lamp gives one lumen; of that the ball is met by its share of the sphere of directions, averaged over the lamp.
  double share = 0;
  for (int i = 0; i < 4000; ++i) {
    Sampler r(1, 2, uint32_t(i), 3);
    const V3f on = sampleUniformSphere(r.get2());
    const V3f x = V3f(0, 0.8f, 0) + on * 0.08f;
    // Lambert's emission from there towards the ball, by chance.
    int meets = 0;
    for (int k = 0; k < 64; ++k) {
      Sampler q(5, uint32_t(i), uint32_t(k), 9);
      const V3f d = Frame(on).toWorld(sampleCosineHemisphere(q.get2())), o = x - V3f(0, -0.4f, 0);
      const float b = dot(o, d), c = dot(o, o) - 0.09f;
      meets += b < 0 && b * b > c;
    }
    share += meets / 64.0 / 4000;
  }
  CHECK(double(sum.y) == Approx(share).epsilon(0.01));
}

TEST_CASE("Photons and camera paths give the same light, floor by floor", "[caustics][truth24]") {
  Set s = glassRoom();
  const Estimate photons = estimate(s.peek(), 64, {6, 12, 12, 12});
  s.set(s.find("Caustics"), {{"on", "off"}});
  s.set(s.find("Ball"), {{"light_through", "focused"}});
  const Estimate paths = estimate(s.peek(), 4096, {6, 12, 12, 12});
  CAPTURE(photons.mean, photons.se, paths.mean, paths.se);
  CHECK(std::abs(photons.mean - paths.mean) < 3 * std::hypot(photons.se, paths.se) + 0.01 * paths.mean);
  CHECK(paths.se < 0.01 * paths.mean);
  (void)pi64;
}
