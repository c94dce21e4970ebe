// The numbers that patterns run over: one place, eight at once, all within a box, and slopes, for every kind there is.
#include "core/base/sampling.h"
#include "core/pattern/body.h"
#include "core/pattern/program.h"
#include "tests/support/scene.h"

#include <fmt/format.h>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

constexpr float turned = 0.6f; // the object stands turned in the world

V3f worldOf(const V3f& p) {
  return {p.x * std::cos(turned) + p.z * std::sin(turned), p.y, p.z * std::cos(turned) - p.x * std::sin(turned)};
}

// What is measured is measured on a ball.
struct BallBody : PatternBody {
  float distance(const V3f& place, float within) const override {
    return std::min(within, std::abs(length(place) - 0.8f));
  }
  float chord(const V3f& place, const V3f& direction, float within) const override {
    return std::min(within, 0.3f + 0.1f * dot(place, direction));
  }
  uint32_t piece(const V3f& place) const override { return place.x > 0 ? 1 : 0; }
  bool painted(const V3f& place, V4f& color) const override {
    color = V4f(0.5f, 0.5f + 0.4f * std::sin(place.x), 0.2f, 1);
    return true;
  }
  bool secondCoordinates(const V3f& place, V2f& uv) const override {
    uv = {place.y, place.x};
    return true;
  }
};

PatternPoint point(const V3f& p) {
  static const BallBody ball;
  PatternPoint at;
  at.body = &ball;
  at.position = p;
  at.world = worldOf(p);
  at.uv = {0.7f * p.x + 0.1f, p.y};
  at.screen = {p.x, 0.5f * p.y, 4 + p.z};
  at.normal = {0, 1, 0};
  at.facing = {0.5f * p.x, 0.8f, 0.3f * p.z};
  at.incidence = clamp01(0.5f + 0.4f * p.x);
  at.random = 0.37f;
  at.copyRandom = 0.61f;
  return at;
}

// Everything that a point within a box of places can have.
PatternBox boxOf(const V3f& low, const V3f& high) {
  PatternBox b{point(low), point(high)};
  Box3f world;
  for (int c = 0; c < 8; ++c)
    world.extendBy(worldOf({c & 1 ? low.x : high.x, c & 2 ? low.y : high.y, c & 4 ? low.z : high.z}));
  b.low.world = world.min - V3f(1e-5f);
  b.high.world = world.max + V3f(1e-5f);
  return b;
}

PointOf<Slope> sloped(const V3f& p) {
  const PatternPoint at = point(p);
  const float e = 1e-3f;
  PointOf<Slope> s;
  const auto set = [&](Slope& to, auto member) {
    to = member(at);
    for (int k = 0; k < 3; ++k) {
      V3f q = p, r = p;
      q[k] += e;
      r[k] -= e;
      to.d[k] = (member(point(q)) - member(point(r))) / (2 * e);
    }
  };
  for (int k = 0; k < 3; ++k) {
    set(s.position[k], [k](const PatternPoint& x) { return x.position[k]; });
    set(s.world[k], [k](const PatternPoint& x) { return x.world[k]; });
    set(s.screen[k], [k](const PatternPoint& x) { return x.screen[k]; });
    s.normal[k] = at.normal[k];
    set(s.facing[k], [k](const PatternPoint& x) { return x.facing[k]; });
  }
  for (int k = 0; k < 2; ++k) set(s.uv[k], [k](const PatternPoint& x) { return x.uv[k]; });
  set(s.incidence, [](const PatternPoint& x) { return x.incidence; });
  s.random = at.random;
  s.copyRandom = at.copyRandom;
  s.body = at.body;
  return s;
}

struct Case {
  std::string name;
  Program program;
};

