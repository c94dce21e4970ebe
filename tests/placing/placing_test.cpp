// The handles that place things: what a drag and a typed number come to.
#include "core/compile/camera.h"
#include "core/compile/compile.h"
#include "core/placing/placing.h"

#include "core/document/edit.h"
#include "core/geometry/shape.h"
#include "core/placing/arrange.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document set() {
  Set s(400, 300);
  s.look("1, 2, 5", "0, 0.5, 0", "35");
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}});
  s.add("object.box", "Crate", {{"position", "0.3, 0.5, 0"}, {"turn", "0, 30, 10"}});
  s.add("object.sphere", "Ball", {{"radius", "0.3"}, {"position", "-1, 0.3, 0.5"}});
  return s.take();
}
Camera cameraOf(const Document& doc) { return cameraOf(doc, *activeCamera(doc), 1, 400, 300); }
NodeId id(const Document& doc, const char* name) { return doc.findByName(name)->id; }
std::vector<Handle> handles(const Document& doc, const Placing& p, std::vector<const char*> names = {"Crate"}) {
  std::vector<NodeId> things;
  for (const char* n : names) things.push_back(id(doc, n));
  return placingHandles(doc, things, 1, cameraOf(doc), p);
}
const Handle& find(const std::vector<Handle>& all, const std::string& wanted) {
  for (const Handle& h : all)
    if (h.id == wanted) return h;
  FAIL("no handle " << wanted);
  return all.front();
}

} // namespace

TEST_CASE("Each way of placing has its handles, with names and letters", "[placing]") {
  const Document doc = set();
  CHECK(handles(doc, {}).size() == 4);
  CHECK(handles(doc, {.what = Placing::What::Turn}).size() == 4);
  CHECK(handles(doc, {.what = Placing::What::Size}).size() == 5);
  CHECK(handles(doc, {.what = Placing::What::Size}, {"Crate", "Ball"}).size() == 2); // several are sized as one
  for (const Handle& h : handles(doc, {})) CHECK(!h.label.empty());
  CHECK(find(handles(doc, {}), "move y").mark == "y");
  CHECK(handles(setValue(doc, id(doc, "Crate"), "locked", Constant(true)), {}).empty());
  CHECK(handles(doc, {}, {"Camera"}).empty()); // it is where one looks from
}

TEST_CASE("A handle that is not moved changes nothing; one that is moved stays under the pointer", "[placing]") {
  const Document doc = set();
  for (const auto axes : {Placing::Axes::World, Placing::Axes::Own, Placing::Axes::Camera})
    for (const auto what : {Placing::What::Move, Placing::What::Turn, Placing::What::Size}) {
      const Placing p{.what = what, .axes = axes};
      for (const Handle& h : handles(doc, p)) {
        INFO(h.id << " " << int(axes));
        const auto origin = [](const Document& d) { return originOf(d, id(d, "Crate"), 1); };
        const Document still = h.drag(doc, h.at, std::nullopt);
        CHECK(length(origin(still) - origin(doc)) < 1e-3f);
        CHECK(worldMatrix(still, *still.findByName("Crate"), 1)
                  .equalWithAbsError(worldMatrix(doc, *doc.findByName("Crate"), 1), 2e-3f));
        if (what != Placing::What::Move || h.id == "move z") continue; // z runs nearly towards the camera
        // Along the axis, as it is seen.
        V2f way(12, 9);
        if (!h.lines.empty()) way = (h.lines[0].back() - h.lines[0].front()).normalized() * 20;
        const Document after = h.drag(doc, h.at + way, std::nullopt);
        const Placing same = p;
        CHECK((find(handles(after, same), h.id).at - (h.at + way)).length() < 2.5f);
      }
    }
}

TEST_CASE("What is typed is exact: metres along the axis, degrees about it, factors of its size", "[placing]") {
  const Document doc = set();
  const V3f before = originOf(doc, id(doc, "Crate"), 1);
  const Document up = find(handles(doc, {}), "move y").enter(0.25);
  CHECK(length(originOf(up, id(doc, "Crate"), 1) - before - V3f(0, 0.25f, 0)) < 1e-4f);
  const Document own = find(handles(doc, {.axes = Placing::Axes::Own}), "move x").enter(1);
  const V3f x = normalize(transformVector(worldMatrix(doc, *doc.findByName("Crate"), 1), {1, 0, 0}));
  CHECK(length(originOf(own, id(doc, "Crate"), 1) - before - x) < 1e-4f);
  const Document about = find(handles(doc, {.what = Placing::What::Turn}), "turn y").enter(90);
  M44f quarter;
  quarter.setAxisAngle(V3f(0, 1, 0), pi / 2);
  const V3f then = normalize(transformVector(worldMatrix(about, *about.findByName("Crate"), 1), {1, 0, 0}));
  CHECK(length(then - transformVector(quarter, x)) < 1e-3f);
  const Document wide = find(handles(doc, {.what = Placing::What::Size}), "size x").enter(2.5);
  CHECK(Params(*wide.findByName("Crate"), 1).triple("size") == Triple{2.5, 1, 1});
  const Document all = find(handles(doc, {.what = Placing::What::Size}), "size").enter(2);
  CHECK(Params(*all.findByName("Crate"), 1).triple("size") == Triple{2, 2, 2});
}

