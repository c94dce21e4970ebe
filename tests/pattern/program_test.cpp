#include "core/base/colorspace.h"
#include "core/pattern/noise.h"
#include "core/pattern/program.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// Drives a parameter by a pattern.
Document drive(const Document& doc, const char* address, const char* pattern) {
  return setAt(doc, resolve(doc, address), Value(PatternUse{{doc.findByName(pattern)->id, nullptr}}));
}

Program compile(const Document& doc, const char* name, bool asColor = false) {
  return Program::compile(doc, {doc.findByName(name)->id, nullptr}, 1, noAssets(), asColor);
}

PatternPoint point(const V3f& p) {
  PatternPoint at;
  at.position = p;
  at.world = p * 2.0f;
  at.uv = {p.x, p.y};
  at.incidence = clamp01(std::abs(p.z));
  return at;
}

// A ramp from red over green to blue along x, its middle at 0.25.
Document threeColours(const char* along = "line") {
  Set s;
  const NodeId ramp = s.add("pattern.ramp", "Ramp", {{"along", along}, {"end", "2, 0, 0"}});
  int n = 0;
  for (const auto& [place, colour] : {std::pair{"0", "1, 0, 0"}, {"0.25", "0, 1, 0"}, {"1", "0, 0, 1"}})
    s.add("ramp.key", ("Key " + std::to_string(++n)).c_str(), {{"place", place}, {"color", colour}}, {ramp, "keys"});
  return s.take();
}

} // namespace

TEST_CASE("A ramp goes through its keys along a line, out from a point and around an axis", "[pattern][ramp]") {
  const Program line = compile(threeColours(), "Ramp");
  CHECK(line.evaluate(point({-1, 5, 3})) == Sample4(1, 0, 0, 1));
  CHECK(line.evaluate(point({0.5f, 0, 0})) == Sample4(0, 1, 0, 1));
  CHECK(line.evaluate(point({0.25f, 0, 0})).x == Approx(0.5));
  CHECK(line.evaluate(point({9, 0, 0})) == Sample4(0, 0, 1, 1));
  const Program ball = compile(threeColours("ball"), "Ramp");
  for (const V3f& p : {V3f(0.5f, 0, 0), V3f(0, -0.5f, 0), V3f(0, 0, 0.5f)})
    CHECK(ball.evaluate(point(p)).y == Approx(1));
  const Program angle = compile(threeColours("angle"), "Ramp");
  CHECK(angle.evaluate(point({1, 0, 0})).x == Approx(1));
  CHECK(angle.evaluate(point({0, 7, -1})).y == Approx(1)); // a quarter of the turn
}

TEST_CASE("Keys of a ramp that cross push each other", "[pattern][ramp]") {
  Document doc = threeColours();
  doc = setAt(doc, resolve(doc, "Key 1.place"), Constant(0.5));
  const Program p = compile(doc, "Ramp");
  CHECK(p.evaluate(point({0.9f, 0, 0})).x == Approx(1)); // before the first key: its colour
  CHECK(p.evaluate(point({1.01f, 0, 0})).y > 0.9f);      // the second is pushed to the same place
  doc = setAt(doc, resolve(doc, "Key 2.passage"), Constant(std::string("step")));
  CHECK(compile(doc, "Ramp").evaluate(point({1.5f, 0, 0})).y == Approx(1));
}

TEST_CASE("Patterns drive the parameters of patterns, and shared parts are compiled once", "[pattern]") {
  Set s;
  s.add("pattern.noise", "Cloud", {{"scale", "0.3"}});
  s.add("pattern.mix", "Twice", {{"mode", "multiply"}});
  s.add("pattern.mix", "Again", {{"mode", "add"}});
  Document doc = s.take();
  doc = drive(drive(doc, "Twice.below", "Cloud"), "Twice.above", "Cloud");
  doc = drive(drive(doc, "Again.below", "Twice"), "Again.above", "Cloud");
  const Program cloud = compile(doc, "Cloud"), again = compile(doc, "Again");
  CHECK(again.operations() == cloud.operations() + 2);
  for (int i = 0; i < 50; ++i) {
    const PatternPoint at = point({0.37f * float(i), 0.11f * float(i), -0.2f * float(i)});
    const float c = cloud.evaluate(at).x;
    CHECK(again.evaluate(at).x == Approx(c * c + c));
  }
}

