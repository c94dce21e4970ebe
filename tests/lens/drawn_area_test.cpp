// Outlines that are drawn by points: as areas of lens stages, and as patterns in the picture and on things.
#include "core/lens/area.h"
#include "core/pattern/outline.h"
#include "core/placing/drawing.h"
#include "core/placing/lens_handles.h"
#include "tests/support/scene.h"

#include <fmt/format.h>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// A square of half the frame's height, by sharp points.
void square(Set& s, NodeId drawn, const char* point, double half = 0.25) {
  for (const auto& [x, y] : {std::pair{-half, -half}, {half, -half}, {half, half}, {-half, half}})
    s.add(point, "", {{"x", fmt::format("{}", x).c_str()}, {"y", fmt::format("{}", y).c_str()}, {"sharp", "on"}},
          {drawn, "points", size_t(-1)});
}

Document staged(const char* turn = "0") {
  Set s(80, 40);
  s.look("0, 0, 4", "0, 0, 0", "50");
  const NodeId stage = s.add("lens.grade", "Grade", {});
  const NodeId area = s.add("area.drawn", "Mask", {{"soft", "0"}, {"turn", turn}}, {stage, "areas", 0});
  square(s, area, "drawn.point");
  s.add("light.point", "Lamp", {{"position", "0, 2, 3"}});
  s.add("object.sphere", "Ball", {{"radius", "0.4"}});
  return s.take();
}

std::vector<float> maskOf(const Document& doc, double frame = 1) {
  const Tasks tasks(1);
  return areaMask(doc, *doc.findByName("Grade"), LensContext::of(doc, frame, 80, 40, tasks));
}

} // namespace

TEST_CASE("A drawn shape masks what its line holds", "[lens][area][drawn]") {
  const std::vector<float> mask = maskOf(staged());
  REQUIRE(mask.size() == 80 * 40);
  double sum = 0;
  for (const float m : mask) sum += double(m);
  CHECK(sum == Approx(20 * 20).epsilon(0.01));
  CHECK(mask[20 * 80 + 40] == 1);
  CHECK(mask[20 * 80 + 28] == 0);
  CHECK(mask[5 * 80 + 40] == 0);
  // Turned by an eighth, it reaches further across, and not to its old corners.
  const std::vector<float> turned = maskOf(staged("45"));
  sum = 0;
  for (const float m : turned) sum += double(m);
  CHECK(sum == Approx(20 * 20).epsilon(0.02));
  CHECK(turned[20 * 80 + 28] == 1);
  CHECK(turned[11 * 80 + 31] == 0);
}

TEST_CASE("Its points can be keyed, and its feather is as wide as it says", "[lens][area][drawn]") {
  Document doc = staged();
  const NodeId area = doc.findByName("Mask")->id;
  // The right side moves outwards by a tenth of the height in ten frames.
  for (const size_t i : {1, 2}) {
    Keys k;
    k.keys = {{0, Constant(0.25), KeyShape::Linear}, {10, Constant(0.35), KeyShape::Linear}};
    doc = setValue(doc, doc.find(area)->children.at("points")[i], "x", k);
  }
  const auto covered = [&](double frame) {
    double sum = 0;
    for (const float m : maskOf(doc, frame)) sum += double(m);
    return sum;
  };
  CHECK(covered(5) == Approx(20 * 22).epsilon(0.01));
  CHECK(covered(10) == Approx(20 * 24).epsilon(0.01));
  doc = setValue(doc, area, "soft", Constant(0.2)); // eight pixels
  const std::vector<float> mask = maskOf(doc, 0);
  CHECK(mask[20 * 80 + 30] == Approx(0.5).margin(0.13)); // on the line
  CHECK(mask[20 * 80 + 25] == 0);
  CHECK(mask[20 * 80 + 34] == 1);
  const auto at = [&](int x) { return mask[size_t(20 * 80 + x)]; };
  CHECK((at(27) < at(29) && at(29) < at(31) && at(31) < at(33)));
}

