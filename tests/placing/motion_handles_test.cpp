#include "core/placing/motion_handles.h"

#include "core/compile/camera.h"
#include "core/document/edit.h"
#include "core/document/key_edit.h"
#include "core/document/placement.h"
#include "core/document/units.h"
#include "core/placing/arrange.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Camera cameraOf(const Document& doc) { return cameraOf(doc, *activeCamera(doc), 1, 400, 300); }

Document put(const Document& doc, const char* address, const char* value) {
  const Address a = resolve(doc, address);
  return setAt(doc, a, parseValue(doc, definitionAt(doc, a), value));
}

// In a group that is turned, so that a place is not where its numbers say.
Document set() {
  Set s(400, 300);
  s.look("0.5, 1.5, 5", "0, 1, 0", "30");
  const NodeId group = s.add("object.group", "Rig", {{"position", "0.2, 0.1, 0"}, {"turn", "0, 35, 10"}});
  s.add("object.sphere", "Ball", {{"position", "0.3, 0.8, 0.1"}, {"radius", "0.1"}}, s.in(group));
  return s.take();
}

std::vector<Handle> handlesIn(const Document& doc, double frame) {
  return motionHandles(doc, *doc.findByName("Ball"), frame, cameraOf(doc));
}
const Handle* find(const std::vector<Handle>& all, const std::string& id) {
  for (const Handle& h : all)
    if (h.id == id) return &h;
  return nullptr;
}

} // namespace

TEST_CASE("What is dragged of a mover follows the pointer, and left where it is changes nothing", "[motion-handles]") {
  for (const auto& [switches, id] : {std::pair{"Ball.position.bob", "position.bob.reach"},
                                     {"Ball.position.drift", "position.drift.along"},
                                     {"Ball.position.orbit", "position.orbit.about"},
                                     {"Ball.position.shake", "position.shake.reach"},
                                     {"Ball.turn.swing", "turn.swing.amplitude"}}) {
    const Document doc = put(set(), switches, "on");
    for (const double frame : {1.0, 17.0}) {
      CAPTURE(id, frame);
      const std::vector<Handle> all = handlesIn(doc, frame);
      REQUIRE(all.size() == 1);
      const Handle* h = find(all, id);
      REQUIRE(h);
      CHECK_FALSE(h->label.empty());
      CHECK_FALSE(h->value.empty());
      CHECK_FALSE(h->lines.empty());
      const std::vector<Handle> still = handlesIn(h->drag(doc, h->at, {}), frame);
      CHECK((find(still, id)->at - h->at).length() < 0.5f);
      // Along its own way, where it has one: a radius has no side, an angle stays at its arm's end.
      V2f by(11, -7);
      if (std::string(id) == "position.shake.reach") by = {9, 0};
      const Document after = h->drag(doc, h->at + by, {});
      CHECK(!(after == doc));
      const std::vector<Handle> moved = handlesIn(after, frame);
      CHECK((find(moved, id)->at - (h->at + by)).length() < (std::string(id) == "turn.swing.amplitude" ? 15 : 0.6f));
    }
  }
  CHECK(handlesIn(set(), 1).empty());
}

TEST_CASE("A swing's arc is dragged to the angle under the pointer", "[motion-handles]") {
  Set s(400, 300);
  s.look("0, 1, 5", "0, 1, 0", "30");
  s.add("object.sphere", "Ball", {{"position", "0, 1, 0"}});
  const Document doc = put(put(s.take(), "Ball.turn.swing", "on"), "Ball.turn.swing.amplitude", "30 °");
  const Handle h = handlesIn(doc, 1).front();
  const V2f middle(200, 150);
  const auto amplitude = [](const Document& d) {
    return std::get<double>(*valueAt(d, resolve(d, "Ball.turn.swing.amplitude")).constant());
  };
  // Of what hangs straight down before the camera: angles are those that are seen.
  CHECK(std::atan2(std::abs(h.at.x - middle.x), h.at.y - middle.y) * 180 / pi == Approx(30).epsilon(0.01));
  CHECK(amplitude(h.drag(doc, middle + V2f(50, 50), {})) == Approx(45).epsilon(0.01));
  CHECK(amplitude(h.drag(doc, middle + V2f(-80, 0), {})) == Approx(90).epsilon(0.01));
}

