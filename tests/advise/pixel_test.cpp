#include "core/advise/pixel.h"
#include "core/compile/camera.h"
#include "core/compile/compile.h"

#include "core/base/error.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// Two lamps over a floor, one of them seen at the left, with a halo around it.
Document lamps() {
  Set s(48, 32);
  s.look("0, 1, 4", "0, 0.4, 0", "40");
  s.lambert("Stone", "0.5, 0.5, 0.5");
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"material", "Stone"}});
  s.add("light.point", "Left",
        {{"power", "900"}, {"radius", "0.12"}, {"position", "-0.8, 0.8, 0"}, {"color", "1, 0.6, 0.3"}});
  s.add("light.point", "Right", {{"power", "300"}, {"radius", "0.05"}, {"position", "0.8, 0.8, 0"}, {"seen", "off"}});
  s.add("lens.glow", "Halo", {{"sources", "Left"}, {"amount", "30 %"}, {"size", "20 %"}});
  return s.take();
}

struct Asked {
  Document doc = lamps();
  Traced t = trace(doc, 16);
  LensResult developed = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool());
  PixelReading at(int x, int y) const {
    return askPixel(doc, 1, *t.scene, t.film(), t.scene->groupScales, developed, x, y);
  }
};

const Contributor* find(const PixelReading& r, const std::string& name, Contributor::As as) {
  for (const Contributor& c : r.contributors)
    if (c.name == name && c.as == as) return &c;
  return nullptr;
}

} // namespace

TEST_CASE(
    "The shares of a pixel's lights and lens stages sum to one, and their light to its own before what the lens takes",
    "[advise][pixel]") {
  const Asked a;
  for (const auto& [x, y] : {std::pair{24, 28}, {6, 20}, {40, 30}}) {
    const PixelReading r = a.at(x, y);
    double shares = 0;
    Color sum(0.0f);
    for (const Contributor& c : r.contributors)
      if (c.as != Contributor::As::Seen) {
        shares += c.share;
        sum += c.value;
      }
    CAPTURE(x, y);
    CHECK(shares == Approx(1).epsilon(1e-4));
    // The lens takes from its sources alone, and the floor is none.
    for (int k = 0; k < 3; ++k) CHECK(sum[k] == Approx(r.value[k]).epsilon(1e-3));
    CHECK(r.luminance == Approx(luminance(a.developed.picture.color(x, y))));
    CHECK(r.stops == Approx(std::log2(r.luminance / 0.18)));
  }
}

TEST_CASE("Each lamp has the share that it gives, as a render without the other tells", "[advise][pixel]") {
  const Asked a;
  const PixelReading r = a.at(36, 29);
  const Contributor *left = find(r, "Left", Contributor::As::Light), *right = find(r, "Right", Contributor::As::Light);
  REQUIRE(left);
  REQUIRE(right);
  const auto alone = [&](const char* off) {
    const Document d = setAt(a.doc, resolve(a.doc, std::string(off) + ".on"), Constant(false));
    return double(luminance(
        collect(a.t.film(), 0, balancedScales(*a.t.scene, d, 1), exposureFactor(d, 1), pool()).color(36, 29)));
  };
  CHECK(double(luminance(left->value)) == Approx(alone("Right")).epsilon(1e-4));
  CHECK(double(luminance(right->value)) == Approx(alone("Left")).epsilon(1e-4));
  CHECK(left->node == a.doc.findByName("Left")->id);
}

TEST_CASE("A pixel tells what is seen there, how far it is, and what the lens adds beside a lamp", "[advise][pixel]") {
  const Asked a;
  const PixelReading floor = a.at(24, 30);
  const Contributor* seen = find(floor, "Floor", Contributor::As::Seen);
  REQUIRE(seen);
  CHECK(seen->share == Approx(1).margin(0.02));
  CHECK(floor.depth > 1);
  CHECK(floor.samples == 16);
  CHECK(floor.candelas > 0);
  // The lamp itself: its own light, seen. Beside it, on black, only the lens.
  float x, y;
  REQUIRE(a.t.scene->camera.project(V3f(-0.8f, 0.8f, 0), x, y));
  const PixelReading lamp = a.at(int(x), int(y));
  REQUIRE(find(lamp, "Left", Contributor::As::Seen));
  CHECK(lamp.stops > 3);
  const PixelReading beside = a.at(int(x), std::max(0, int(y) - 5));
  const Contributor* halo = find(beside, "Halo", Contributor::As::Stage);
  REQUIRE(halo);
  CHECK(halo->share > 0.9);
}

TEST_CASE("A draft's film answers for the whole picture, and places outside are refused", "[advise][pixel]") {
  const Document doc = lamps();
  SceneCache cache;
  Rendering r(compileScene(doc, {.queries = lensQueries(doc)}, noAssets(), cache), 2, true);
  const CancelFlag never;
  r.advance(pool(), 1, never);
  const LensResult developed = develop(doc, 1, r.scene(), r.film(), r.scene().groupScales, pool());
  CHECK(askPixel(doc, 1, r.scene(), r.film(), r.scene().groupScales, developed, 47, 31).samples == 1);
  for (const auto& [x, y] : {std::pair{-1, 0}, {48, 3}, {3, 32}})
    CHECK_THROWS_AS(askPixel(doc, 1, r.scene(), r.film(), r.scene().groupScales, developed, x, y), Error);
}
