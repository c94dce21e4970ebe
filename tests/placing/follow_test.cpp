// Things that go along a path: where they are, how they turn, how fast they are.
#include "core/document/follow.h"

#include "core/compile/camera.h"
#include "core/compile/compile.h"
#include "core/document/edit.h"
#include "core/document/loop.h"
#include "core/document/mover.h"
#include "core/placing/arrange.h"
#include "core/placing/motion_path.h"
#include "tests/support/scene.h"

#include <fmt/format.h>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// A path of many points round a circle of 2 m about (0, 1, 0), from +z over +x; a group that follows it, with a lamp
// half a metre above it.
Document round(SceneBuilder::Values follower, bool closed = true) {
  Set s;
  s.look("0, 2, 8", "0, 1, 0");
  s.settings({{"first_frame", "1"}, {"last_frame", "48"}, {"rate", "24"}});
  const NodeId path = s.add("object.path", "Ring", {{"position", "0, 1, 0"}, {"closed", closed ? "on" : "off"}});
  constexpr int points = 32;
  for (int i = 0; i < (closed ? points : points + 1); ++i) {
    const double a = 2 * M_PI * i / points;
    s.add("path.point", "Point", {{"place", fmt::format("{}, 0, {}", 2 * std::sin(a), 2 * std::cos(a)).c_str()}},
          {path, "points", size_t(-1)});
  }
  const NodeId group = s.add("object.group", "Rider", {{"path", "Ring"}});
  s.set(group, follower);
  s.add("light.point", "Lamp", {{"position", "0, 0.5, 0"}}, s.in(group));
  return s.take();
}

M44f at(const Document& doc, const char* name, double frame) {
  return standingMatrix(doc, *doc.findByName(name), frame);
}
V3f placeOf(const M44f& m) { return {m[3][0], m[3][1], m[3][2]}; }
V3f row(const M44f& m, int k) { return {m[k][0], m[k][1], m[k][2]}; }
bool close(const V3f& a, const V3f& b, float e = 5e-3f) { return length(a - b) < e; }

const char* const run48 = R"({"value": 0, "movers": [{"kind": "run", "period": 48}]})";

} // namespace

TEST_CASE("What follows a path goes along it at a steady pace, turned along, and takes along what it holds",
          "[follow][motion]") {
  const Document doc = round({{"along", run48}});
  for (const double frame : {1.0, 7.0, 13.0, 30.5, 49.0, 60.0}) {
    CAPTURE(frame);
    const double a = 2 * M_PI * (frame - 1) / 48;
    const M44f m = at(doc, "Rider", frame);
    CHECK(close(placeOf(m), V3f(float(2 * std::sin(a)), 1, float(2 * std::cos(a)))));
    CHECK(close(row(m, 2), V3f(float(std::cos(a)), 0, float(-std::sin(a))))); // ahead
    CHECK(close(row(m, 1), V3f(0, 1, 0)));
    CHECK(close(placeOf(at(doc, "Lamp", frame)), placeOf(m) + V3f(0, 0.5f, 0)));
  }
  CHECK(pathLength(doc, *doc.findByName("Rider"), 1) == Approx(4 * M_PI).epsilon(1e-3));
  CHECK(isAnimated(doc, *doc.findByName("Lamp")));
  const MotionPath way = motionPath(doc, doc.findByName("Lamp")->id);
  REQUIRE(way.stops.size() >= 48);
  for (const auto& stop : way.stops) CHECK(length(stop.place - V3f(0, 1.5f, 0)) == Approx(2).epsilon(5e-3));
}

TEST_CASE("A path may be given in metres, left at its end, followed unturned, and leant into", "[follow]") {
  // 2 m in 24 frames are 1 rad on this ring in 24 frames.
  const Document metres = round({{"travelled", R"({"value": 0, "movers": [{"kind": "run", "by": 2, "period": 24}]})"}});
  CHECK(close(placeOf(at(metres, "Rider", 25)), V3f(2 * std::sin(1.0f), 1, 2 * std::cos(1.0f))));

  const Document stops = round({{"along", "250 %"}, {"at_its_end", "stops"}}, false);
  CHECK(close(placeOf(at(stops, "Rider", 1)), V3f(0, 1, 2)));
  const Document anew = round({{"along", "150 %"}}, false);
  CHECK(close(placeOf(at(anew, "Rider", 1)), V3f(0, 1, -2)));
  const Document end = round({{"along", "100 %"}}, false);
  CHECK(close(placeOf(at(end, "Rider", 1)), V3f(0, 1, 2)));

  const Document unturned = round({{"along", "25 %"}, {"turns_along", "no"}, {"turn", "0, 30, 0"}});
  CHECK(at(unturned, "Rider", 1).equalWithAbsError(placement({2, 1, 0}, {0, 30, 0}, {1, 1, 1}), 5e-3f));

  // A bend of 2 m: 20° of 40°; it runs to its left, so that its top leans to the left.
  const Document leant = round({{"along", "25 %"}, {"bank", "40"}});
  const M44f m = at(leant, "Rider", 1);
  CHECK(close(row(m, 2), V3f(0, 0, -1), 0.02f));
  CHECK(std::acos(double(row(m, 1).y)) * 180 / M_PI == Approx(20).epsilon(0.03));
  CHECK(row(m, 1).x < 0); // towards the middle of the ring
}

