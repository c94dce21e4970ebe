// Patterns by the distance to things and to points.
#include "core/compile/compile.h"
#include "core/compile/distance_field.h"
#include "core/geometry/form.h"
#include "core/pattern/program.h"
#include "core/scene/media.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

float at(const Program& p, const V3f& world) {
  PatternPoint point;
  point.world = world;
  return p.evaluate(point).x;
}
Program compiled(const Document& doc, const char* name = "Away") {
  return Program::compile(doc, {doc.findByName(name)->id, nullptr}, 1, noAssets(), false);
}

} // namespace

TEST_CASE("The distance to a ball, a box, a ring and copies of a bar is that of their surfaces",
          "[pattern][distance]") {
  Set s;
  s.add("object.sphere", "Ball", {{"radius", "0.5"}, {"position", "1, 2, 3"}, {"size", "2, 2, 2"}});
  s.add("object.box", "Box",
        {{"width", "2"}, {"height", "1"}, {"depth", "1"}, {"position", "0, -3, 0"}, {"turn", "0, 45, 0"}});
  s.add("object.torus", "Ring", {{"radius", "1"}, {"tube", "0.25"}, {"segments", "512"}, {"sides", "256"}});
  s.add("object.box", "Bar", {{"width", "0.2"}, {"height", "0.2"}, {"depth", "0.2"}, {"position", "0, 9, 0"}});
  s.add("modifier.repeat", "Row", {{"count", "5"}, {"step", "1, 0, 0"}}, {s.find("Bar"), "modifiers"});
  s.add("pattern.distance", "Away", {{"gives", "metres"}});
  const auto to = [&](const char* things) {
    s.set(s.find("Away"), {{"things", things}});
    return compiled(s.peek());
  };
  CHECK(at(to("Ball"), {1, 2, 3}) == 0); // inside it is near
  CHECK(at(to("Ball"), {1, 5, 3}) == Approx(2));
  s.set(s.find("Away"), {{"inside", "by the way out"}});
  CHECK(at(to("Ball"), {1, 2.25f, 3}) == Approx(0.75));
  CHECK(at(to("Box"), {0, -3, 0}) == Approx(0.5));
  const float diagonal = std::sqrt(0.5f);
  CHECK(at(to("Box"), V3f(diagonal, 0, -diagonal) * 3.0f + V3f(0, -3, 0)) == Approx(2)); // along its own x
  CHECK(at(to("Box"), {0, 0, 0}) == Approx(2.5));
  CHECK(at(to("Ring"), {0, 0, 0}) == Approx(0.75).epsilon(1e-3));
  CHECK(at(to("Ring"), {1, 1, 0}) == Approx(0.75).epsilon(1e-3));
  for (int i = 0; i < 5; ++i) CHECK(at(to("Bar"), {float(i), 9.5f, 0}) == Approx(0.4));
  CHECK(at(to("Ball, Box, Ring"), {0, -1, 0}) ==
        Approx(std::min(1.5, std::sqrt(2.0) - 0.25)).epsilon(1e-3)); // the nearest counts
  CHECK(at(to(""), {0, 0, 0}) > 1e8f);
}

TEST_CASE("A group stands for what it holds, wherever that is carried", "[pattern][distance]") {
  Set s;
  const NodeId group = s.add("object.group", "Pair", {{"position", "0, 10, 0"}});
  s.add("object.sphere", "Left", {{"radius", "1"}, {"position", "-3, 0, 0"}}, {group, "objects"});
  s.add("object.box", "Right", {{"width", "2"}, {"height", "2"}, {"depth", "2"}, {"position", "3, 0, 0"}},
        {group, "objects"});
  s.add("pattern.distance", "Away", {{"gives", "metres"}, {"things", "Pair"}});
  CHECK(at(compiled(s.peek()), {-3, 13, 0}) == Approx(2));
  CHECK(at(compiled(s.peek()), {3, 13, 0}) == Approx(2));
  const uint64_t before = compiled(s.peek()).surroundings();
  CHECK(compiled(s.peek()).surroundings() == before);
  s.set(group, {{"position", "0, 11, 0"}});
  CHECK(at(compiled(s.peek()), {3, 13, 0}) == Approx(1));
  CHECK(compiled(s.peek()).surroundings() != before);
}

TEST_CASE("From the near colour to the far one it goes straight, smoothly or in a step, about a point too",
          "[pattern][distance]") {
  Set s;
  s.add("pattern.distance", "Away",
        {{"to", "point"},
         {"point", "0, 1, 0"},
         {"space", "world"},
         {"reach", "2"},
         {"near", "3, 3, 3"},
         {"far", "1, 1, 1"}});
  const auto half = [&] { return at(compiled(s.peek()), {0, 1, 0.5f}); };
  CHECK(half() == Approx(2.5));
  CHECK(at(compiled(s.peek()), {0, 1, 9}) == 1);
  s.set(s.find("Away"), {{"passage", "smooth"}});
  CHECK(half() == Approx(3 - 2 * (3 * 0.0625 - 2 * 0.015625)));
  s.set(s.find("Away"), {{"passage", "step"}});
  CHECK(half() == 3);
  CHECK(at(compiled(s.peek()), {0, 1, 2.1f}) == 1);
}

