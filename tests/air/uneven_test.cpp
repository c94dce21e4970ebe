// Air whose density varies, that glows by itself, and in which light turns more than once.
#include "core/compile/camera.h"
#include "core/compile/compile.h"
#include "core/exchange/assets.h"
#include "core/scene/media.h"
#include "tests/air/star.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

constexpr double pi64 = 3.14159265358979323846;

ScenePtr compiled(const Document& doc) {
  static SceneCache cache;
  return compileScene(doc, {}, noAssets(), cache);
}

// Mean and standard error of estimates of transmittance along one ray.
Estimate transmittance(const Media& air, const V3f& o, const V3f& d, float far, int n) {
  std::vector<double> values;
  RandomStream random(5);
  for (int i = 0; i < n; ++i) {
    RayMedia way;
    air.along(o, d, far, way);
    values.push_back(double(air.transmittance(way, o, d, far, random).x));
  }
  return estimateOf(values);
}

} // namespace

TEST_CASE("What comes through uneven haze agrees with its integral: a ramp, a fading ball", "[air][truth22]") {
  Set s;
  s.set(s.add("object.box", "Box", {{"width", "2"}, {"height", "2"}, {"depth", "2"}}), {{"shown", "off"}});
  s.add("pattern.ramp", "Slope", {{"along", "line"}, {"start", "-1, 0, 0"}, {"end", "1, 0, 0"}, {"space", "world"}});
  const NodeId ramp = s.add("air.haze", "Haze",
                            {{"fills", "Box"}, {"density", "1.3"}, {"color", "0, 0, 0"}, {"amount", "pattern Slope"}});
  const ScenePtr scene = compiled(s.peek());
  REQUIRE(scene->warnings.empty());
  REQUIRE(scene->media);
  // Along the ramp ∫ 1.3 (x + 1) / 2 from -1 to 1 = 1.3; across it at x: 1.3 (x + 1) / 2 · 2.
  CHECK(transmittance(*scene->media, {-3, 0.2f, 0.1f}, {1, 0, 0}, 10, 40000).agrees(std::exp(-1.3)));
  for (const float x : {-0.9f, -0.35f, 0.6f})
    CHECK(transmittance(*scene->media, {x, 0, 3}, {0, 0, -1}, 10, 40000).agrees(std::exp(-1.3 * double(x + 1))));
  // From within, and only so far.
  CHECK(transmittance(*scene->media, {0, 0, 0}, {1, 0, 0}, 0.5f, 40000).agrees(std::exp(-1.3 * (0.25 + 0.0625))));
  // A ball that fades outwards: at a distance b from its middle ∫ 1 - r = l - ∫ √(b² + t²) dt with l = √(1 - b²) on
  // each side.
  s.set(ramp, {{"amount", "1"}});
  s.add("pattern.ramp", "Core", {{"along", "ball"}, {"start", "0, 0, 0"}, {"end", "1, 0, 0"}, {"space", "object"}});
  const NodeId core = s.find("Core");
  s.add("ramp.key", "Middle", {{"place", "0"}, {"color", "1, 1, 1"}}, {core, "keys"});
  s.add("ramp.key", "Rim", {{"place", "1"}, {"color", "0, 0, 0"}}, {core, "keys"});
  s.set(ramp, {{"amount", "pattern Core"}, {"density", "3"}, {"fineness", "0"}});
  const ScenePtr ball = compiled(s.peek());
  REQUIRE(ball->warnings.empty());
  for (const double b : {0.0, 0.3, 0.8}) {
    const double l = std::sqrt(1 - b * b), inner = b > 0 ? l + b * b * std::log((l + 1) / b) : l;
    CHECK(transmittance(*ball->media, {-3, float(b), 0}, {1, 0, 0}, 10, 40000).agrees(std::exp(-3 * (2 * l - inner))));
  }
}

