// What patterns do to lamps: a gel takes away, over directions or over a surface; a level is one number.
#include "core/base/colorspace.h"
#include "core/base/sampling.h"
#include "core/document/edit.h"
#include "core/geometry/no_assets.h"
#include "core/light/light.h"
#include "tests/support/scene.h"

#include <catch2/catch.hpp>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

std::unique_ptr<Light> made(const Document& doc, const Node& n) {
  const NoAssets none;
  const Params p(n, 1);
  return throughGel(lightKind(n)->build(p, M44f(), none), gelOf(doc, p, none), p, M44f());
}

} // namespace

TEST_CASE("A gel of one colour takes its share of every sample, and no density changes", "[light][pattern]") {
  Set s;
  const NodeId bare = s.add("light.area", "Bare", {{"position", "0, 2, 0"}, {"target", "0, 0, 0.1"}});
  const NodeId with =
      s.add("light.area", "With", {{"position", "0, 2, 0"}, {"target", "0, 0, 0.1"}, {"gel", "0.5, 0.5, 0.5"}});
  const Document doc = s.take();
  const auto a = made(doc, *doc.find(bare)), b = made(doc, *doc.find(with));
  for (int i = 0; i < 100; ++i) {
    Sampler u(1, 2, uint32_t(i), 3), v(1, 2, uint32_t(i), 3);
    LightSample x, y;
    REQUIRE(a->sample({0.1f, 0, 0.2f}, u.get2(), x));
    REQUIRE(b->sample({0.1f, 0, 0.2f}, v.get2(), y));
    CHECK(y.pdf == x.pdf);
    CHECK(luminance(y.radiance) == Approx(0.5 * double(luminance(x.radiance))).epsilon(1e-4));
  }
}

TEST_CASE("A gel lies over a flat lamp's surface as a picture seen from in front", "[light][pattern]") {
  Set s;
  // It looks along -z; its half at +x, which one who faces it sees on the left, is let through.
  s.add("pattern.stripes", "Half",
        {{"space", "object"}, {"pitch", "100 m"}, {"share", "50 %"}, {"edge", "0"}, {"push", "25 m"}});
  const NodeId id = s.add(
      "light.area", "Lamp",
      {{"position", "0, 0, 0"}, {"target", "0, 0, -1"}, {"width", "2 m"}, {"height", "2 m"}, {"gel", "pattern Half"}});
  const Document doc = s.take();
  const auto light = made(doc, *doc.find(id));
  const V3f ahead(0, 0, 1), normal(0, 0, -1);
  const float right = luminance(light->radiance({0.5f, 0, 0}, ahead, normal)),
              left = luminance(light->radiance({-0.5f, 0, 0}, ahead, normal));
  CHECK(right > 0);
  CHECK(left == 0);
  // Who stands in front of it and looks at it has the world's +x on the left: there its picture begins.
  const M44f own = aimMatrix(Params(*doc.find(id), 1)).inverse();
  CHECK(light->patternPoint({0.5f, 0.25f, 0}, -ahead, own).uv.x == Approx(0.25));
  CHECK(light->patternPoint({0.5f, 0.25f, 0}, -ahead, own).uv.y == Approx(0.625));
  // What is sampled is what is met.
  for (int i = 0; i < 200; ++i) {
    Sampler u(1, 2, uint32_t(i), 3);
    LightSample x;
    const V3f from(0.2f, 0.1f, -3);
    if (!light->sample(from, u.get2(), x)) continue;
    const V3f at = from + x.direction * x.distance;
    CHECK(luminance(light->radiance(at, x.direction, normal)) == Approx(luminance(x.radiance)).epsilon(1e-3));
  }
}

TEST_CASE("A level is one number where the lamp stands, and runs over time", "[light][pattern]") {
  Set s;
  s.add("pattern.time", "Clock", {{"gives", "share of frames"}, {"first", "1"}, {"last", "11"}});
  s.add("pattern.noise", "Flicker", {{"churn", "3"}});
  const NodeId ramp = s.add("light.point", "Ramp", {{"power", "200 lm"}, {"level", "pattern Clock"}});
  const NodeId fire = s.add("light.point", "Fire", {{"power", "200 lm"}, {"level", "pattern Flicker"}});
  const NodeId twin =
      s.add("light.point", "Twin", {{"position", "1, 0, 0"}, {"power", "200 lm"}, {"level", "pattern Flicker"}});
  const Document doc = s.take();
  const auto lumens = [&](NodeId id, double frame) {
    return double(luminance(lightAmount(doc, *doc.find(id), frame)));
  };
  CHECK(lumens(ramp, 1) == Approx(0).margin(1e-6));
  CHECK(lumens(ramp, 6) == Approx(100).epsilon(1e-4));
  CHECK(lumens(ramp, 11) == Approx(200).epsilon(1e-4));
  double least = 1e9, most = 0;
  for (int f = 1; f <= 48; ++f) {
    least = std::min(least, lumens(fire, f));
    most = std::max(most, lumens(fire, f));
  }
  CHECK(most - least > 20);
  CHECK(lumens(fire, 3) == Approx(lumens(twin, 3))); // it lies in the lamp's own space
}