TEST_CASE("The grid catches places of the world, angles and sizes", "[placing]") {
  const Document doc = set();
  const Handle move = find(handles(doc, {.grid = 0.1}), "move x");
  for (const V2f& by : {V2f(7, 1), V2f(23, -4), V2f(-31, 3)}) {
    const double x = Params(*move.drag(doc, move.at + by, std::nullopt).findByName("Crate"), 1).triple("position")[0];
    CHECK(x * 10 == Approx(std::round(x * 10)).margin(1e-3));
  }
  const Handle turn = find(handles(doc, {.what = Placing::What::Turn, .grid = 0.1}), "turn y");
  for (const V2f& by : {V2f(7, 1), V2f(23, -4), V2f(-31, 3)}) {
    const double a = turn.amount(turn.at + by) / 15;
    CHECK(a == Approx(std::round(a)).margin(1e-6));
  }
  const Handle size = find(handles(doc, {.what = Placing::What::Size, .grid = 0.1}), "size");
  const double f = size.amount(size.at + V2f(9, -6)) * 10;
  CHECK(f == Approx(std::round(f)).margin(1e-6));
}

TEST_CASE("The middle handle catches surfaces, corners and centres of what lies under the pointer", "[placing]") {
  const Document doc = set();
  SceneCache cache;
  const TestAssets none;
  const ScenePtr scene = compileScene(doc, {.frame = 1, .width = 400, .height = 300}, none, cache);
  const Camera camera = cameraOf(doc);
  float x, y;
  REQUIRE(camera.project({-1, 0.5f, 0.6f}, x, y));
  const auto seen = lookAt(*scene, x, y, {id(doc, "Crate")});
  REQUIRE(seen);
  CHECK(seen->node == id(doc, "Ball"));
  CHECK(length(seen->centre - V3f(-1, 0.3f, 0.5f)) < 1e-3f);
  CHECK(length(seen->point - seen->centre) == Approx(0.3).epsilon(1e-3));
  for (const auto onto : {Placing::Onto::Surface, Placing::Onto::Vertex, Placing::Onto::Centre}) {
    const Document after = find(handles(doc, {.onto = onto}), "place").drag(doc, {x, y}, seen);
    const V3f wanted = onto == Placing::Onto::Surface  ? seen->point
                       : onto == Placing::Onto::Vertex ? seen->vertex
                                                       : seen->centre;
    CHECK(length(originOf(after, id(doc, "Crate"), 1) - wanted) < 1e-3f);
  }
  // The crate's own corner, when it is the floor that moves.
  REQUIRE(camera.project({0.3f, 0.5f, 0}, x, y));
  const auto crate = lookAt(*scene, x, y, {id(doc, "Floor")});
  REQUIRE(crate);
  const V3f local = transformPoint(worldMatrix(doc, *doc.findByName("Crate"), 1).inverse(), crate->vertex);
  for (int k = 0; k < 3; ++k) CHECK(std::abs(local[k]) == Approx(0.5).margin(1e-4));
}

TEST_CASE("Several things turn and size about the last of them, as one", "[placing]") {
  const Document doc = set();
  const std::vector<Handle> all = handles(doc, {.what = Placing::What::Turn}, {"Ball", "Crate"});
  const V3f pivot = originOf(doc, id(doc, "Crate"), 1), ball = originOf(doc, id(doc, "Ball"), 1);
  const Document after = find(all, "turn y").enter(180);
  CHECK(length(originOf(after, id(doc, "Crate"), 1) - pivot) < 1e-4f);
  const V3f turnedBall = originOf(after, id(doc, "Ball"), 1);
  CHECK(length(turnedBall - V3f(2 * pivot.x - ball.x, ball.y, 2 * pivot.z - ball.z)) < 1e-3f);
}