TEST_CASE("On a path that goes over the top, what turns freely rolls with it and never flips", "[follow]") {
  Set s;
  s.look("0, 2, 8", "0, 1, 0");
  const NodeId path = s.add("object.path", "Loop", {{"closed", "on"}});
  for (const char* place : {"-0.2, -1, 0", "0, 0, 1", "0.2, 1, 0", "0, 0, -1"})
    s.add("path.point", "Point", {{"place", place}}, {path, "points", size_t(-1)});
  const NodeId group = s.add("object.group", "Rider", {{"path", "Loop"}, {"turns_along", "freely"}});
  s.set(group, {{"along", R"({"value": 0, "movers": [{"kind": "run", "period": 100}]})"}});
  const Document doc = s.take();
  float most = 0;
  V3f up = row(at(doc, "Rider", 1), 1);
  const V3f first = up;
  float over = 1;
  for (double frame = 2; frame <= 101; ++frame) {
    const M44f m = at(doc, "Rider", frame);
    CHECK(std::abs(dot(row(m, 1), row(m, 2))) < 1e-3f);
    most = std::max(most, length(row(m, 1) - up));
    up = row(m, 1);
    over = std::min(over, dot(up, first));
  }
  CHECK(most < 0.25f);            // of a whole turn a hundredth is 0.063; bends are unequal
  CHECK(over < -0.7f);            // it was upside down
  CHECK(close(up, first, 0.02f)); // and has come round
}

TEST_CASE("Whoever is told to follow a path does so over the range, from where it stood", "[follow][arrange]") {
  Set s;
  s.look("0, 1, 6", "0, 1, 0");
  s.settings({{"first_frame", "1"}, {"last_frame", "96"}});
  const NodeId comet = s.add("object.sphere", "Comet", {{"radius", "0.1"}, {"position", "1, 2, 0"}, {"turn", "0, 0, 0"}});
  const NodeId tail = s.add("light.point", "Tail", {{"position", "1, 2.25, 0"}});
  const NodeId path = s.add("object.path", "Way", {{"position", "0, 1, 0"}});
  s.add("path.point", "Point", {{"place", "0, 0, 0"}}, {path, "points", size_t(-1)});
  s.add("path.point", "Point", {{"place", "0, 0, 4"}}, {path, "points", size_t(-1)});
  const Document doc = s.take();
  NodeId group = 0;
  const Document after = following(doc, {comet, path, tail}, &group);
  REQUIRE(group);
  CHECK(after.find(comet)->parent == group);
  CHECK(after.find(tail)->parent == group);
  CHECK(after.find(path)->parent == 0);
  CHECK(close(placeOf(at(after, "Comet", 1)), V3f(0, 1, 0)));
  CHECK(close(placeOf(at(after, "Comet", 49)), V3f(0, 1, 2)));
  CHECK(close(placeOf(at(after, "Tail", 49)), V3f(0, 1.25f, 2)));
  CHECK(loopBreaks(after).empty()); // it begins anew
  CHECK(at(after, "Comet", 1).equalWithAbsError(placement({0, 1, 0}, {0, 0, 0}, {1, 1, 1}), 1e-4f));
  // A group follows it itself.
  NodeId same = 0;
  const Document again = following(after, {group, path}, &same);
  CHECK(same == group);
  CHECK(again.nodes().size() == after.nodes().size());
  // Let go, it stays where it is.
  const Document free = carried(after, {comet}, 0);
  CHECK(close(placeOf(at(free, "Comet", currentFrame(free))), placeOf(at(after, "Comet", currentFrame(after)))));
  // Without a path a round one is made where it stands.
  NodeId made = 0;
  const Document fresh = following(doc, {comet}, &made);
  CHECK(close(placeOf(at(fresh, "Comet", 1)), V3f(1, 2, 0)));
  CHECK(length(placeOf(at(fresh, "Comet", 49)) - V3f(1, 2, 0)) > 1);
  CHECK(close(placeOf(at(fresh, "Comet", 97)), V3f(1, 2, 0)));
  CHECK_THROWS_WITH(following(doc, {path}), Catch::Contains("select what is to follow"));
  // A camera looks ahead.
  const NodeId camera = activeCamera(doc)->id;
  const Document ride = following(doc, {camera, path});
  CHECK(close(placeOf(at(ride, activeCamera(ride)->name.c_str(), 49)), V3f(0, 1, 2)));
  CHECK(close(row(at(ride, activeCamera(ride)->name.c_str(), 49), 2), V3f(0, 0, -1)));
}

TEST_CASE("A path that goes along with what follows it is not followed, and the picture says so", "[follow]") {
  Document doc = round({{"along", run48}});
  const NodeId rider = doc.findByName("Rider")->id, ring = doc.findByName("Ring")->id;
  doc = moveNode(doc, ring, {rider, "objects", size_t(-1)});
  CHECK_FALSE(followedPath(doc, *doc.find(rider), 1));
  CHECK(close(placeOf(at(doc, "Rider", 13)), V3f(0, 0, 0)));
  const TestAssets none;
  SceneCache cache;
  CHECK_THROWS_WITH(compileScene(doc, {.frame = 1, .width = 8, .height = 8}, none, cache),
                    Catch::Contains("Rider.path"));
}

TEST_CASE("A loop of a path is whole rounds; what is less is mended", "[follow][loop]") {
  CHECK(loopBreaks(round({{"along", run48}})).empty());
  const Document part = round({{"along", R"({"value": 0, "movers": [{"kind": "run", "by": 0.6, "period": 40}]})"}});
  const auto breaks = loopBreaks(part);
  REQUIRE(breaks.size() == 1);
  CHECK(addressText(part, breaks[0].at) == "Rider.along");
  CHECK(breaks[0].mends);
  CHECK(loopBreaks(looped(part)).empty());
}
