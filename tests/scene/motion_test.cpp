#include "core/document/edit.h"
#include "core/document/mover.h"
#include "core/scene/geometry.h"
#include "core/scene/motion.h"
#include "tests/support/scene.h"

#include <embree3/rtcore.h>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document keyed(const Document& doc, const char* address, const Constant& from, const Constant& to, double first = 0,
               double last = 2, KeyShape shape = KeyShape::Linear) {
  return setAt(doc, resolve(doc, address), Value(Keys{{{first, from, shape}, {last, to, shape}}}));
}

// A far, narrow camera that sees x and y from -1.5 to 1.5 nearly in parallel; the frame is 1.
Set farCamera(const char* shutter) {
  Set s(60, 60);
  s.settings({{"frame", "1"}});
  s.set(s.look("0, 0, 120", "0, 0, 0", "1440"), {{"shutter", shutter}, {"film_width", "36"}});
  return s;
}

double sumOf(const Picture& p, const Region& r) {
  double sum = 0;
  for (int y = r.y; y < r.y + r.height; ++y)
    for (int x = r.x; x < r.x + r.width; ++x) sum += double(luminance({p.at(x, y)[0], p.at(x, y)[1], p.at(x, y)[2]}));
  return sum;
}

float apart(const M44f& a, const M44f& b) {
  float most = 0;
  for (int i = 0; i < 4; ++i)
    for (int k = 0; k < 4; ++k) most = std::max(most, std::abs(a[i][k] - b[i][k]));
  return most;
}

} // namespace

TEST_CASE("A motion places things just as Embree does", "[render][motion]") {
  RTCDevice device = rtcNewDevice(nullptr);
  const std::vector<M44f> steps = {placement({0, 0, 0}, {0, 10, 0}, {1, 2, 1}),
                                   placement({1, 0, 0}, {40, 70, 5}, {1, 2, 1.5f}) *
                                       placement({0, 0, 0}, {0, 0, 30}, {1, 0.5f, 1}),
                                   placement({1, 2, 0}, {80, 170, 5}, {-1, 2, 1})};
  const Motion motion(steps);
  REQUIRE(motion.steps() == 3);
  const RTCGeometry g = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_INSTANCE);
  rtcSetGeometryTimeStepCount(g, 3);
  for (int i = 0; i < 3; ++i) {
    CHECK(apart(motion.at(float(i) / 2), steps[size_t(i)]) < 1e-5f);
    RTCQuaternionDecomposition q;
    motion.fill(i, q);
    rtcSetGeometryTransformQuaternion(g, unsigned(i), &q);
  }
  const RTCScene empty = rtcNewScene(device);
  rtcCommitScene(empty);
  rtcSetGeometryInstancedScene(g, empty);
  rtcCommitGeometry(g);
  for (const float t : {0.0f, 0.2f, 0.5f, 0.61f, 0.97f, 1.0f}) {
    M44f theirs;
    rtcGetGeometryTransform(g, t, RTC_FORMAT_FLOAT4X4_COLUMN_MAJOR, &theirs[0][0]);
    CHECK(apart(motion.at(t), theirs) < 1e-4f);
  }
  rtcReleaseScene(empty);
  rtcReleaseGeometry(g);
  rtcReleaseDevice(device);
}

TEST_CASE("A motion follows a curved way with as many steps as it takes", "[render][motion]") {
  const auto round = [](double frame) {
    return placement({1, 0, 0}, {0, 0, 0}, {1, 1, 1}) * placement({0, 0, 0}, {0, 0, float(frame) * 360}, {1, 1, 1});
  };
  CHECK(!motionOf([](double) { return placement({1, 2, 3}, {4, 5, 6}, {7, 8, 9}); }, 0, 1, 1));
  CHECK(motionOf([](double t) { return placement({float(t), 0, 0}, {0, 0, 0}, {1, 1, 1}); }, 0, 1, 1)->steps() == 2);
  const MotionPtr turn = motionOf(round, 0.75, 1.25, 1);
  REQUIRE(turn);
  for (double t = 0; t <= 1; t += 0.03) CHECK(apart(turn->at(float(t)), round(0.75 + 0.5 * t)) < 0.01f);
  CHECK(!motionOf([](double t) { return placement({float(t), 0, 0}, {0, 0, 0}, {float(t), 1, 1}); }, 0, 1, 1));
}

