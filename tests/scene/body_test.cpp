// What patterns measure of the body they lie on: edges, crevices, thickness, pieces, copies; and how fast it moves.
#include "core/base/sampling.h"
#include "core/compile/compile.h"
#include "core/scene/geometry.h"
#include "core/scene/ray_caster.h"
#include "core/session/pattern_swatch.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Program compiled(const Document& doc, const char* name, double frame = 1) {
  return Program::compile(doc, {doc.findByName(name)->id, nullptr}, frame, noAssets(), false);
}

Mesh slab(float half, float thick) {
  Mesh m;
  m.positions = {{-half, 0, -half},     {half, 0, -half},     {half, 0, half},     {-half, 0, half},
                 {-half, thick, -half}, {half, thick, -half}, {half, thick, half}, {-half, thick, half}};
  m.triangles = {{0, 1, 2}, {0, 2, 3}, {4, 6, 5}, {4, 7, 6}};
  return m;
}

PatternPoint on(const PatternBody& body, const V3f& place, const V3f& normal) {
  PatternPoint at;
  at.position = at.world = place;
  at.normal = at.facing = normal;
  at.body = &body;
  return at;
}

struct Body {
  EmbreeDevice device{rtcNewDevice("threads=1")};
  Geometry geometry;
  explicit Body(Mesh mesh) : geometry(device, shapeOf(std::move(mesh))) {}
  static Shape shapeOf(Mesh mesh) {
    Shape s;
    s.mesh = std::move(mesh);
    return s;
  }
};

} // namespace

TEST_CASE("Edges of a box fade with the way to the nearest of them", "[scene][pattern][body]") {
  Set s(64, 64);
  s.look("0, 0, 5", "0, 0, 0", "50");
  s.add("pattern.edges", "Worn", {{"reach", "0.2"}});
  s.add("material.surface", "Tin", {{"roughness", "pattern Worn"}});
  s.add("object.box", "Box", {{"width", "1"}, {"height", "1"}, {"depth", "1"}, {"material", "Tin"}});
  s.add("light.point", "Lamp", {{"position", "0, 2, 3"}});
  const Document doc = s.take();
  const Traced t = trace(doc, 1);
  const SwatchPlaces places = swatchPlaces(t.scene.get(), doc, {doc.findByName("Box")->id}, SwatchOn::Object, 64, 64);
  const Program worn = compiled(doc, "Worn");
  int inside = 0, near = 0;
  for (const PatternPoint& p : places.points) {
    const float away = 0.5f - std::max(std::abs(p.position.x), std::abs(p.position.y));
    const float expected = smoothstep(clamp01(1 - away / 0.2f));
    CHECK(worn.evaluate(p).x == Approx(expected).margin(2e-3));
    (away > 0.2f ? inside : near) += 1;
  }
  CHECK(inside > 100);
  CHECK(near > 100);
}

TEST_CASE("A crevice is found from either of its walls, and a thin sheet is no edge", "[scene][pattern][body]") {
  Set s;
  s.add("pattern.edges", "Dirt", {{"gives", "crevices"}, {"reach", "0.1"}});
  s.add("pattern.edges", "Worn", {{"gives", "edges"}, {"reach", "0.1"}});
  s.add("pattern.edges", "Both", {{"gives", "both"}, {"reach", "0.1"}, {"high", "0.75"}, {"deep", "0.25"}});
  const Document doc = s.take();
  Mesh corner; // a floor and a wall that stands on it
  corner.positions = {{0, 0, -2}, {2, 0, -2}, {2, 0, 2}, {0, 0, 2}, {0, 2, -2}, {0, 2, 2}};
  corner.triangles = {{0, 2, 1}, {0, 3, 2}, {0, 4, 5}, {0, 5, 3}};
  const Body walls(std::move(corner));
  const Program dirt = compiled(doc, "Dirt"), worn = compiled(doc, "Worn"), both = compiled(doc, "Both");
  for (float away = 0.005f; away < 0.15f; away += 0.01f) {
    const float expected = smoothstep(clamp01(1 - away / 0.1f));
    const PatternPoint floor = on(walls.geometry, {away, 0, 0.3f}, {0, 1, 0}),
                       wall = on(walls.geometry, {0, away, 0.3f}, {1, 0, 0});
    CHECK(dirt.evaluate(floor).x == Approx(expected).margin(1e-3));
    CHECK(dirt.evaluate(wall).x == Approx(expected).margin(1e-3));
    CHECK(worn.evaluate(floor).x == Approx(0).margin(1e-3));
    CHECK(both.evaluate(floor).x == Approx(0.25f * expected).margin(1e-3));
  }
  const Body sheet(slab(1, 0.01f));
  CHECK(worn.evaluate(on(sheet.geometry, {0.2f, 0.01f, 0.3f}, {0, 1, 0})).x == Approx(0).margin(1e-3));
  // A smooth ball that is larger than the reach has none.
  Shape ball;
  ball.sphereRadius = 0.5f;
  const Geometry round(walls.device, std::move(ball));
  CHECK(both.evaluate(on(round, {0, 0.5f, 0}, {0, 1, 0})).x == Approx(0).margin(1e-3));
  // And where nothing can be measured, nothing is found.
  CHECK(both.evaluate(PatternPoint()).x == 0);
}