// Every kind, with each choice that it has, one after the other, over a noise where it takes a pattern.
std::vector<Case> everyKind() {
  Set s;
  s.add("pattern.noise", "Cloud", {{"scale", "0.4"}, {"octaves", "2"}});
  std::vector<std::pair<std::string, NodeId>> made;
  for (const PatternKind& kind : allPatterns()) {
    if (!kind.compile || kind.kind.id == "pattern.image") continue; // which needs a file
    const auto add = [&](const std::string& what, const char* param, const char* value) {
      const NodeId id = s.add(kind.kind.id.c_str(), kind.kind.label.c_str(), {});
      made.emplace_back(kind.kind.label + ", " + what, id);
      if (param) s.set(id, {{param, value}});
      for (const ParamDef& d : kind.kind.params)
        if (d.patternable &&
            (d.name == "value" || d.name == "a" || d.name == "by" || d.name == "above" || d.name == "push"))
          s.set(id, {{d.name.c_str(), "pattern Cloud"}});
    };
    add("as it is", nullptr, nullptr);
    for (const ParamDef& d : kind.kind.params) {
      if (d.type == ParamType::Choice)
        for (size_t i = 1; i < d.choices.size(); ++i)
          add(d.label + ": " + d.choices[i], d.name.c_str(), d.choices[i].c_str());
      if (d.type == ParamType::Flag) add(d.label, d.name.c_str(), "on");
      if (d.name == "edge" || d.name == "strewn" || d.name == "variety" || d.name == "soft")
        add(d.label + " at two fifths", d.name.c_str(), d.unit == "%" ? "40 %" : "0.4");
    }
  }
  const NodeId curve = s.add("pattern.curve", "Drawn", {{"value", "pattern Cloud"}});
  for (const auto& [at, value] : {std::pair{"0", "0"}, {"0.4", "0.9"}, {"0.6", "0.2"}, {"1", "1"}})
    s.add("curve.values", "", {{"at", at}, {"value", value}}, {curve, "points", size_t(-1)});
  made.emplace_back("Curve, drawn", curve);
  // What needs another thing.
  s.add("light.point", "Lamp", {{"position", "1, 2, 0.5"}});
  const auto zoned = [&](const char* form, const char* param, const char* value) {
    const std::string name = std::string("Zone ") + form + (param ? param : "");
    const NodeId zone = s.add("zone.zone", name.c_str(),
                              {{"form", form},
                               {"position", "0.2, -0.1, 0.1"},
                               {"turn", "20, 40, 0"},
                               {"size", "1.2, 0.8, 0.9"},
                               {"edge", "0.2"}});
    if (param) s.set(zone, {{param, value}});
    const NodeId id = s.add("pattern.zone", "In it", {{"zone", name.c_str()}, {"pushed", "pattern Cloud"}});
    made.emplace_back(std::string("Zone, ") + form + (param ? std::string(", ") + param : ""), id);
    const NodeId ride = s.add("pattern.ride", "Ride", {{"of", name.c_str()}, {"value", "pattern Cloud"}});
    made.emplace_back(std::string("Ride on a zone, ") + form, ride);
  };
  for (const char* form : {"ball", "box", "cylinder", "half-space"}) {
    zoned(form, nullptr, nullptr);
    zoned(form, "share", "40 %");
    zoned(form, "grown", "0.1");
    zoned(form, "inverted", "on");
  }
  const Document doc = s.take();
  std::vector<Case> cases;
  for (const auto& [name, id] : made)
    cases.push_back({name, Program::compile(doc, {id, nullptr}, 7, noAssets(), false)});
  return cases;
}

// Boxes of all sizes about the middle, with places in each: fails where a value lies outside of what is told. Returns
// how often little is told of little boxes, 0 to 1.
double checkBounds(const Case& c, uint32_t boxes, uint32_t places) {
  RandomStream r(uint32_t(std::hash<std::string>()(c.name)));
  int little = 0, tight = 0;
  for (uint32_t i = 0; i < boxes; ++i) {
    const float size = std::pow(10.0f, -4 * r.next());
    V3f low, high;
    for (int k = 0; k < 3; ++k) {
      low[k] = 2 * r.next() - 1;
      high[k] = low[k] + (i % 16 == 0 ? 0 : size * r.next());
    }
    PatternBox box = boxOf(low, high);
    const bool fine = i % 4 == 0; // seen by samples of some size
    box.high.footprint = box.high.uvFootprint = fine ? 0.2f * r.next() : 0;
    const Bounds4 bounds = c.program.bounds(box);
    if (size < 2e-3f && !fine) {
      ++little;
      tight += bounds.x.high - bounds.x.low < 0.25f;
    }
    for (uint32_t n = 0; n < places; ++n) {
      V3f p;
      for (int k = 0; k < 3; ++k) p[k] = std::clamp(low[k] + (high[k] - low[k]) * r.next(), low[k], high[k]);
      if (n == 0) p = low;
      if (n == 1) p = high;
      PatternPoint at = point(p);
      at.footprint = at.uvFootprint = r.next() * box.high.footprint;
      const Sample4 v = c.program.evaluate(at);
      for (int k = 0; k < 4; ++k)
        if (!(bounds[k].low <= v[k] && v[k] <= bounds[k].high)) {
          INFO(c.name << ", box " << i << ", channel " << k << ": " << v[k] << " is not within " << bounds[k].low
                      << " to " << bounds[k].high << " at " << p.x << ", " << p.y << ", " << p.z);
          FAIL();
        }
    }
  }
  return double(tight) / little;
}

} // namespace

TEST_CASE("No pattern of any kind leaves its bounds", "[pattern][bounds]") {
  for (const Case& c : everyKind()) {
    CAPTURE(c.name);
    const double tight = checkBounds(c, 1000, 6);
    // What is told as all that it can be.
    const bool loose = c.name == "Noise, Family: rolling" || c.name == "Chance, For each: piece" ||
                       c.name.starts_with("Edges and crevices") || c.name.starts_with("Thickness") ||
                       c.name.starts_with("Painted") || c.name.starts_with("By second");
    CHECK((tight > 0.4 || loose));
  }
}

TEST_CASE("No pattern of any kind leaves its bounds, in a million boxes each", "[pattern][bounds][long]") {
  for (const Case& c : everyKind()) checkBounds(c, 1000000, 2);
  SUCCEED();
}

