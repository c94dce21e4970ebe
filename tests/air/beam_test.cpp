#include "core/air/beam.h"
#include "core/compile/compile.h"

#include "core/air/haze.h"
#include "core/pattern/image.h"
#include "core/scene/media.h"
#include "core/transport/rendering.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

constexpr double pi64 = 3.14159265358979323846;
constexpr float endless = std::numeric_limits<float>::infinity();

ScenePtr compiled(const Document& doc) {
  static SceneCache cache;
  return compileScene(doc, {}, noAssets(), cache);
}

// Metres of a beam on a ray.
double metres(const Scene& scene, const V3f& o, const V3f& d) {
  RayMedia way;
  if (scene.media) scene.media->along(o, normalize(d), endless, way);
  double sum = 0;
  for (const auto& s : way) sum += double(s.to - s.from);
  return sum;
}

Set spotSet(const char* cone) {
  Set s(2, 2);
  s.look("0, -2, 6", "0, -2, 0", "4800");
  s.add("light.spot", "Spot",
        {{"power", "1000"}, {"position", "0, 0, 0"}, {"target", "0, -1, 0"}, {"cone", cone}, {"edge", "0"}});
  s.add("air.beam", "Beam",
        {{"light", "Spot"}, {"reach", "5"}, {"edge", "0"}, {"fade", "0"}, {"density", "0.08"}, {"anisotropy", "0.2"}});
  return s;
}

} // namespace

TEST_CASE("A convex region clips rays as its parts say", "[beam]") {
  Convex cone;
  cone.cone({0, 0, 0}, {0, 0, -1}, 0.5f);
  RandomStream random(3);
  for (int i = 0; i < 2000; ++i) {
    const auto any = [&] { return V3f(random.next() * 6 - 3, random.next() * 6 - 3, random.next() * 6 - 3); };
    const V3f o = any(), d = normalize(any());
    float from = 0, to = 8;
    const bool in = cone.clip(o, d, from, to);
    // Along the ray, step by step.
    double length = 0;
    for (int k = 0; k < 800; ++k)
      if (cone.holds(o + d * (8 * (float(k) + 0.5f) / 800))) length += 0.01;
    CHECK((in ? double(to - from) : 0) == Approx(length).margin(0.021));
  }
}

TEST_CASE("A spot's beam lies in its cone, up to its reach, and follows when cone, place and aim change", "[beam]") {
  for (const auto& [cone, angle] : {std::pair{"55", 55.0}, {"9", 9.0}}) {
    Set s = spotSet(cone);
    const ScenePtr scene = compiled(s.peek());
    REQUIRE(scene->media);
    const double wide = std::tan(angle * pi64 / 180);
    CHECK(metres(*scene, {-9, -2, 0}, {1, 0, 0}) == Approx(4 * wide).epsilon(1e-3));
    CHECK(metres(*scene, {0.01f, 1, 0}, {0, -1, 0}) == Approx(5 - 0.01 / wide).epsilon(1e-3));
    CHECK(metres(*scene, {-9, -5.1f, 0}, {1, 0, 0}) == 0);
  }
  Set s = spotSet("20");
  s.set(s.find("Spot"), {{"position", "3, 0, 0"}, {"target", "3, 0, -1"}});
  const ScenePtr moved = compiled(s.peek());
  CHECK(metres(*moved, {3, 9, -2}, {0, -1, 0}) == Approx(4 * std::tan(20 * pi64 / 180)).epsilon(1e-3));
  CHECK(metres(*moved, {0, 9, -2}, {0, -1, 0}) == 0);
}