TEST_CASE("The thickness of a slab and of a ball is the way through them", "[scene][pattern][body]") {
  Set s;
  s.add("pattern.thickness", "Straight", {{"by", "straight in"}, {"gives", "metres"}});
  s.add("pattern.thickness", "Around", {{"gives", "metres"}});
  s.add("pattern.thickness", "Thin", {{"by", "straight in"}, {"depth", "0.2"}});
  const Document doc = s.take();
  const Program straight = compiled(doc, "Straight"), around = compiled(doc, "Around"), thin = compiled(doc, "Thin");
  const Body flat(slab(3, 0.05f));
  const PatternPoint top = on(flat.geometry, {0.3f, 0.05f, 0.1f}, {0, 1, 0});
  CHECK(straight.evaluate(top).x == Approx(0.05).epsilon(1e-3));
  // Seven ways of the same weight times length each, by the sum of their cosines.
  CHECK(around.evaluate(top).x == Approx(0.05 * 7 / (1 + 6 * std::sqrt(0.5))).epsilon(1e-3));
  CHECK(thin.evaluate(top).x == Approx(0.75).epsilon(1e-3));
  Shape ball;
  ball.sphereRadius = 0.4f;
  const Geometry round(flat.device, std::move(ball));
  const PatternPoint pole = on(round, {0, 0.4f, 0}, {0, 1, 0});
  CHECK(straight.evaluate(pole).x == Approx(0.8).epsilon(1e-3));
  // A chord is 2 r cos: weighed by cosines, the mean is 2 r Σ cos² / Σ cos.
  CHECK(around.evaluate(pole).x == Approx(0.8 * (1 + 6 * 0.5) / (1 + 6 * std::sqrt(0.5))).epsilon(1e-3));
}

TEST_CASE("Chance deals one value to each piece, and another to each copy", "[scene][pattern][body]") {
  Set s;
  for (const char* of : {"object", "copy", "piece"}) s.add("pattern.chance", of, {{"of", of}});
  const Document doc = s.take();
  Mesh two = slab(0.2f, 0.1f);
  const size_t count = two.positions.size(), triangles = two.triangles.size();
  for (size_t i = 0; i < count; ++i) two.positions.push_back(two.positions[i] + V3f(1, 0, 0));
  for (size_t i = 0; i < triangles; ++i) {
    const auto t = two.triangles[i];
    two.triangles.push_back({t.a + uint32_t(count), t.b + uint32_t(count), t.c + uint32_t(count)});
  }
  const Body both(std::move(two)); // whose tops and bottoms hang together with nothing: four pieces
  const auto value = [&](const char* of, const V3f& place, float copy) {
    PatternPoint at = on(both.geometry, place, {0, 1, 0});
    at.random = 0.3f;
    at.copyRandom = copy;
    return compiled(doc, of).evaluate(at).x;
  };
  CHECK(value("piece", {0.1f, 0.1f, 0}, 0.5f) == value("piece", {-0.1f, 0.1f, 0.1f}, 0.5f));
  CHECK(value("piece", {0.1f, 0.1f, 0}, 0.5f) != value("piece", {1.1f, 0.1f, 0}, 0.5f));
  CHECK(value("piece", {0.1f, 0.1f, 0}, 0.5f) != value("piece", {0.1f, 0.1f, 0}, 0.6f));
  CHECK(value("copy", {0.1f, 0.1f, 0}, 0.5f) == value("copy", {1.1f, 0.1f, 0}, 0.5f));
  CHECK(value("copy", {0.1f, 0.1f, 0}, 0.5f) != value("copy", {0.1f, 0.1f, 0}, 0.6f));
  CHECK(value("object", {0.1f, 0.1f, 0}, 0.5f) == value("object", {1.1f, 0.1f, 0}, 0.6f));
}

