// Moves of the camera about the point that it looks at.
#include "core/document/edit.h"
#include "core/placing/navigation.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

V3f vec(const Document& doc, const char* param) {
  const Triple t = Params(*doc.findByName("Camera"), currentFrame(doc)).triple(param);
  return {float(t[0]), float(t[1]), float(t[2])};
}
float reach(const Document& doc) { return length(vec(doc, "position") - vec(doc, "target")); }

struct Looking {
  Set s{200, 100};
  NodeId camera = s.look("1, 2, 4", "0.5, 0.5, -1", "50");
  Document doc = s.take();
};

} // namespace

TEST_CASE("An orbit keeps the distance and the target, and stops short of the pole", "[placing][navigation]") {
  const Looking l;
  const Document left = orbited(l.doc, l.camera, 0.3, 0);
  CHECK(reach(left) == Approx(reach(l.doc)).epsilon(1e-4));
  CHECK(vec(left, "target") == vec(l.doc, "target"));
  CHECK(vec(left, "position").y == Approx(vec(l.doc, "position").y).margin(1e-4));
  const V3f a = vec(l.doc, "position") - vec(l.doc, "target"), b = vec(left, "position") - vec(left, "target");
  CHECK(std::atan2(b.x, b.z) - std::atan2(a.x, a.z) == Approx(0.3).margin(1e-4));
  const Document over = orbited(l.doc, l.camera, 0, 9);
  const V3f up = (vec(over, "position") - vec(over, "target")) * (1 / reach(over));
  CHECK(std::asin(up.y) == Approx(1.55).margin(1e-3));
}

TEST_CASE("A pan moves camera and target alike, by heights of what is seen", "[placing][navigation]") {
  const Looking l;
  const Document moved = panned(l.doc, l.camera, 0, 1);
  const V3f by = vec(moved, "position") - vec(l.doc, "position");
  CHECK(length(by - (vec(moved, "target") - vec(l.doc, "target"))) < 1e-4f);
  // 36 mm of film at 50 mm, of a picture twice as wide as high.
  CHECK(length(by) == Approx(reach(l.doc) * 36 / 50 / 2).epsilon(1e-3));
  CHECK(dot(by, vec(l.doc, "position") - vec(l.doc, "target")) == Approx(0).margin(1e-3)); // across the view
  CHECK(by.y > 0); // the picture goes down, so the camera up
}

TEST_CASE("A dolly takes the focus along that lay on the target, and no other; it has ends", "[placing][navigation]") {
  const Looking l;
  const double far = double(reach(l.doc));
  const auto focused = [&](double metres) { return setValue(l.doc, l.camera, "focus", Constant(metres)); };
  const auto focus = [](const Document& d) { return Params(*d.findByName("Camera"), 1).number("focus"); };
  const Document near = dollied(focused(far), l.camera, 0.5);
  CHECK(reach(near) == Approx(0.5 * far).epsilon(1e-4));
  CHECK(focus(near) == Approx(0.5 * far).epsilon(1e-3));
  CHECK(focus(dollied(focused(2 * far), l.camera, 0.5)) == Approx(2 * far));
  CHECK(dollied(l.doc, l.camera, 1e-6) == l.doc);
  CHECK(dollied(l.doc, l.camera, 1e6) == l.doc);
}