TEST_CASE("Across a beam the eye sees the air-light integral of its cone", "[beam][truth20]") {
  Set s = spotSet("25");
  const double half = 25 * pi64 / 180, wide = 2 * std::tan(half), intensity = 1000 / (2 * pi64 * (1 - std::cos(half)));
  double truth = 0;
  constexpr int n = 100000;
  for (int i = 0; i < n; ++i) {
    const double z = -wide + 2 * wide * (i + 0.5) / n, r = std::hypot(2, z); // the eye at z = 6 looks along -z
    truth += 2 * wide / n * 0.08 * double(phase(float(z / r), 0.2f)) * intensity / (r * r) *
             std::exp(-0.08 * (r + wide - z));
  }
  const Estimate e = estimate(s.peek(), 256);
  CAPTURE(e.mean, e.se, truth);
  CHECK(e.agrees(truth, 2e-3));
  CHECK(e.se < 0.01 * truth);
  // Haze in the whole set gives the same light inside the cone, less what it takes on the way there.
  s.set(s.find("Beam"), {{"shown", "off"}});
  s.add("air.haze", "Haze", {{"density", "0.0001"}, {"anisotropy", "0.2"}});
  const Estimate thin = estimate(s.peek(), 256);
  s.set(s.find("Haze"), {{"shown", "off"}});
  s.set(s.find("Beam"), {{"shown", "on"}, {"density", "0.0001"}, {"reach", "500"}});
  const Estimate same = estimate(s.peek(), 256);
  CHECK(std::abs(thin.mean - same.mean) < 4 * std::hypot(thin.se, same.se) + 0.002 * thin.mean);
}

TEST_CASE("A beam answers to its own light, and to others that are named", "[beam]") {
  Set s = spotSet("25");
  const Estimate own = estimate(s.peek(), 128);
  s.add("light.point", "Other", {{"power", "8000"}, {"position", "1, -2, 1"}, {"radius", "0"}});
  const Estimate still = estimate(s.peek(), 128);
  CHECK(std::abs(own.mean - still.mean) < 4 * std::hypot(own.se, still.se));
  s.set(s.find("Beam"), {{"lit_by", "Other"}});
  CHECK(estimate(s.peek(), 128).mean > 1.5 * own.mean);
  // Off, it gives nothing.
  s.set(s.find("Beam"), {{"lit_by", ""}});
  s.set(s.find("Spot"), {{"on", "off"}});
  CHECK(estimate(s.peek(), 16).mean == 0);
}

TEST_CASE("Beams thin out at their sides and along their way, and start where they are told to", "[beam]") {
  Set s = spotSet("30");
  const auto amount = [&](const V3f& p) {
    const ScenePtr scene = compiled(s.peek());
    RayMedia way;
    scene->media->along(p - V3f(0, 0, 9), {0, 0, 1}, endless, way);
    double v = 0;
    for (const auto& part : way)
      if (part.from <= 9 && part.to > 9) v += double(scene->media->amount(part, p));
    return v;
  };
  CHECK(amount({0, -2, 0}) == 1);
  s.set(s.find("Beam"), {{"fade", "100 %"}});
  CHECK(amount({0, -2, 0}) == Approx(0.6).epsilon(1e-3));
  CHECK(amount({0, -4.9f, 0}) == Approx(0.02).epsilon(1e-2));
  s.set(s.find("Beam"), {{"start", "1"}, {"fade", "0"}});
  CHECK(amount({0, -0.9f, 0}) == 0);
  CHECK(amount({0, -1.1f, 0}) == 1);
  s.set(s.find("Beam"), {{"edge", "50 %"}});
  const double rim = 2 * std::tan(30 * pi64 / 180);
  CHECK(amount({0, -2, 0}) == 1);
  CHECK(amount({float(0.75 * rim), -2, 0}) == Approx(0.5).epsilon(1e-2)); // half of the edge, smoothly
  CHECK(amount({float(0.99 * rim), -2, 0}) < 0.01);
}