TEST_CASE("What is the same everywhere is folded into one constant", "[pattern]") {
  Set s;
  s.add("pattern.constant", "Grey", {{"value", "0.25, 0.5, 1"}});
  s.add("pattern.mix", "Half", {{"mask", "0.5"}});
  Document doc = s.take();
  doc = drive(doc, "Half.above", "Grey");
  const Program p = compile(doc, "Half");
  REQUIRE(p.constant());
  CHECK(p.operations() == 0);
  CHECK(p.constant()->y == Approx(0.25));
  const Color c = working({0.25, 0.5, 1});
  const Program coloured = compile(doc, "Grey", true);
  CHECK(coloured.evaluate({}).x == Approx(c.x));
}

TEST_CASE("A pattern that refers to itself is refused by name", "[pattern]") {
  Set s;
  s.add("pattern.mix", "Snake", {});
  s.add("pattern.mix", "Tail", {});
  Document doc = s.take();
  doc = drive(drive(doc, "Snake.below", "Tail"), "Tail.above", "Snake");
  CHECK(refusal([&] { compile(doc, "Snake"); }).find("Snake") != std::string::npos);
}

TEST_CASE("Incidence runs from what faces the viewer to the rim", "[pattern]") {
  Set s;
  s.add("pattern.incidence", "Rim", {{"power", "2"}});
  const Document doc = s.take();
  const Program p = compile(doc, "Rim");
  PatternPoint at;
  CHECK(p.evaluate(at).x == 0);
  at.incidence = 0;
  CHECK(p.evaluate(at).x == Approx(1));
  at.incidence = std::sqrt(0.5f); // 45 degrees
  CHECK(p.evaluate(at).x == Approx(0.25));
}

TEST_CASE("Bricks run around a body: each side has them as it faces, to be read from outside", "[pattern][bricks]") {
  Set s;
  s.add("pattern.bricks", "Bricks", {{"edge", "0"}, {"seed", "3"}});
  s.add("pattern.bricks", "Straight", {{"edge", "0"}, {"seed", "3"}, {"around", "off"}});
  const Document doc = s.take();
  const Program bricks = compile(doc, "Bricks"), straight = compile(doc, "Straight");
  // A side's own right and up, by the way that it faces.
  const std::pair<V3f, std::pair<V3f, V3f>> sides[] = {
      {{0, 0, 1}, {{1, 0, 0}, {0, 1, 0}}},  {{0, 0, -1}, {{-1, 0, 0}, {0, 1, 0}}},
      {{1, 0, 0}, {{0, 0, -1}, {0, 1, 0}}}, {{-1, 0, 0}, {{0, 0, 1}, {0, 1, 0}}},
      {{0, 1, 0}, {{1, 0, 0}, {0, 0, -1}}}, {{0, -1, 0}, {{1, 0, 0}, {0, 0, 1}}}};
  int joints = 0;
  for (const auto& [normal, axes] : sides) {
    CHECK(cross(axes.first, axes.second) == normal);
    for (int i = 0; i < 200; ++i) {
      const float u = 0.0173f * float(i) - 1.7f, v = 0.0311f * float(i) - 2.9f;
      PatternPoint at = point(axes.first * u + axes.second * v + normal * 0.4f);
      at.normal = normal;
      PatternPoint flat = point({u, v, 0});
      flat.normal = {0, 0, 1};
      CHECK(bricks.evaluate(at) == straight.evaluate(flat));
      joints += bricks.evaluate(at).x == 0.1f;
    }
  }
  CHECK(joints > 100);
  CHECK(joints < 500);
}

TEST_CASE("Gradient noise is even, bounded, no steeper than it says, and 0 at whole coordinates", "[pattern][noise]") {
  double sum = 0, sum2 = 0;
  for (int i = 0; i < 40000; ++i) {
    Sampler s(1, 0, uint32_t(i), 3);
    const V2f a = s.get2(), b = s.get2();
    const V3f p(a.x * 40 - 20, a.y * 40 - 20, b.x * 40 - 20);
    const float n = gradientNoise(p, 5);
    REQUIRE(std::abs(n) <= 1);
    sum += n;
    sum2 += n * n;
    const float step = 1e-3f;
    for (const V3f& d : {V3f(step, 0, 0), V3f(0, step, 0), V3f(0, 0, step)})
      REQUIRE(std::abs(gradientNoise(p + d, 5) - n) <= gradientNoiseSlope * step * 1.02f);
  }
  CHECK(std::abs(sum / 40000) < 0.01);
  CHECK(sum2 / 40000 > 0.03);
  CHECK(gradientNoise({3, -7, 12}, 5) == Approx(0).margin(1e-6));
  CHECK(gradientNoise({0.3f, 0.4f, 0.5f}, 5) != gradientNoise({0.3f, 0.4f, 0.5f}, 6));
}

