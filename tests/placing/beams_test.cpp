#include "core/compile/compile.h"
#include "core/placing/beams.h"

#include "core/scene/media.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

ScenePtr compiled(const Document& doc) {
  static SceneCache cache;
  return compileScene(doc, {}, noAssets(), cache);
}

// A wall at z = 0 with a hole of 1 by 0.8 about (0.5, 1, 0), seen from the room; what lies behind is far.
Set wall(bool lamp) {
  Set s(320, 200);
  s.look("0, 1, 5", "0, 1, 0", "28");
  s.lambert("Stone", "0.5, 0.5, 0.5");
  for (const auto& [name, w, h, at] : {std::tuple{"Left", "4", "6", "-2, 1, 0"},
                                       {"Right", "4", "6", "3, 1, 0"},
                                       {"Above", "1", "3", "0.5, 2.9, 0"},
                                       {"Below", "1", "3", "0.5, -0.9, 0"}})
    s.add("object.box", name,
          {{"width", w}, {"height", h}, {"depth", "0.04"}, {"position", at}, {"material", "Stone"}});
  s.add("object.plane", "Yard", {{"width", "60"}, {"depth", "60"}, {"position", "0, -3, -20"}, {"material", "Stone"}});
  s.add("light.point", "Room lamp", {{"power", "100"}, {"position", "-1, 2, 3"}});
  if (lamp) s.add("light.point", "Yard lamp", {{"power", "20000"}, {"position", "0.5, 4, -6"}});
  return s;
}

V2f seen(const Scene& scene, const V3f& p) {
  V2f at;
  REQUIRE(scene.camera.project(p, at.x, at.y));
  return at;
}

} // namespace

TEST_CASE("A hole is found by its rim, wherever in it one points", "[beams]") {
  const ScenePtr scene = compiled(wall(true).peek());
  for (const V3f& p : {V3f(0.5f, 1, 0), V3f(0.2f, 1.3f, 0)}) {
    const FoundOpening o = findOpening(*scene, seen(*scene, p));
    CHECK(o.hole);
    CHECK(o.room.z > 0.95f);
    Box3f box;
    for (const V3f& c : o.corners) box.extendBy(c);
    CHECK(box.min.x == Approx(0).margin(0.05));
    CHECK(box.max.x == Approx(1).margin(0.05));
    CHECK(box.min.y == Approx(0.6).margin(0.05));
    CHECK(box.max.y == Approx(1.4).margin(0.05));
    CHECK(o.corners.size() <= 8);
  }
}

TEST_CASE("Through a hole the lamp behind it shines, and the beam lies in the room", "[beams]") {
  const Document doc = wall(true).take();
  const ScenePtr scene = compiled(doc);
  MadeBeam made;
  std::vector<std::string> told;
  const Document out = openBeam(doc, *scene, findOpening(*scene, seen(*scene, {0.5f, 1, 0})), made, &told);
  CHECK(problems(out).empty());
  const Params beam(*out.find(made.beam), 1);
  CHECK(out.find(beam.reference("light").target)->name == "Yard lamp");
  CHECK(told.front() == "Yard lamp shines through it");
  const ScenePtr after = compiled(out);
  REQUIRE(after->warnings.empty());
  REQUIRE(after->media);
  const auto metres = [&](const V3f& o, const V3f& d) {
    RayMedia way;
    after->media->along(o, d, 100, way);
    float sum = 0;
    for (const auto& s : way) sum += s.to - s.from;
    return sum;
  };
  CHECK(metres({-9, 0.5f, 1}, {1, 0, 0}) > 0.8f); // it falls as the lamp's light does
  CHECK(metres({-9, 1, -1}, {1, 0, 0}) == 0);
  // Its reach goes by the pointer.
  for (const double reach : {0.7, 2.0})
    CHECK(reachAt(made, scene->camera, seen(*scene, made.begin + made.axis * float(reach))) ==
          Approx(reach).epsilon(1e-3));
}

TEST_CASE("Where no light comes through a hole one is made, and from a face a panel shines", "[beams]") {
  const Document doc = wall(false).take();
  const ScenePtr scene = compiled(doc);
  MadeBeam made;
  std::vector<std::string> told;
  const Document out = openBeam(doc, *scene, findOpening(*scene, seen(*scene, {0.5f, 1, 0})), made, &told);
  CHECK(out.findByName("Light behind"));
  CHECK(told.front() == "No light came through it: Light behind was made");
  CHECK(compiled(out)->warnings.empty());
  // A rectangle on the wall.
  const FoundOpening drawn =
      drawnOpening(*scene, seen(*scene, {-1.5f, 0.5f, 0.02f}), seen(*scene, {-0.7f, 1.5f, 0.02f}));
  CHECK_FALSE(drawn.hole);
  const Document panel = openBeam(doc, *scene, drawn, made, nullptr);
  const Params light(*panel.find(Params(*panel.find(made.beam), 1).reference("light").target), 1);
  CHECK(light.node().kind->id == "light.area");
  CHECK(light.number("width") == Approx(0.8).epsilon(0.05));
  CHECK(light.number("height") == Approx(1).epsilon(0.05));
  CHECK(compiled(panel)->media);
  CHECK_FALSE(refusal([&] { drawnOpening(*scene, {160, 100}, {160, 100}); }).empty());
}

TEST_CASE("A small face is an opening as it is; a wall without a rim in the picture asks for a rectangle", "[beams]") {
  Set s(320, 200);
  s.look("0, 0, 5", "0, 0, 0", "28");
  s.add("object.plane", "Pane", {{"width", "1.2"}, {"depth", "0.6"}, {"turn", "90, 0, 0"}});
  s.add("light.point", "Lamp", {{"position", "0, 2, 3"}});
  const ScenePtr scene = compiled(s.peek());
  const FoundOpening o = findOpening(*scene, {160, 100});
  CHECK_FALSE(o.hole);
  CHECK(o.size == Approx(std::hypot(0.6, 0.3)).epsilon(0.05));
  s.set(s.find("Pane"), {{"width", "50"}, {"depth", "50"}});
  const ScenePtr wide = compiled(s.peek());
  CHECK_THAT(refusal([&] { findOpening(*wide, {160, 100}); }), Catch::Contains("hold Shift"));
}

TEST_CASE("A beam has handles for reach, start and edge, and a drag sets them", "[beams][handles]") {
  Set s(320, 200);
  s.look("0, 1, 6", "0, 1, 0", "28");
  s.add("light.spot", "Spot", {{"position", "0, 2.5, 0"}, {"target", "0, 0, 0"}, {"cone", "20"}});
  const NodeId beam = s.add("air.beam", "Beam", {{"light", "Spot"}, {"reach", "1.5"}, {"start", "0.3"}});
  const Document doc = s.peek();
  const ScenePtr scene = compiled(doc);
  const std::vector<Handle> handles = airHandles(*doc.find(beam), 1, *scene);
  REQUIRE(handles.size() == 3);
  for (const Handle& h : handles) {
    CAPTURE(h.id);
    CHECK(h.drag(doc, h.at, {}).find(beam)->find(h.param)); // where it is, it stays
    CHECK(Params(*h.drag(doc, h.at, {}).find(beam), 1).number(h.param) ==
          Approx(Params(*doc.find(beam), 1).number(h.param)).epsilon(0.02));
  }
  const auto reach = std::find_if(handles.begin(), handles.end(), [](const Handle& h) { return h.id == "reach"; });
  CHECK(Params(*reach->drag(doc, seen(*scene, {0, 0.5f, 0}), {}).find(beam), 1).number("reach") ==
        Approx(2).epsilon(1e-3));
}