TEST_CASE("No distance lies outside the bounds told for a box", "[pattern][bounds][distance]") {
  Set s;
  s.add("object.torus", "Ring", {{"radius", "0.6"}, {"tube", "0.2"}});
  for (const char* inside : {"is near", "by the way out"})
    for (const char* gives : {"colours", "metres"}) {
      s.add("pattern.distance", (std::string(inside) + gives).c_str(),
            {{"things", "Ring"},
             {"inside", inside},
             {"gives", gives},
             {"reach", "0.3"},
             {"near", "0.2, 1, 2"},
             {"far", "1.5, 0, 2"}});
      const Program p = compiled(s.peek(), (std::string(inside) + gives).c_str());
      RandomStream r(4);
      int tight = 0;
      for (int i = 0; i < 300; ++i) {
        PatternBox box;
        for (int k = 0; k < 3; ++k)
          box.low.world[k] = 2 * r.next() - 1, box.high.world[k] = box.low.world[k] + 0.3f * r.next();
        const Bounds4 b = p.bounds(box);
        tight += b.x.high - b.x.low < 0.5f;
        for (int n = 0; n < 20; ++n) {
          PatternPoint x;
          for (int k = 0; k < 3; ++k) x.world[k] = box.low.world[k] + (box.high.world[k] - box.low.world[k]) * r.next();
          const Sample4 v = p.evaluate(x);
          for (int c = 0; c < 3; ++c) {
            REQUIRE(v[c] >= b[c].low);
            REQUIRE(v[c] <= b[c].high);
          }
        }
      }
      CHECK(tight > 50);
    }
}

TEST_CASE("Haze that keeps clear of a thing makes room where the thing goes", "[pattern][distance][air]") {
  Set s;
  s.look("0, 0, 9", "0, 0, 0");
  const NodeId ball = s.add("object.sphere", "Ball", {{"radius", "0.3"}, {"position", "-1, 0, 0"}});
  s.set(s.add("object.box", "Room", {{"width", "4"}, {"height", "2"}, {"depth", "2"}}), {{"shown", "off"}});
  s.add("pattern.distance", "Clear", {{"things", "Ball"}, {"reach", "0.5"}, {"near", "0, 0, 0"}, {"far", "1, 1, 1"}});
  s.add("air.haze", "Haze", {{"fills", "Room"}, {"density", "1"}, {"amount", "pattern Clear"}});
  SceneCache cache;
  const auto amount = [&](const V3f& world) {
    const ScenePtr scene = compileScene(s.peek(), {}, noAssets(), cache);
    RayMedia way;
    scene->media->along(world, {0, 1, 0}, 0.01f, way);
    return way.empty() ? 0.0f : scene->media->amount(*way.begin(), world);
  };
  CHECK(amount({-1, 0, 0}) == 0);
  CHECK(amount({1, 0, 0}) == Approx(1));
  CHECK(amount({-1, 0.55f, 0}) == Approx(0.5).margin(0.05));
  s.set(ball, {{"position", "1, 0, 0"}});
  CHECK(amount({-1, 0, 0}) == Approx(1));
  CHECK(amount({1, 0, 0}) == 0);
}

TEST_CASE("A form that is made by the distance to itself is refused, one made by another's follows it",
          "[pattern][distance][form]") {
  Set s;
  s.add("object.sphere", "Ball", {{"radius", "0.3"}});
  s.add("pattern.distance", "Away", {{"things", "Ball"}, {"reach", "0.2"}});
  const NodeId form =
      s.add("object.pattern_form", "Coat",
            {{"amount", "pattern Away"}, {"fineness", "48"}, {"width", "2"}, {"height", "2"}, {"depth", "2"}});
  const TestAssets assets;
  const auto middle = [&] {
    const Document& doc = s.peek();
    return formOf(*doc.find(form), {doc, 1, assets}).bounds().center();
  };
  CHECK(length(middle()) < 1e-2f);
  const uint64_t before = formKey(s.peek(), *s.peek().find(form), 1).hash;
  s.set(s.find("Ball"), {{"position", "0.4, 0, 0"}});
  CHECK(formKey(s.peek(), *s.peek().find(form), 1).hash != before);
  CHECK(middle().x == Approx(0.4).margin(1e-2));
  // It lies in the world: where the form itself goes counts.
  const uint64_t there = formKey(s.peek(), *s.peek().find(form), 1).hash;
  s.set(form, {{"position", "0.2, 0, 0"}});
  CHECK(formKey(s.peek(), *s.peek().find(form), 1).hash != there);
  CHECK(middle().x == Approx(0.2).margin(1e-2));
  s.set(s.find("Away"), {{"things", "Coat"}});
  CHECK_THAT(refusal([&] { middle(); }), Catch::Contains("Coat: its form is made from itself"));
}

TEST_CASE("A form of noise that churns is another at another frame", "[pattern][form]") {
  Set s;
  s.add("pattern.noise", "Smoke", {{"scale", "0.4"}, {"churn", "1"}});
  const NodeId form = s.add("object.pattern_form", "Cloud", {{"amount", "pattern Smoke"}, {"fineness", "24"}});
  const auto key = [&](double frame) { return formKey(s.peek(), *s.peek().find(form), frame); };
  CHECK(key(1).changes);
  CHECK(key(1).hash != key(2).hash);
  s.set(s.find("Smoke"), {{"churn", "0"}});
  CHECK_FALSE(key(1).changes);
  CHECK(key(1).hash == key(2).hash);
}