TEST_CASE("However coarse its guide, what comes through uneven haze has no bias", "[air][truth22]") {
  struct Gauss : Density {
    float at(const V3f& p) const override { return std::exp(-dot(p, p) / (2 * 0.3f * 0.3f)); }
    void bounds(const Box3f& b, float& low, float& high) const override {
      float near = 0, far = 0;
      for (int k = 0; k < 3; ++k) {
        near += sqr(std::clamp(0.0f, b.min[k], b.max[k]));
        far += sqr(std::max(std::abs(b.min[k]), std::abs(b.max[k])));
      }
      low = std::exp(-far / 0.18f);
      high = std::exp(-near / 0.18f);
    }
  };
  SceneCache cache;
  const RTCDevice device = rtcNewDevice("");
  for (const int cells : {1, 3, 9, 40}) {
    CAPTURE(cells);
    Medium h;
    h.haze.extinction = {4, 2, 1};
    MediumPlace place;
    place.density = std::make_shared<Gauss>();
    place.bounds = Box3f(V3f(-1.5f), V3f(1.5f));
    place.region.ball(V3f(0.0f), 1.5f);
    place.cells = std::make_shared<const DensityCells>(*place.density, place.bounds, cells);
    h.places.push_back(place);
    std::vector<Medium> all;
    all.push_back(std::move(h));
    const Media air(std::move(all), device);
    // Through the middle: √(2π) 0.3, off it by b: times exp(-b² / (2 · 0.3²)).
    const double straight = std::sqrt(2 * pi64) * 0.3;
    CHECK(transmittance(air, {-4, 0, 0}, {1, 0, 0}, 20, 20000).agrees(std::exp(-4 * straight)));
    CHECK(transmittance(air, {-4, 0.25f, 0}, {1, 0, 0}, 20, 20000)
              .agrees(std::exp(-4 * straight * std::exp(-0.0625 / 0.18))));
  }
  rtcReleaseDevice(device);
}

TEST_CASE("Light that turns in uneven haze has no bias: a lamp's light through a ramp", "[air][truth22]") {
  // The eye looks along x through a box whose density grows along x; the lamp stands outside it.
  Set s(2, 2);
  s.look("-4, 0, 0", "0, 0, 0", "4800");
  s.set(s.add("object.box", "Box", {{"width", "2"}, {"height", "1"}, {"depth", "1"}}), {{"shown", "off"}});
  s.add("pattern.ramp", "Slope", {{"along", "line"}, {"start", "-1, 0, 0"}, {"end", "1, 0, 0"}, {"space", "world"}});
  s.add("light.point", "Lamp", {{"power", "1000"}, {"position", "0.4, 1.5, 0"}, {"radius", "0"}});
  s.add("air.haze", "Haze", {{"fills", "Box"}, {"density", "1.5"}, {"anisotropy", "0.4"}, {"amount", "pattern Slope"}});
  double truth = 0;
  constexpr int n = 4000;
  for (int i = 0; i < n; ++i) {
    const double x = -1 + 2 * (i + 0.5) / n, sigma = 1.5 * (x + 1) / 2, before = 1.5 * (x + 1) * (x + 1) / 4;
    const double dx = 0.4 - x, r = std::hypot(dx, 1.5);
    // Up to the box's top at half a metre: the same slope, seen aslant.
    double above = 0;
    for (int k = 0; k < 200; ++k) {
      const double t = (k + 0.5) / 200 / 3; // share of the way to the lamp
      if (const double at = x + dx * t; at < 1) above += 1.5 * (at + 1) / 2 * r / 3 / 200;
    }
    truth +=
        2.0 / n * sigma * double(phase(float(dx / r), 0.4f)) * 1000 / (4 * pi64) / (r * r) * std::exp(-before - above);
  }
  const Estimate e = estimate(s.peek(), 512);
  CAPTURE(e.mean, e.se, truth);
  CHECK(e.agrees(truth, 2e-3));
  CHECK(e.se < 0.01 * truth);
}