TEST_CASE("A drawn shape comes with points, and the first drag makes them its own", "[lens][area][drawn][handles]") {
  Set s(80, 40);
  s.look("0, 0, 4", "0, 0, 0", "50");
  const NodeId stage = s.add("lens.grade", "Grade", {});
  const NodeId area = s.add("area.drawn", "Mask", {}, {stage, "areas", 0});
  const NodeId pattern = s.add("pattern.outline", "Patch", {});
  s.add("light.point", "Lamp", {{"position", "0, 2, 3"}});
  const Document doc = s.take();
  const Traced t = trace(doc, 1);
  for (const NodeId id : {area, pattern}) {
    const Node& n = *doc.find(id);
    CAPTURE(n.name);
    CHECK(isOutline(n, 1));
    const std::vector<Handle> handles = lensHandles(doc, n, 1, *t.scene);
    const auto named = [&](const std::string& name) {
      const auto it = std::find_if(handles.begin(), handles.end(), [&](const Handle& h) { return h.id == name; });
      REQUIRE(it != handles.end());
      return *it;
    };
    const Handle second = named("point 2");
    CHECK(second.at.x > 40);
    CHECK(second.at.y < 20);
    const Document dragged = second.drag(doc, {60, 8}, std::nullopt);
    REQUIRE(dragged.find(id)->children.at("points").size() == 5);
    CHECK(problems(dragged).empty());
    const std::vector<Handle> after = lensHandles(dragged, *dragged.find(id), 1, *t.scene);
    const auto moved = std::find_if(after.begin(), after.end(), [](const Handle& h) { return h.id == "point 2"; });
    CHECK(moved->at.x == Approx(60).margin(0.02));
    CHECK(moved->at.y == Approx(8).margin(0.02));
    // A new one between two, and one set at the end.
    const Document more = named("new point 1").drag(doc, {41, 2}, std::nullopt);
    CHECK(more.find(id)->children.at("points").size() == 6);
    const Document drawn = drawOutlinePoint(dragged, id, 1, *t.scene, {10, 30}, true);
    REQUIRE(drawn.find(id)->children.at("points").size() == 6);
    const NodeId last = drawn.find(id)->children.at("points").back();
    CHECK(Params(*drawn.find(last), 1).flag("sharp"));
    CHECK(Params(*drawn.find(last), 1).number("x") == Approx(-30.0 / 40).margin(1e-3));
    CHECK(Params(*drawn.find(last), 1).number("y") == Approx(-10.0 / 40).margin(1e-3));
    CHECK(undrawPoint(drawn, id).find(id)->children.at("points").size() == 5);
  }
}

TEST_CASE("An outline as a pattern lies in the picture where it is drawn, and goes with what it follows",
          "[lens][pattern][drawn]") {
  Set s(80, 40);
  s.look("0, 0, 4", "0, 0, 0", "50");
  const NodeId patch = s.add("pattern.outline", "Patch", {{"edge", "0"}});
  square(s, patch, "outline.point");
  const NodeId on = s.add("pattern.outline", "On it", {{"space", "object"}, {"edge", "0"}, {"scale", "2"}});
  square(s, on, "outline.point");
  s.add("object.sphere", "Ball", {{"radius", "0.1"}, {"position", "0.5, 0.3, 1"}});
  const NodeId going = s.add("pattern.outline", "Going", {{"edge", "0"}, {"follows", "Ball"}});
  square(s, going, "outline.point", 0.1);
  s.add("light.point", "Lamp", {{"position", "0, 2, 3"}});
  const Document doc = s.take();
  const auto compiled = [&](NodeId id) { return Program::compile(doc, {id, nullptr}, 1, noAssets(), false); };
  const Program picture = compiled(patch);
  double sum = 0;
  for (int y = 0; y < 40; ++y)
    for (int x = 0; x < 80; ++x) {
      PatternPoint p;
      p.screen = {(float(x) + 0.5f) / 80, (float(y) + 0.5f) / 40, 1};
      sum += double(picture.evaluate(p).x);
    }
  CHECK(sum == Approx(20 * 20).epsilon(0.01));
  PatternPoint p;
  p.position = {0.45f, -0.45f, 3};
  CHECK(compiled(on).evaluate(p).x == 1);
  p.position.x = 0.55f;
  CHECK(compiled(on).evaluate(p).x == 0);
  const Traced t = trace(doc, 1);
  float x = 0, y = 0;
  REQUIRE(t.scene->camera.project({0.5f, 0.3f, 1}, x, y));
  const Program follows = compiled(going);
  const auto at = [&](float dx, float dy) {
    PatternPoint q;
    q.screen = {(x + dx) / 80, 1 - (y + dy) / 40, 1};
    return follows.evaluate(q).x;
  };
  CHECK(at(0, 0) == 1);
  CHECK(at(3.8f, 3.8f) == 1);
  CHECK(at(4.2f, 0) == 0);
  CHECK(at(0, -4.2f) == 0);
}