TEST_CASE("Handles stand where all movers together bring the thing", "[motion-handles]") {
  // The middle of the bob's way goes round with the orbit, which turns the way itself as well.
  Document doc = put(put(set(), "Ball.position.bob.reach", "0.2, 0.1, 0"), "Ball.position.orbit", "on");
  for (const double frame : {1.0, 9.0, 31.0}) {
    CAPTURE(frame);
    const std::vector<Handle> all = handlesIn(doc, frame);
    REQUIRE(all.size() == 2);
    const Handle* h = find(all, "position.bob.reach");
    REQUIRE(h);
    const std::vector<V2f>& way = h->lines.front();
    REQUIRE(way.size() == 2);
    const M44f m = worldMatrix(doc, *doc.findByName("Ball"), frame);
    V2f at;
    cameraOf(doc).project({m[3][0], m[3][1], m[3][2]}, at.x, at.y);
    // The thing is on its way.
    const V2f d = way[1] - way[0], off = at - way[0];
    CHECK(std::abs(d.x * off.y - d.y * off.x) / d.length() < 1);
    const Document after = h->drag(doc, h->at + V2f(-12, 5), {});
    CHECK((find(handlesIn(after, frame), "position.bob.reach")->at - (h->at + V2f(-12, 5))).length() < 0.6f);
  }
}

TEST_CASE("A swing's arc goes through what hangs from it, whatever the frame", "[motion-handles]") {
  Set s(400, 300);
  s.look("0, 1, 5", "0, 1, 0", "30");
  const NodeId group = s.add("object.group", "Pendulum", {{"position", "0, 2, 0"}});
  s.add("object.sphere", "Bob", {{"position", "0, -0.9, 0"}}, s.in(group));
  const Document doc = put(put(s.take(), "Pendulum.turn.swing", "on"), "Pendulum.turn.swing.amplitude", "25 °");
  for (const double frame : {1.0, 7.0, 20.0}) {
    const std::vector<Handle> all = motionHandles(doc, *doc.findByName("Pendulum"), frame, cameraOf(doc));
    REQUIRE(all.size() == 1);
    const M44f m = worldMatrix(doc, *doc.findByName("Bob"), frame);
    V2f bob;
    cameraOf(doc).project({m[3][0], m[3][1], m[3][2]}, bob.x, bob.y);
    float nearest = 1e9f;
    for (const V2f& p : all[0].lines.front()) nearest = std::min(nearest, (p - bob).length());
    CHECK(nearest < 2);
  }
}

TEST_CASE("A key of a place is dragged where it is on the way, whatever the frame", "[motion-handles]") {
  const Document doc = put(
      set(), "Ball.position",
      R"({"keys": [{"frame": 1, "value": [0, 0.5, 0]}, {"frame": 25, "value": [0.4, 1, 0]}, {"frame": 49, "value": [0, 1, 0.5]}]})");
  const std::vector<Handle> all = handlesIn(doc, 25);
  REQUIRE(all.size() == 2); // that of this frame is the thing itself
  const Handle* h = find(all, "key 49");
  REQUIRE(h);
  const Document after = h->drag(doc, h->at + V2f(-20, 10), {});
  const Keys* keys = keysAt(after, resolve(after, "Ball.position"));
  CHECK(keys->keys.size() == 3);
  CHECK(keys->keys[0].value == keysAt(doc, resolve(doc, "Ball.position"))->keys[0].value);
  CHECK(keys->keys[2].value != keysAt(doc, resolve(doc, "Ball.position"))->keys[2].value);
  CHECK((find(handlesIn(after, 25), "key 49")->at - (h->at + V2f(-20, 10))).length() < 0.3f);
  // What is locked is not moved.
  CHECK(handlesIn(put(doc, "Ball.locked", "on"), 25).empty());
}

TEST_CASE("The points of the path that a thing follows are its handles", "[motion-handles]") {
  Document doc = set();
  NodeId follower = 0;
  doc = following(doc, {doc.findByName("Ball")->id}, &follower);
  const std::vector<Handle> all = motionHandles(doc, *doc.find(follower), 1, cameraOf(doc));
  REQUIRE(all.size() >= 4);
  const Document after = all[0].drag(doc, all[0].at + V2f(15, 5), {});
  CHECK((motionHandles(after, *after.find(follower), 1, cameraOf(after))[0].at - (all[0].at + V2f(15, 5))).length() <
        1);
}

TEST_CASE("What stands nowhere has none of them, though it may turn", "[motion-handles]") {
  const Document doc = put(addNode(set(), "pattern.turn", "Turned", {}), "Turned.turn.spin", "on");
  CHECK(motionHandles(doc, *doc.findByName("Turned"), 1, cameraOf(doc)).empty());
}