TEST_CASE("No value lies outside the bounds that a pattern tells for a box", "[pattern][bounds]") {
  Set s;
  s.add("pattern.noise", "Cloud",
        {{"scale", "0.3"}, {"octaves", "5"}, {"low", "0.2, 0.1, 1.5"}, {"high", "0.7, 2, 1"}});
  s.add("pattern.incidence", "Rim", {{"power", "1.7"}});
  const NodeId ramp = s.add("pattern.ramp", "Ramp", {{"end", "0.7, 0.3, 0.1"}});
  int n = 0;
  for (const auto& [place, colour] : {std::pair{"0.1", "1, 0.2, 0"}, {"0.4", "0, 1, 0.3"}, {"0.6", "2, 0, 1"}})
    s.add("ramp.key", ("Key " + std::to_string(++n)).c_str(), {{"place", place}, {"color", colour}}, {ramp, "keys"});
  for (const char* mode :
       {"over", "multiply", "add", "subtract", "screen", "lighter", "darker", "difference", "overlay"})
    s.add("pattern.mix", (std::string("In ") + mode).c_str(), {{"mode", mode}});
  std::vector<std::string> names = {"Cloud", "Rim", "Ramp"};
  for (const std::string& family : noiseFamilies) {
    names.push_back("Noise " + family);
    s.add("pattern.noise", names.back().c_str(),
          {{"family", family.c_str()},
           {"scale", "0.4"},
           {"octaves", "3"},
           {"contrast", "2"},
           {"floor", "20 %"},
           {"ceiling", "80 %"},
           {"churn", "3"},
           {"drift", "0.3, 0, 0.1"},
           {"loop", "20"}});
  }
  const NodeId mist = s.add("pattern.mist", "Mist", {{"height", "0.4"}, {"base", "-0.2"}});
  s.add("mist.layer", "Layer", {{"family", "puffed"}, {"scale", "0.5"}}, {mist, "layers"});
  const NodeId solid = s.add("pattern.solid", "Solid", {{"width", "0.2"}});
  for (const auto& [form, joining] : {std::pair{"ball", "add"},
                                      {"box", "add"},
                                      {"ring", "cut out"},
                                      {"rod", "add"},
                                      {"shell", "keep within"},
                                      {"slab", "cut out"}})
    s.add("solid.part", "Part", {{"form", form}, {"joining", joining}, {"join", "0.1"}, {"place", "0.1, 0.05, -0.1"}},
          {solid, "parts"});
  s.add("pattern.comb", "Comb", {{"cell", "0.3"}, {"wall", "0.05"}, {"width", "0.1"}});
  s.add("pattern.remap", "Remapped", {{"floor", "0.3"}, {"ceiling", "0.6"}, {"gamma", "2"}, {"invert", "on"}});
  s.add("pattern.warp", "Warped", {{"strength", "0.2"}});
  s.add("pattern.cover", "Covered", {{"amount", "0.4"}, {"settles", "0.3"}});
  for (const char* name : {"Mist", "Solid", "Comb", "Remapped", "Warped", "Covered"}) names.push_back(name);
  Document doc = s.take();
  doc = drive(doc, "Covered.value", "Cloud");
  doc = drive(drive(drive(doc, "Remapped.value", "Cloud"), "Warped.value", "Comb"), "Warped.by", "Noise rolling");
  for (const char* mode :
       {"over", "multiply", "add", "subtract", "screen", "lighter", "darker", "difference", "overlay"}) {
    const std::string name = std::string("In ") + mode;
    doc = drive(drive(drive(doc, (name + ".below").c_str(), "Cloud"), (name + ".above").c_str(), "Ramp"),
                (name + ".mask").c_str(), "Rim");
    names.push_back(name);
  }
  int tight = 0;
  for (const std::string& name : names) {
    const Program p = compile(doc, name.c_str());
    for (int i = 0; i < 200; ++i) {
      Sampler r(9, 0, uint32_t(i), 1);
      const V2f a = r.get2(), b = r.get2(), c = r.get2();
      const float size = std::pow(10.0f, -3 * c.x);
      const V3f low(a.x - 0.5f, a.y - 0.5f, b.x - 0.5f), high = low + V3f(size, size * b.y, size * 0.5f);
      PatternBox box{point(low), point(high)};
      box.low.incidence = c.y * 0.5f;
      box.high.incidence = box.low.incidence + size * 0.5f;
      const Bounds4 bounds = p.bounds(box);
      if (bounds.x.high - bounds.x.low < 0.5f) ++tight;
      for (int k = 0; k < 30; ++k) {
        Sampler q(10, uint32_t(i), uint32_t(k), 1);
        const V2f u = q.get2(), v = q.get2();
        PatternPoint at = point(low + V3f((high.x - low.x) * u.x, (high.y - low.y) * u.y, (high.z - low.z) * v.x));
        at.incidence = box.low.incidence + (box.high.incidence - box.low.incidence) * v.y;
        const Sample4 value = p.evaluate(at);
        CAPTURE(name, i);
        for (int ch = 0; ch < 4; ++ch) {
          REQUIRE(value[ch] >= bounds[ch].low);
          REQUIRE(value[ch] <= bounds[ch].high);
        }
      }
    }
  }
  CHECK(tight > 500);
}