TEST_CASE("Through an opening comes what the lamp behind it sends: a sun's in parallel, a lamp's spreading", "[beam]") {
  Set s(2, 2);
  s.look("0, 0, 9", "0, 0, 0", "100");
  const NodeId hole = s.add("object.path", "Hole", {{"closed", "on"}, {"thickness", "0"}});
  for (const char* p : {"-0.5, -0.5, 0", "0.5, -0.5, 0", "0.5, 0.5, 0", "-0.5, 0.5, 0"})
    s.add("path.point", "Corner", {{"place", p}, {"sharp", "on"}}, {hole, "points"});
  s.add("light.point", "Lamp", {{"position", "0, 0, -2"}, {"radius", "0"}});
  s.add("light.sun", "Sun", {{"height", "0"}, {"bearing", "180"}, {"diameter", "0"}});
  const NodeId beam =
      s.add("air.beam", "Beam", {{"light", "Lamp"}, {"opening", "Hole"}, {"reach", "4"}, {"edge", "0"}, {"fade", "0"}});
  const ScenePtr lamp = compiled(s.peek());
  REQUIRE(lamp->warnings.empty());
  // From two metres behind the hole of one metre: at z it is 1 + z / 2 wide.
  CHECK(metres(*lamp, {-9, 0, 2}, {1, 0, 0}) == Approx(2).epsilon(1e-3));
  CHECK(metres(*lamp, {-9, 0, -0.5f}, {1, 0, 0}) == 0);
  CHECK(metres(*lamp, {0, 0, -9}, {0, 0, 1}) == Approx(4).epsilon(1e-3));
  s.set(beam, {{"light", "Sun"}});
  const ScenePtr sun = compiled(s.peek());
  REQUIRE(sun->warnings.empty());
  const double before = metres(*sun, {-9, 0, -2}, {1, 0, 0}), behind = metres(*sun, {-9, 0, 2}, {1, 0, 0});
  CHECK(std::max(before, behind) == Approx(1).epsilon(1e-3)); // on the side away from the sun
  CHECK(std::min(before, behind) == 0);
  // A ball of a metre reaches around the hole: its beam is wider than a point's, and holds all of its light.
  s.set(s.find("Lamp"), {{"radius", "0.4"}});
  s.set(beam, {{"light", "Lamp"}});
  const ScenePtr ball = compiled(s.peek());
  const double edge = std::atan(0.5 / 2), lean = std::asin(0.4 / std::hypot(0.5, 2.0));
  CHECK(metres(*ball, {-9, 0, 2}, {1, 0, 0}) == Approx(1 + 4 * std::tan(edge + lean)).epsilon(1e-2));
}

TEST_CASE("A projector's beam is as its picture: four sides, and coloured by it", "[beam]") {
  Set s(2, 2);
  s.look("0, 0, 9", "0, 0, 0", "100");
  s.add("light.spot", "Projector",
        {{"position", "0, 0, 0"}, {"target", "0, 0, -1"}, {"cone", "30"}, {"edge", "0"}, {"slide", "wide.png"}});
  s.add("air.beam", "Beam", {{"light", "Projector"}, {"reach", "5"}, {"edge", "0"}, {"fade", "0"}});
  TestAssets assets;
  assets.images = [](const std::string&, int) {
    return std::make_shared<const Image>(40, 20, Image::Encoding::Linear8, std::vector<uint8_t>(40 * 20 * 4, 255));
  };
  SceneCache cache;
  const ScenePtr scene = compileScene(s.peek(), {}, assets, cache);
  REQUIRE(scene->warnings.empty());
  const double wide = 2 * std::tan(30 * pi64 / 180) * 2;
  CHECK(metres(*scene, {-9, 0, -2}, {1, 0, 0}) == Approx(wide).epsilon(1e-3));
  CHECK(metres(*scene, {0, -9, -2}, {0, 1, 0}) == Approx(wide / 2).epsilon(1e-3));
}