TEST_CASE("34: what moves smears its light over exactly its path, and keeps it", "[render][motion][truth]") {
  Set s = farCamera("1");
  s.add("material.surface", "Ember", {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "100"}});
  s.add("object.sphere", "Spark", {{"radius", "0.2"}, {"material", "Ember"}});
  const Document still = s.take();
  // Two metres a frame, one to each side of the middle at the frame itself.
  const Document moving = keyed(still, "Spark.position", Triple{-2, 0, 0}, Triple{2, 0, 0});
  const auto all = [](const Document& d) { return luminances(trace(d, 256)); };
  const Picture a = all(still), b = all(moving);
  const double whole = sumOf(a, {0, 0, 60, 60});
  CHECK(sumOf(b, {0, 0, 60, 60}) == Approx(whole).epsilon(0.01));
  // From -1.2 to 1.2 m of the 3 m that are seen: nothing beyond, and the same everywhere between the ends.
  CHECK(sumOf(b, {0, 0, 5, 60}) == 0);
  CHECK(sumOf(b, {55, 0, 5, 60}) == 0);
  for (const int x : {16, 24, 32, 40}) CHECK(sumOf(b, {x, 0, 4, 60}) == Approx(whole * 4 / 40).epsilon(0.03));
  // A camera that moves the other way sees the same, in the first order of so small an angle.
  Document other = keyed(still, "Camera.position", Triple{2, 0, 120}, Triple{-2, 0, 120});
  other = keyed(other, "Camera.target", Triple{2, 0, 0}, Triple{-2, 0, 0});
  const Picture c = all(other);
  for (const int x : {8, 16, 24, 32, 40, 48})
    CHECK(sumOf(c, {x, 0, 4, 60}) == Approx(sumOf(b, {x, 0, 4, 60})).epsilon(0.04));
  // A shut shutter shows where it is.
  const Picture d = all(setAt(moving, resolve(moving, "Camera.shutter"), Constant(0.0)));
  for (const int x : {24, 28, 32}) CHECK(sumOf(d, {x, 0, 4, 60}) == Approx(sumOf(a, {x, 0, 4, 60})).epsilon(0.02));
  // Half as long, half the way; twice the frame, twice the way.
  const Picture e = all(setAt(moving, resolve(moving, "Camera.shutter"), Constant(0.5)));
  CHECK(sumOf(e, {28, 0, 4, 60}) == Approx(whole * 4 / 20).epsilon(0.03));
}

TEST_CASE("A form that changes is blurred through all that it was", "[render][motion]") {
  Set s = farCamera("1");
  s.add("material.surface", "Ember", {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "100"}});
  s.add("object.sphere", "Spark", {{"radius", "0.5"}, {"material", "Ember"}});
  const Document ball = keyed(s.take(), "Spark.radius", 0.0001, 1.0, 0.5, 1.5);
  // The mean of r² is a third of what it grows to.
  CHECK(sumOf(luminances(trace(ball, 256)), {0, 0, 60, 60}) == Approx(100 * 400 * 3.14159265 / 3).epsilon(0.02));

  Set t = farCamera("1");
  t.add("material.surface", "Ember",
        {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "100"}, {"own_light_sides", "to both sides"}});
  t.add("object.plane", "Sheet", {{"width", "1"}, {"depth", "1"}, {"turn", "90, 0, 0"}, {"material", "Ember"}});
  const Document sheet = keyed(t.take(), "Sheet.width", 0.0001, 2.0, 0.5, 1.5);
  const Picture p = luminances(trace(sheet, 256));
  CHECK(sumOf(p, {0, 0, 60, 60}) == Approx(100 * 400 * 1.0).epsilon(0.02));
  // A place half a metre from the middle is covered over half of the time.
  CHECK(sumOf(p, {39, 25, 2, 10}) == Approx(100 * 20 * 0.5).epsilon(0.06));
}