TEST_CASE("Noise drifts with its speed, churns in place, and a loop closes", "[pattern][noise]") {
  Set s;
  const NodeId noise = s.add("pattern.noise", "Smoke", {{"scale", "0.5"}, {"drift", "0.48, 0, 0"}});
  const auto at = [&](double frame, const V3f& p) {
    return Program::compile(s.peek(), {noise, nullptr}, frame, noAssets(), false).evaluate(point(p)).x;
  };
  // 24 frames a second: after 12 frames it has gone 0.24 m.
  for (int i = 0; i < 20; ++i) {
    const V3f p(0.13f * float(i), 0.2f, -0.05f * float(i));
    CHECK(at(13, p + V3f(0.24f, 0, 0)) == Approx(at(1, p)).margin(1e-4));
  }
  s.set(noise, {{"drift", "0, 0, 0"}, {"churn", "1"}});
  double change = 0, step = 0;
  for (int i = 0; i < 40; ++i) {
    const V3f p(0.31f * float(i), 0.2f, -0.17f * float(i));
    change += double(std::abs(at(25, p) - at(1, p)));
    step += double(std::abs(at(2, p) - at(1, p)));
  }
  CHECK(change / 40 > 0.05); // in a second it is another noise
  CHECK(step / 40 < 0.03);   // in a frame nearly the same
  for (const char* family : {"smooth", "cellular", "rolling"}) {
    CAPTURE(family);
    s.set(noise, {{"family", family}, {"drift", "0.3, 0.1, 0"}, {"loop", "30"}});
    for (int i = 0; i < 20; ++i) {
      const V3f p(0.13f * float(i), 0.2f, -0.05f * float(i));
      CHECK(at(7, p) == Approx(at(37, p)).margin(1e-5));
      CHECK(std::abs(at(29.999, p) - at(30, p)) < 0.02f); // and it does not jump there
    }
  }
}

TEST_CASE("Solids are a half on their surface, run into one another, and are cut out", "[pattern][solid]") {
  Set s;
  const NodeId solid = s.add("pattern.solid", "Solid", {{"width", "0.1"}});
  s.add("solid.part", "Ball", {{"form", "ball"}, {"radius", "0.5"}}, {solid, "parts"});
  const auto at = [&](const V3f& p) { return compile(s.peek(), "Solid").evaluate(point(p)).x; };
  CHECK(at({0.5f, 0, 0}) == Approx(0.5));
  CHECK(at({0, 0.4f, 0}) == 1);
  CHECK(at({0, 0, 0.6f}) == 0);
  CHECK(at({0.525f, 0, 0}) == Approx(0.25));
  const NodeId other =
      s.add("solid.part", "Other", {{"form", "ball"}, {"radius", "0.5"}, {"place", "1, 0, 0"}}, {solid, "parts"});
  CHECK(at({0.5f, 0.05f, 0}) < 0.5f); // between two that only touch
  s.set(other, {{"join", "0.3"}});
  CHECK(at({0.5f, 0.05f, 0}) > 0.5f);
  s.set(other, {{"joining", "cut out"}, {"join", "0"}});
  CHECK(at({0.45f, 0, 0}) < 0.5f + 1e-6f + 0.5f);
  CHECK(at({0.52f, 0, 0}) < 0.5f);
  s.set(other, {{"joining", "keep within"}, {"place", "0.2, 0, 0"}});
  CHECK(at({-0.4f, 0, 0}) == 0); // outside the second
  CHECK(at({0.2f, 0, 0}) == 1);
}

TEST_CASE("Fine noise fades out where a sample of the picture is larger than it", "[pattern][noise]") {
  Set s;
  s.add("pattern.noise", "Grain", {{"scale", "0.01"}, {"octaves", "3"}});
  const Document doc = s.take();
  const Program p = compile(doc, "Grain");
  PatternPoint at = point({0.123f, 0.456f, 0.789f});
  CHECK(p.evaluate(at).x != Approx(0.5));
  at.footprint = 0.02f;
  CHECK(p.evaluate(at).x == Approx(0.5));
}
