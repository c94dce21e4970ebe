// Paths and profiles that are drawn in the picture.
#include "core/compile/camera.h"
#include "core/placing/drawing.h"

#include "core/document/edit.h"
#include "core/geometry/form.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Camera cameraOf(const Document& doc) { return cameraOf(doc, *activeCamera(doc), 1, 400, 300); }

Document with(const char* kind) {
  Set s(400, 300);
  s.look("0.5, 1.5, 5", "0, 0.4, 0", "30");
  const NodeId group =
      s.add("object.group", "Rig", {{"position", "0.2, 0.1, 0"}, {"turn", "0, 35, 10"}, {"size", "1.2, 1.2, 1.2"}});
  s.add(kind, "Line", {}, s.in(group));
  return s.take();
}

std::vector<Handle> handlesIn(const Document& doc) {
  return pointHandles(doc, *doc.findByName("Line"), 1, cameraOf(doc), false);
}
std::vector<LinePoint> pointsIn(const Document& doc) {
  const Node& n = *doc.findByName("Line");
  return shapeKind(n)->points(doc, Params(n, 1));
}
size_t ownPoints(const Document& doc) {
  size_t n = 0;
  for (const NodePtr& p : doc.nodes()) n += p->kind->id.ends_with(".point");
  return n;
}

} // namespace

TEST_CASE("A point is dragged to where the pointer is, and the line it came with becomes its own",
          "[drawing][handles]") {
  for (const char* kind : {"object.path", "object.turned"}) {
    CAPTURE(kind);
    const Document doc = with(kind);
    const size_t n = pointsIn(doc).size();
    CHECK(ownPoints(doc) == 0);
    for (size_t i = 0; i < n; ++i) {
      const std::string id = "point " + std::to_string(i + 1);
      const auto all = handlesIn(doc);
      const auto h = std::find_if(all.begin(), all.end(), [&](const Handle& x) { return x.id == id; });
      REQUIRE(h != all.end());
      CHECK_FALSE(h->fresh);
      // To the right, where a profile is drawn; from the middle of a drag too it starts where it stood.
      const V2f to = h->at + V2f(9, 4);
      const Document after = h->drag(h->drag(doc, h->at + V2f(40, 0), {}), to, {});
      CHECK(ownPoints(after) == n);
      const auto then = handlesIn(after);
      const auto moved = std::find_if(then.begin(), then.end(), [&](const Handle& x) { return x.id == id; });
      REQUIRE(moved != then.end());
      CHECK((moved->at - to).length() < 0.2f);
      // The others stay.
      for (size_t k = 0; k < n; ++k)
        if (k != i) CHECK(length(pointsIn(after)[k].place - pointsIn(doc)[k].place) < 1e-4f);
    }
  }
}

TEST_CASE("A new point is pulled out between two", "[drawing][handles]") {
  const Document doc = with("object.path");
  const auto all = handlesIn(doc);
  const auto h = std::find_if(all.begin(), all.end(), [](const Handle& x) { return x.id == "new point 2"; });
  REQUIRE(h != all.end());
  CHECK(h->fresh);
  const Document after = h->drag(h->drag(doc, h->at, {}), h->at + V2f(3, -20), {});
  REQUIRE(pointsIn(after).size() == 5);
  CHECK(length(pointsIn(after)[1].place - pointsIn(doc)[1].place) < 1e-4f);
  CHECK(length(pointsIn(after)[3].place - pointsIn(doc)[2].place) < 1e-4f);
}

TEST_CASE("Points are set one after the other, on what is seen, closed at the first, and taken back", "[drawing]") {
  Document doc = with("object.path");
  const NodeId line = doc.findByName("Line")->id;
  const Camera camera = cameraOf(doc);
  const auto press = [&](float x, float y, const std::optional<Seen>& onto = {}, bool sharp = false) {
    doc = drawPoint(doc, line, 1, camera, {x, y}, onto, sharp);
  };
  press(150, 150, Seen{{0.3f, 0.2f, -0.4f}});
  press(200, 120, {}, true);
  press(250, 160);
  CHECK(ownPoints(doc) == 3);
  const auto points = pointsIn(doc);
  CHECK(points[1].sharp);
  CHECK_FALSE(points[2].sharp);
  const M44f world = worldMatrix(doc, *doc.find(line), 1);
  CHECK(length(transformPoint(world, points[0].place) - V3f(0.3f, 0.2f, -0.4f)) < 1e-3f);
  // What nothing holds lies as deep as the point before it, under the pointer.
  for (const auto& [i, x, y] : {std::tuple{1, 200.0f, 120.0f}, {2, 250.0f, 160.0f}}) {
    V2f at;
    const V3f p = transformPoint(world, points[size_t(i)].place);
    REQUIRE(camera.project(p, at.x, at.y));
    CHECK((at - V2f(x, y)).length() < 0.2f);
    CHECK(dot(p - V3f(0.3f, 0.2f, -0.4f), camera.forward()) == Approx(0).margin(1e-3));
  }
  V2f first;
  REQUIRE(camera.project({0.3f, 0.2f, -0.4f}, first.x, first.y));
  press(first.x + 3, first.y - 2);
  CHECK(Params(*doc.find(line), 1).flag("closed"));
  CHECK(refusal([&] { press(10, 10); }) == "Line is closed: open it to draw on");
  doc = undrawPoint(doc, line);
  CHECK_FALSE(Params(*doc.find(line), 1).flag("closed"));
  doc = undrawPoint(undrawPoint(undrawPoint(doc, line), line), line);
  CHECK(ownPoints(doc) == 0);
  CHECK(undrawPoint(doc, line) == doc);
  CHECK(refusal([&] {
          drawPoint(doc, activeCamera(doc)->id, 1, camera, {1, 1}, {}, false);
        }).find("not drawn by points") != std::string::npos);
}

TEST_CASE("A profile is never drawn across its axis", "[drawing]") {
  Document doc = with("object.turned");
  const NodeId line = doc.findByName("Line")->id;
  const Camera camera = cameraOf(doc);
  for (const float x : {20.0f, 380.0f}) {
    doc = drawPoint(doc, line, 1, camera, {x, 150}, {}, false);
    CHECK(pointsIn(doc).back().place.x >= 0);
  }
  CHECK(pointsIn(doc)[0].place.x != pointsIn(doc)[1].place.x);
}