TEST_CASE("Copies in the picture are dealt values of their own, and keep them when things are added",
          "[scene][pattern][body]") {
  const auto values = [](bool more) {
    Set s(128, 32);
    s.look("0, 0, 8", "0, 0, 0", "30");
    s.add("pattern.chance", "Deal", {{"of", "copy"}});
    s.add("material.surface", "Tin", {{"roughness", "pattern Deal"}});
    const NodeId box =
        s.add("object.box", "Box", {{"width", "0.4"}, {"height", "0.4"}, {"depth", "0.4"}, {"material", "Tin"}});
    s.add("modifier.repeat", "Row", {{"count", "4"}}, {box, "modifiers", 0});
    s.add("light.point", "Lamp", {{"position", "0, 2, 3"}});
    if (more) s.add("object.sphere", "Moon", {{"position", "0, 9, 0"}});
    const Document doc = s.take();
    const Traced t = trace(doc, 1);
    const SwatchPlaces places =
        swatchPlaces(t.scene.get(), doc, {doc.findByName("Box")->id}, SwatchOn::Object, 256, 64);
    const Program deal = compiled(doc, "Deal");
    std::set<float> out;
    for (const PatternPoint& p : places.points) out.insert(deal.evaluate(p).x);
    return out;
  };
  const std::set<float> some = values(false);
  CHECK(some.size() == 4);
  CHECK(values(true) == some);
}

TEST_CASE("Speed is that of the place, its turning included", "[scene][pattern][body]") {
  Set s;
  const NodeId wheel = s.add("object.box", "Wheel", {});
  s.settings({{"rate", "24"}});
  s.add("pattern.speed", "Rush", {{"of", "Wheel"}, {"gives", "metres a second"}});
  s.add("pattern.speed", "Glow", {{"of", "Wheel"}, {"fast", "4"}});
  s.add("pattern.speed", "Alone", {});
  // Evenly: two degrees a frame, and a tenth of a metre up.
  Keys turn, up;
  for (const double at : {0.0, 100.0}) {
    turn.keys.push_back({at, Constant(Triple{0, 2 * at, 0}), KeyShape::Linear});
    up.keys.push_back({at, Constant(Triple{0, 0.1 * at, 0}), KeyShape::Linear});
  }
  Document doc = setValue(setValue(s.take(), wheel, "turn", turn), wheel, "position", up);
  const Program rush = compiled(doc, "Rush", 30), glow = compiled(doc, "Glow", 30);
  for (const float r : {0.0f, 0.5f, 2.0f}) {
    PatternPoint at;
    at.world = {r * 0.6f, 3, r * 0.8f};
    const double round = double(r) * 2 * 24 * M_PI / 180, rising = 0.1 * 24, speed = std::hypot(round, rising);
    CHECK(rush.evaluate(at).x == Approx(speed).epsilon(2e-3));
    CHECK(glow.evaluate(at).x == Approx(std::min(1.0, speed / 4)).epsilon(2e-3));
  }
  CHECK(compiled(doc, "Alone", 30).evaluate(PatternPoint()).x == 0);
}

TEST_CASE("What is thrown from a camera lies where the camera sees it", "[scene][pattern][projected]") {
  Set s(96, 64);
  s.look("1, 2, 5", "0.2, 0.1, 0", "35");
  s.add("pattern.coordinates", "Place", {{"space", "texture"}, {"scale", "1"}});
  s.add("pattern.projected", "Slide", {{"value", "pattern Place"}, {"beside", "0.25, 0.5, 0.75"}});
  s.add("material.surface", "Wall", {{"roughness", "pattern Slide"}});
  s.add("object.sphere", "Ball", {{"radius", "1"}, {"material", "Wall"}});
  s.add("light.point", "Lamp", {{"position", "0, 2, 3"}});
  const Document doc = s.take();
  const Traced t = trace(doc, 1);
  TraceCount count;
  const RayCaster rays(*t.scene, count, nullptr);
  const Program slide = Program::compile(doc, {doc.findByName("Slide")->id, nullptr}, 1, noAssets(), false);
  int met = 0;
  for (float y = 1; y < 64; y += 3)
    for (float x = 1; x < 96; x += 3) {
      const Ray ray = t.scene->camera.through(x, y);
      Hit hit;
      if (!rays.intersect(ray.origin, ray.direction, 100, hit)) continue;
      ++met;
      const PatternPoint at = patternPoint(*t.scene, hit, rays.shutterTime(), ray.direction, 0);
      const Sample4 v = slide.evaluate(at);
      CHECK(v.x == Approx(x / 96).margin(1e-4));
      CHECK(v.y == Approx(1 - y / 64).margin(1e-4));
      // The far side of the ball is not reached.
      PatternPoint behind = at;
      behind.facing = -at.facing;
      CHECK(slide.evaluate(behind).z == Approx(0.75));
    }
  CHECK(met > 50);
  // Behind the camera, and beside its picture.
  PatternPoint away;
  away.world = {2, 4, 10};
  away.facing = {0, 0, 1};
  CHECK(slide.evaluate(away).x == Approx(0.25));
  away.world = {40, 0, 0};
  away.facing = {0, 0, 1};
  CHECK(slide.evaluate(away).x == Approx(0.25));
}