TEST_CASE("In every shape what comes through a ramp is its integral along the chords, and all of it outside",
          "[air][truth22]") {
  const TemporaryFolder folder;
  writeStar(folder / "star.ply");
  AssetCache assets;
  for (const char* kind : {"object.sphere", "object.box", "object.torus", "object.text", "object.mesh"}) {
    CAPTURE(kind);
    Set s;
    const NodeId body = s.add(kind, "Body", {});
    if (kind == std::string("object.mesh")) s.set(body, {{"file", "star.ply"}, {"part", "1"}});
    s.add("pattern.ramp", "Slope", {{"along", "line"}, {"start", "-1, 0, 0"}, {"end", "1, 0, 0"}, {"space", "world"}});
    const NodeId haze = s.add("air.haze", "Haze", {{"fills", "Body"}, {"density", "3"}, {"color", "0, 0, 0"}});
    SceneCache cache;
    const auto compile = [&] { return compileScene(s.peek(), {}, assets.assets(folder.path()), cache); };
    const ScenePtr even = compile();
    s.set(haze, {{"amount", "pattern Slope"}});
    const ScenePtr uneven = compile();
    REQUIRE(uneven->warnings.empty());
    const Box3f box = uneven->bounds.isEmpty() ? uneven->objects.front().bounds : uneven->bounds;
    RandomStream random(7);
    int met = 0;
    for (int k = 0; k < 60 && met < 12; ++k) {
      V3f o, to;
      for (int c = 0; c < 3; ++c) {
        o[c] = box.min[c] + box.size()[c] * (3 * random.next() - 1); // inside and outside
        to[c] = box.min[c] + box.size()[c] * random.next();
      }
      const V3f d = normalize(to - o);
      // The chords of even haze are held to the mesh elsewhere; along each the ramp grows evenly, between nothing and
      // all.
      RayMedia way;
      even->media->along(o, d, 100, way);
      double depth = 0;
      for (const auto& part : way)
        for (int i = 0; i < 2000; ++i) {
          const double t = double(part.from) + double(part.to - part.from) * (i + 0.5) / 2000,
                       x = double(o.x) + double(d.x) * t;
          depth += 3 * std::clamp((x + 1) / 2, 0.0, 1.0) * double(part.to - part.from) / 2000;
        }
      met += depth > 0.01;
      const Estimate e = transmittance(*uneven->media, o, d, 100, 4000);
      CAPTURE(e.mean, e.se, depth);
      CHECK(e.agrees(std::exp(-depth), 1e-3));
    }
    CHECK(met >= 6);
  }
}

TEST_CASE("A haze that loses nothing disappears in an even sky when light may turn often enough", "[air][truth23]") {
  const TemporaryFolder folder;
  writeStar(folder / "star.ply");
  AssetCache assets;
  for (const auto& [shape, g, density] : {std::tuple{"object.sphere", "0", "2.7"},
                                          {"object.torus", "0.5", "8"},
                                          {"object.box", "-0.3", "2.7"},
                                          {"object.text", "0", "12"},
                                          {"object.mesh", "0.3", "3"}}) {
    CAPTURE(shape, g);
    Set s(16, 16);
    s.look("0, 3, 3", "0, 0, 0", "50");
    const NodeId body = s.add(shape, "Body", {});
    s.set(body, {{"shown", "off"}, {"size", "1.5, 1.5, 1.5"}});
    if (shape == std::string("object.text"))
      s.set(body, {{"text", "o"}, {"size", "8, 8, 8"}, {"turn", "-45, 0, 0"}}); // facing the camera, filling the frame
    if (shape == std::string("object.mesh")) s.set(body, {{"file", "star.ply"}, {"part", "1"}});
    s.add("light.sky", "Sky", {{"power", "100"}});
    s.add("air.haze", "Haze", {{"fills", "Body"}, {"density", density}, {"scatterings", "1000"}, {"anisotropy", g}});
    const Picture p = luminances(trace(s.peek(), 1024, 0, assets.assets(folder.path())));
    CHECK(mean(p) == Approx(100).epsilon(0.005));
    for (int by = 0; by < 2; ++by)
      for (int bx = 0; bx < 2; ++bx) CHECK(mean(p, {8 * bx, 8 * by, 8, 8}) == Approx(100).epsilon(0.01));
    // And with one turn alone it is darker: the test can tell.
    s.set(s.find("Haze"), {{"scatterings", "1"}});
    CHECK(mean(luminances(trace(s.peek(), 64, 0, assets.assets(folder.path())))) < 99);
  }
}