TEST_CASE("Shafts through slots have the shape of the slots, and nothing of them lies outside", "[beam]") {
  // A lamp at the left behind a wall with two slots of 0.2, seen along the wall: at x the upper shaft lies between two
  // lines from the lamp.
  Set s(96, 64);
  s.look("1, 0, 8", "1, 0, 0", "60");
  s.lambert("Black", "0, 0, 0");
  for (const auto& [name, height, y] :
       {std::tuple{"Above", "4", "2.4"}, {"Between", "0.4", "0"}, {"Below", "4", "-2.4"}})
    s.add("object.box", name,
          {{"width", "0.02"},
           {"height", height},
           {"depth", "6"},
           {"position", (std::string("0, ") + y + ", 0").c_str()},
           {"material", "Black"}});
  s.add("light.point", "Lamp", {{"power", "10000"}, {"position", "-2, 0, 0"}, {"radius", "0"}});
  const NodeId hole = s.add("object.path", "Slots", {{"closed", "on"}, {"thickness", "0"}});
  for (const char* p : {"0.01, -0.4, -0.5", "0.01, -0.4, 0.5", "0.01, 0.4, 0.5", "0.01, 0.4, -0.5"})
    s.add("path.point", "Corner", {{"place", p}, {"sharp", "on"}}, {hole, "points"});
  const NodeId beam = s.add(
      "air.beam", "Shafts",
      {{"light", "Lamp"}, {"opening", "Slots"}, {"reach", "4"}, {"edge", "0"}, {"fade", "0"}, {"density", "0.1"}});
  SceneCache cache;
  const Document doc = s.take();
  const ScenePtr scene = compileScene(doc, {.queries = {{.name = "air", .things = {beam}}}}, noAssets(), cache);
  REQUIRE(scene->warnings.empty());
  Rendering r(scene);
  CancelFlag never;
  r.advance(pool(), 64, never);
  const Picture p = collect(r.film(), 1, scene->groupScales, 1, pool());
  int inside = 0, outside = 0;
  for (int y = 0; y < p.height; ++y)
    for (int x = 0; x < p.width; ++x) {
      const Ray ray = scene->camera.through(float(x) + 0.5f, float(y) + 0.5f);
      const V3f at = ray.origin + ray.direction * (-ray.origin.z / ray.direction.z); // in the plane z = 0 of the lamp
      const float slope = std::abs(at.y) / (at.x + 2), l = luminance(p.color(x, y));
      if (at.x > 0.2f && at.x < 2 && slope > 0.12f && slope < 0.17f) {
        CHECK(l > 0);
        ++inside;
      }
      // A sample's filter reaches a pixel and a half.
      if (at.x < -0.2f || (at.x > 0.2f && at.x < 2 && (slope < 0.05f || slope > 0.27f))) {
        CHECK(l == 0);
        ++outside;
      }
    }
  CHECK(inside > 50);
  CHECK(outside > 500);
}

TEST_CASE("A beam that cannot be is left out and told", "[beam]") {
  const auto trouble = [](const std::function<void(Set&)>& f) {
    Set s;
    s.add("light.sun", "Sun", {});
    s.add("light.spot", "Spot", {});
    f(s);
    const ScenePtr scene = compiled(s.take());
    CHECK_FALSE(scene->media);
    return scene->warnings.empty() ? std::string() : scene->warnings.front();
  };
  CHECK(trouble([](Set& s) { s.add("air.beam", "Beam", {}); }) == "Beam.light: a beam needs a light");
  CHECK(trouble([](Set& s) {
          s.add("air.beam", "Beam", {{"light", "Sun"}});
        }) == "Beam.opening: Sun is far away, so its beam needs an opening to come through");
  CHECK(trouble([](Set& s) {
          const NodeId line = s.add("object.path", "Line", {});
          for (const char* p : {"0, 0, 0", "1, 0, 0", "2, 0, 0"})
            s.add("path.point", "Point", {{"place", p}, {"sharp", "on"}}, {line, "points"});
          s.add("air.beam", "Beam", {{"light", "Spot"}, {"opening", "Line"}});
        }) == "Beam.opening: its points lie in a line");
}