TEST_CASE("Eight places at once are what they are one by one", "[pattern][batch]") {
  RandomStream r(3);
  std::vector<PatternPoint> points;
  for (int i = 0; i < 203; ++i) points.push_back(point({2 * r.next() - 1, 2 * r.next() - 1, 2 * r.next() - 1}));
  for (PatternPoint& p : points) {
    p.footprint = 0.05f * r.next();
    p.uvFootprint = 0.05f * r.next();
  }
  for (const Case& c : everyKind()) {
    std::vector<Sample4> out(points.size());
    c.program.evaluate(points, out.data());
    int apart = 0;
    for (size_t i = 0; i < points.size(); ++i) {
      const Sample4 one = c.program.evaluate(points[i]);
      for (int k = 0; k < 4; ++k) apart += !(std::abs(one[k] - out[i][k]) <= 2e-5f * (1 + std::abs(one[k])));
    }
    CAPTURE(c.name);
    CHECK(apart == 0);
  }
}

TEST_CASE("Slopes are what differences come to", "[pattern][slope]") {
  RandomStream r(5);
  for (const Case& c : everyKind()) {
    int smooth = 0, wrong = 0;
    for (int i = 0; i < 60; ++i) {
      const V3f p(2 * r.next() - 1, 2 * r.next() - 1, 2 * r.next() - 1);
      const ValuesOf<Slope> s = c.program.slope(sloped(p));
      for (int axis = 0; axis < 3; ++axis) {
        const auto across = [&](float e) {
          V3f a = p, b = p;
          a[axis] += e;
          b[axis] -= e;
          return (double(c.program.evaluate(point(a)).x) - double(c.program.evaluate(point(b)).x)) / (2 * double(e));
        };
        // Where it bends or jumps within the differences there is nothing to compare with.
        const double wide = across(4e-3f), narrow = across(1e-3f);
        if (std::abs(wide - narrow) > 0.02 * (0.2 + std::abs(narrow))) continue;
        ++smooth;
        wrong += !(std::abs(narrow - double(s.x.d[axis])) < 0.05 + 0.06 * std::abs(narrow));
      }
    }
    CAPTURE(c.name, smooth);
    CHECK(wrong <= smooth / 20); // bends that both differences met
  }
}

TEST_CASE("What runs in a loop is the same after it", "[pattern][time]") {
  Set s;
  for (const char* kind : {"stripes", "waves", "spiral"})
    s.add((std::string("pattern.") + kind).c_str(), kind, {{"speed", "0.7"}, {"loop", "50"}});
  const Document doc = s.take();
  for (const char* name : {"stripes", "waves", "spiral"}) {
    const auto at = [&](double frame, float x) {
      return Program::compile(doc, {doc.findByName(name)->id, nullptr}, frame, noAssets(), false)
          .evaluate(point({x, 0.3f * x, 0.2f}))
          .x;
    };
    int moved = 0;
    for (float x = 0.01f; x < 0.4f; x += 0.013f) {
      CHECK(at(3, x) == Approx(at(53, x)).margin(1e-3));
      moved += std::abs(at(3, x) - at(20, x)) > 0.1f;
    }
    CAPTURE(name);
    CHECK(moved > 3);
  }
}

TEST_CASE("A graph of 500 patterns and one of 30 levels are compiled, shared parts once", "[pattern]") {
  Set s;
  s.add("pattern.noise", "Level 0", {{"scale", "0.3"}});
  for (int i = 1; i <= 30; ++i)
    s.add("pattern.math", fmt::format("Level {}", i).c_str(),
          {{"does", "multiply"},
           {"a", fmt::format("pattern Level {}", i - 1).c_str()},
           {"b", fmt::format("pattern Level {}", i - 1).c_str()}});
  // A heap: each of 500 adds two before it.
  for (int i = 0; i < 500; ++i)
    s.add("pattern.math", fmt::format("Heap {}", i).c_str(),
          {{"does", "add"},
           {"a", i ? fmt::format("pattern Heap {}", (i - 1) / 2).c_str() : "pattern Level 0"},
           {"b", i > 1 ? fmt::format("pattern Heap {}", i - 2).c_str() : "0.001"}});
  const Document doc = s.take();
  const auto compiled = [&](const char* name) {
    return Program::compile(doc, {doc.findByName(name)->id, nullptr}, 1, noAssets(), false);
  };
  const Program deep = compiled("Level 30"), cloud = compiled("Level 0");
  CHECK(deep.operations() == cloud.operations() + 30); // though each is used twice
  const float c = cloud.evaluate(point({0.1f, 0.2f, 0.3f})).x;
  CHECK(compiled("Level 3").evaluate(point({0.1f, 0.2f, 0.3f})).x == Approx(std::pow(c, 8)));
  const Program heap = compiled("Heap 499");
  CHECK(heap.operations() > 250);
  CHECK(std::isfinite(heap.evaluate(point({0.1f, 0.2f, 0.3f})).x));
}