TEST_CASE("Uneven haze that loses nothing disappears too", "[air][truth23]") {
  Set s(16, 16);
  s.look("0, 0, 3", "0, 0, 0", "50");
  s.set(s.add("object.sphere", "Body", {{"radius", "0.7"}}), {{"shown", "off"}});
  s.add("light.sky", "Sky", {{"power", "100"}});
  s.add("pattern.noise", "Clouds", {{"scale", "0.4"}, {"contrast", "3"}, {"family", "churned"}});
  s.add("air.haze", "Haze",
        {{"fills", "Body"}, {"density", "8"}, {"amount", "pattern Clouds"}, {"scatterings", "1000"}});
  const Estimate e = estimate(s.peek(), 256);
  CAPTURE(e.mean, e.se);
  CHECK(e.agrees(100, 0.005));
  CHECK(e.se < 0.3);
}

TEST_CASE("A glowing gas adds its light along the chord, and less of it where it hides itself", "[air]") {
  for (const auto& [density, amount] : {std::pair{0.0, 1.0}, {1.7, 1.0}, {1.7, 0.5}}) {
    CAPTURE(density, amount);
    Set s(2, 2);
    s.look("0, 0, 5", "0, 0, 0", "4800");
    s.set(s.add("object.sphere", "Ball", {{"radius", "0.75"}}), {{"shown", "off"}});
    s.add("air.haze", "Gas",
          {{"fills", "Ball"},
           {"density", std::to_string(density).c_str()},
           {"color", "0, 0, 0"},
           {"amount", (std::to_string(100 * amount) + " %").c_str()},
           {"own_light", "40"}});
    const double k = density * amount, truth = 40 * amount * (k > 0 ? (1 - std::exp(-k * 1.5)) / k : 1.5);
    CHECK(mean(luminances(trace(s.peek(), 16))) == Approx(truth).epsilon(1e-3));
  }
}

TEST_CASE("Own light of a gas has a light group: its power traces no ray, off it is dark", "[air]") {
  Set s(4, 4);
  s.look("0, 0, 5", "0, 0, 0", "200");
  s.set(s.add("object.sphere", "Ball", {{"radius", "0.75"}}), {{"shown", "off"}});
  const NodeId gas = s.add("air.haze", "Gas", {{"fills", "Ball"}, {"density", "0.5"}, {"own_light", "40"}});
  const Document before = s.peek();
  s.set(gas, {{"own_light", "80"}, {"own_light_color", "1, 0.2, 0.1"}});
  const Document brighter = s.peek();
  s.set(gas, {{"own_light_on", "off"}});
  const Document dark = s.peek();
  const ScenePtr scene = compiled(before);
  REQUIRE(scene->groups.size() == 1);
  CHECK(scene->groups.front().node == gas);
  for (const Document* d : {&brighter, &dark}) {
    const std::vector<Color> groupScales = balancedScales(*scene, *d, 1);
    REQUIRE(groupScales.size() == 1);
    CHECK(luminance(groupScales[0]) == Approx(double(luminance(compiled(*d)->groupScales[0]))));
  }
  CHECK(mean(luminances(trace(dark, 4))) == 0);
}

TEST_CASE("A haze shows its chosen lights only, between its distances only", "[air]") {
  Set s(2, 2);
  s.look("0, 0, 4", "0, 0, 0", "4800");
  s.add("light.point", "One", {{"power", "1000"}, {"position", "0.5, 0.5, 0"}, {"radius", "0"}});
  s.add("light.point", "Two", {{"power", "1000"}, {"position", "-0.5, 0.5, 0"}, {"radius", "0"}});
  const NodeId haze = s.add("air.haze", "Haze", {{"density", "0.05"}, {"anisotropy", "0"}, {"lit_by", "One"}});
  const auto air = [&](std::initializer_list<std::pair<const char*, const char*>> values) {
    s.set(haze, values);
    return estimate(s.peek(), 256);
  };
  const Estimate one = air({}), two = air({{"lit_by", "Two"}}), both = air({{"lit_by", ""}});
  CHECK(one.mean == Approx(two.mean).epsilon(0.03)); // they stand alike
  CHECK(std::abs(one.mean + two.mean - both.mean) <
        4 * std::sqrt(one.se * one.se + two.se * two.se + both.se * both.se));
  // Cut into a near part and a far one at the lamps' distance: they sum to the whole, but for what the near part takes
  // of the far one.
  const Estimate near = air({{"end", "4"}}), far = air({{"start", "4"}, {"end", "0"}});
  CHECK(near.mean + far.mean * std::exp(-0.05 * 4) == Approx(both.mean).epsilon(0.01));
  CHECK(near.mean == Approx(0.5 * both.mean).epsilon(0.05));
  CHECK(air({{"start", "3"}, {"end", "2"}}).mean == 0);
}