TEST_CASE("A lamp that moves lights as the mean of where it was", "[render][motion]") {
  // The floor sees a lamp that goes up from 1 m to 3 m: Φ / 4π · 1 / (1 · 3), the mean of 1 / h².
  for (const char* kind : {"light.point", "light.area", "own"}) {
    INFO(kind);
    Set s;
    s.settings({{"frame", "1"}});
    s.set(s.look("0, 4, 0.01", "0, 0, 0", "2000"), {{"shutter", "1"}});
    s.lambert("Matte", "1, 1, 1");
    s.add("object.plane", "Floor", {{"width", "1"}, {"depth", "1"}, {"material", "Matte"}});
    const std::string k = kind;
    if (k == "own") {
      s.add("material.surface", "Ember", {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "1000"}});
      s.add("object.sphere", "Lamp",
            {{"radius", "0.1"}, {"position", "0, 2, 0"}, {"seen", "off"}, {"material", "Ember"}});
    } else {
      const NodeId lamp = s.add(kind, "Lamp", {{"power", "1000"}, {"position", "0, 2, 0"}, {"seen", "off"}});
      if (k == "light.area")
        s.set(lamp, {{"width", "0.1"}, {"height", "0.1"}, {"target", "0, 0, 0"}});
      else
        s.set(lamp, {{"radius", "0.05"}});
    }
    Document doc = keyed(s.take(), "Lamp.position", Triple{0, 1, 0}, Triple{0, 3, 0}, 0.5, 1.5);
    // Per lumen along the normal: 1 / 4π, 1 / π; a ball of luminance L has the intensity π r² L.
    const double intensity = k == "own"          ? 1000 * 3.14159265 * 0.01
                             : k == "light.area" ? 1000 / 3.14159265
                                                 : 1000 / (4 * 3.14159265);
    const Estimate e = estimate(doc, 256);
    INFO(e.mean << " ± " << e.se << ", expected " << intensity / 3 / 3.14159265);
    CHECK(e.agrees(intensity / 3 / 3.14159265, 0.01));
  }
}

TEST_CASE("The furnace does not see what moves in it", "[render][motion]") {
  Set s(24, 24);
  s.settings({{"frame", "1"}});
  s.set(s.look("0, 0, 4", "0, 0, 0"), {{"shutter", "1.5"}});
  s.lambert("White", "1, 1, 1");
  s.add("light.sky", "Sky", {{"power", "50"}});
  s.add("object.torus", "Ring", {{"material", "White"}});
  Document doc = keyed(s.take(), "Ring.turn", Triple{0, 0, 0}, Triple{200, 100, 0});
  doc = keyed(doc, "Ring.position", Triple{-0.5, 0, 0}, Triple{0.5, 0.2, 0});
  const Estimate e = estimate(doc, 128);
  CHECK(e.agrees(50, 0.005));
}

TEST_CASE("36: a mover and the keys baked from it are blurred alike", "[render][motion][mover][truth]") {
  Set s = farCamera("6");
  s.add("material.surface", "Glow", {{"own_light", "100"}, {"base_color", "0, 0, 0"}});
  s.add("object.sphere", "Ball", {{"radius", "0.2"}, {"position", "1, 0, 0"}, {"material", "Glow"}});
  Document doc = s.take();
  const Address place = resolve(doc, "Ball.position");
  doc = startMover(doc, place, "orbit");
  doc = setAt(doc, resolve(doc, "Ball.position.orbit.axis"), Constant(Triple{0, 0, 1}));
  doc = setAt(doc, resolve(doc, "Ball.position.orbit.period"), Constant(24.0));
  const Document still = setAt(doc, place, Constant(Triple{1, 0, 0}));
  const ParamDef& def = definitionAt(doc, place);
  const Document with = setAt(doc, place, baked(valueAt(doc, place), def, -4, 6, 1e-4));
  // An eighth of the way round to each side of the right, from a quarter of it at rest.
  const auto light = [&](const Document& d, const Region& part) { return estimate(d, 64, part, 8); };
  for (const Region& part : {Region{40, 0, 20, 20}, Region{40, 20, 20, 20}, Region{40, 40, 20, 20}}) {
    CAPTURE(part.y);
    const Estimate moved = light(doc, part), keys = light(with, part);
    REQUIRE(moved.mean > 0);
    CHECK(std::abs(moved.mean - keys.mean) < 4 * std::hypot(moved.se, keys.se) + 1e-3 * moved.mean);
  }
  // It is blurred at all: above and below there is light that a ball at rest has not.
  CHECK(light(still, {40, 0, 20, 20}).mean == 0);
}