TEST_CASE("No haze stands within clear bodies but what fills them, for eyes and for lamps alike", "[air]") {
  Set s(2, 2);
  s.look("0, 0, 5", "0, 0, 0", "4800");
  s.add("light.sky", "Sky", {});
  s.add("material.surface", "Nothing",
        {{"transmission", "1"}, {"ior", "1"}, {"roughness", "0"}, {"base_color", "1, 1, 1"}});
  s.add("object.box", "Block", {{"width", "3"}, {"height", "3"}, {"depth", "2"}, {"material", "Nothing"}});
  const double bare = mean(luminances(trace(s.peek(), 1)));
  s.set(s.add("object.box", "Room", {{"width", "4"}, {"height", "4"}, {"depth", "4"}}), {{"shown", "off"}});
  const NodeId haze = s.add("air.haze", "Haze", {{"fills", "Room"}, {"density", "0.3"}, {"color", "0, 0, 0"}});
  CHECK(mean(luminances(trace(s.peek(), 1))) / bare == Approx(std::exp(-0.3 * 2)).epsilon(1e-4));
  s.set(haze, {{"fills", "Block"}});
  CHECK(mean(luminances(trace(s.peek(), 1))) / bare == Approx(std::exp(-0.3 * 2)).epsilon(1e-4));
  // A lamp behind the block lights a wall through it.
  Set w(2, 2);
  w.look("0, 0, 1.5", "0, 0, 4", "400");
  w.lambert("White", "1, 1, 1");
  w.add("object.plane", "Wall", {{"turn", "-90, 0, 0"}, {"position", "0, 0, 4"}, {"material", "White"}});
  w.add("light.point", "Lamp", {{"power", "1000"}, {"position", "0, 0, -4"}, {"radius", "0"}});
  w.add("material.surface", "Nothing",
        {{"transmission", "1"}, {"ior", "1"}, {"roughness", "0"}, {"base_color", "1, 1, 1"}});
  w.add("object.box", "Block", {{"width", "3"}, {"height", "3"}, {"depth", "2"}, {"material", "Nothing"}});
  w.settings({{"bounces", "1"}});
  const double clear = estimate(w.peek(), 64).mean;
  REQUIRE(clear > 0);
  w.add("air.haze", "Haze", {{"density", "0.1"}, {"color", "0, 0, 0"}});
  const Estimate lit = estimate(w.peek(), 64);
  CHECK(lit.mean / clear == Approx(std::exp(-0.1 * (6 + 2.5))).epsilon(0.01));
}

TEST_CASE("Enormous and tiny densities give numbers, not warnings", "[air]") {
  for (const char* density : {"1e-9", "1e6"}) {
    CAPTURE(density);
    Set s(4, 4);
    s.look("0, 0, 4", "0, 0, 0", "100");
    s.set(s.add("object.sphere", "Ball", {}), {{"shown", "off"}});
    s.add("light.sky", "Sky", {{"power", "100"}});
    s.add("light.spot", "Spot", {});
    s.add("pattern.noise", "Clouds", {});
    s.add("air.haze", "Haze",
          {{"fills", "Ball"},
           {"density", density},
           {"amount", "pattern Clouds"},
           {"scatterings", "8"},
           {"own_light", "10"}});
    s.add("air.beam", "Beam", {{"light", "Spot"}, {"density", density}});
    const Traced t = trace(s.peek(), 8);
    for (const float v : luminances(t).rgb) CHECK(std::isfinite(v));
    CHECK(t.rendering.count().dropped == 0);
  }
}
