// Placing things: where they come to stand in the world, whatever groups lie between.
#include "core/compile/compile.h"
#include "core/placing/arrange.h"

#include "core/document/edit.h"
#include "core/geometry/form.h"
#include "core/placing/framing.h"
#include "core/scene/geometry.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// A floor; a ball in a turned and sized group; a lamp on its own; a box.
Document hall() {
  Set s;
  s.look("0, 2, 8", "0, 1, 0");
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}});
  const NodeId group =
      s.add("object.group", "Stand", {{"position", "1, 0.5, -1"}, {"turn", "0, 40, 0"}, {"size", "2, 2, 2"}});
  s.add("object.sphere", "Ball", {{"radius", "0.25"}, {"position", "0.5, 1, 0"}, {"turn", "10, 20, 30"}}, s.in(group));
  s.add("object.box", "Crate", {{"position", "-2, 3, 0"}, {"turn", "0, 30, 0"}});
  s.add("light.spot", "Lamp", {{"position", "0, 4, 0"}, {"target", "0, 0, 1"}});
  return s.take();
}

NodeId id(const Document& doc, const char* name) { return doc.findByName(name)->id; }
V3f at(const Document& doc, const char* name) { return originOf(doc, id(doc, name), 1); }
M44f world(const Document& doc, const char* name) { return worldMatrix(doc, *doc.findByName(name), 1); }
bool close(const M44f& a, const M44f& b, float e = 1e-4f) { return a.equalWithAbsError(b, e); }
bool close(const V3f& a, const V3f& b, float e = 1e-4f) { return length(a - b) < e; }

ScenePtr compiled(const Document& doc) {
  static SceneCache cache;
  const TestAssets none;
  return compileScene(doc, {.frame = 1, .width = 8, .height = 8}, none, cache);
}

} // namespace

TEST_CASE("Things move by metres of the world, in a turned and sized group too, and lamps take their aim along",
          "[arrange]") {
  const Document doc = hall();
  const V3f by(0.3f, -0.2f, 0.5f);
  for (const char* name : {"Ball", "Crate", "Stand", "Lamp"}) {
    CAPTURE(name);
    const Document after = moved(doc, {id(doc, name)}, by);
    CHECK(close(at(after, name), at(doc, name) + by));
  }
  const Document lamp = moved(doc, {id(doc, "Lamp")}, by);
  CHECK(close(vec(Params(*lamp.findByName("Lamp"), 1).triple("target")), V3f(0, 0, 1) + by));
  // A group and what it holds: each goes once.
  const Document both = moved(doc, {id(doc, "Stand"), id(doc, "Ball")}, by);
  CHECK(close(at(both, "Ball"), at(doc, "Ball") + by));
  CHECK(both.findByName("Ball")->values == doc.findByName("Ball")->values);
}

TEST_CASE("Turning is about a point of the world and can be undone by its opposite", "[arrange]") {
  const Document doc = hall();
  const V3f about(0.4f, 0.2f, -0.1f), axis = normalize(V3f(1, 2, -0.5f));
  M44f turn;
  turn.setAxisAngle(axis, 50 * pi / 180);
  const M44f by = M44f().setTranslation(-about) * turn * M44f().setTranslation(about);
  for (const char* name : {"Ball", "Crate"}) {
    CAPTURE(name);
    const Document after = turned(doc, {id(doc, name)}, about, axis, 50);
    CHECK(close(world(after, name), world(doc, name) * by, 2e-4f));
    CHECK(close(world(turned(after, {id(doc, name)}, about, axis, -50), name), world(doc, name), 4e-4f));
  }
  // Around and around: angles go on instead of jumping back.
  Document d = doc;
  for (int i = 0; i < 10; ++i) d = turned(d, {id(doc, "Crate")}, at(doc, "Crate"), {0, 1, 0}, 45);
  CHECK(Params(*d.findByName("Crate"), 1).triple("turn")[1] == Approx(30 + 450).margin(0.01));
}

TEST_CASE("Sizing keeps proportions and distances, along one axis only that one", "[arrange]") {
  const Document doc = hall();
  const V3f about(0, 1, 0);
  const Document twice = sized(doc, {id(doc, "Ball"), id(doc, "Crate")}, about, 2);
  for (const char* name : {"Ball", "Crate"}) CHECK(close(at(twice, name), about + (at(doc, name) - about) * 2.0f));
  CHECK(std::abs(world(twice, "Ball").determinant()) ==
        Approx(8 * std::abs(world(doc, "Ball").determinant())).epsilon(1e-3));
  const Document tall = sizedAlong(doc, id(doc, "Crate"), 1, 3);
  CHECK(Params(*tall.findByName("Crate"), 1).triple("size") == Triple{1, 3, 1});
  CHECK(close(at(tall, "Crate"), at(doc, "Crate")));
  CHECK_FALSE(refusal([&] { sized(doc, {id(doc, "Crate")}, about, 0); }).empty());
}

TEST_CASE("What is dropped rests on what lies below it, and comes up out of what it sank into", "[arrange]") {
  const Document doc = hall();
  const ScenePtr scene = compiled(doc);
  const Document down = dropped(doc, {id(doc, "Crate"), id(doc, "Ball")}, *scene);
  CHECK(at(down, "Crate").y == Approx(0.5).margin(1e-3));
  CHECK(at(down, "Crate").x == Approx(-2));
  CHECK(at(down, "Ball").y == Approx(0.5).margin(2e-3)); // its radius, twice as large in its group
  // Onto one another.
  const Document above = setValue(down, id(down, "Ball"), "position", Constant(Triple{0, 0, 0}));
  const V3f shift = at(down, "Crate") + V3f(0.1f, 3, 0) - at(above, "Ball");
  const Document over = moved(above, {id(above, "Ball")}, shift);
  const Document on = dropped(over, {id(over, "Ball")}, *compiled(over));
  CHECK(at(on, "Ball").y == Approx(1.5).margin(5e-3));
  const Document sunk = moved(down, {id(down, "Crate")}, {0, -0.3f, 0});
  CHECK(at(dropped(sunk, {id(sunk, "Crate")}, *compiled(sunk)), "Crate").y == Approx(0.5).margin(1e-3));
  // Nothing below: it stays.
  const Document beside = moved(doc, {id(doc, "Crate")}, {100, 0, 0});
  CHECK(dropped(beside, {id(beside, "Crate")}, *compiled(beside)) == beside);
}

TEST_CASE("Things are aligned to the last one and spread with equal gaps", "[arrange]") {
  Set s;
  s.look("0, 2, 8", "0, 1, 0");
  std::vector<NodeId> row;
  const double xs[] = {-3, -2.5, 0.2, 4}, widths[] = {1, 0.5, 1.5, 0.4};
  for (int i = 0; i < 4; ++i)
    row.push_back(s.add("object.box", "Block",
                        {{"width", std::to_string(widths[i]).c_str()},
                         {"position", (std::to_string(xs[i]) + ", " + std::to_string(0.3 * i) + ", 0").c_str()}}));
  const Document doc = s.take();
  const Document level = aligned(doc, row, 1, Edge::Low, *compiled(doc));
  for (const NodeId b : row) CHECK(originOf(level, b, 1).y == Approx(0.9));
  const Document even = distributed(doc, row, 0, *compiled(doc));
  CHECK(originOf(even, row[0], 1).x == Approx(-3));
  CHECK(originOf(even, row[3], 1).x == Approx(4));
  double gaps[3];
  for (int i = 0; i < 3; ++i)
    gaps[i] = double(originOf(even, row[size_t(i) + 1], 1).x) - widths[i + 1] / 2 -
              double(originOf(even, row[size_t(i)], 1).x) - widths[i] / 2;
  CHECK(gaps[0] == Approx(gaps[1]).epsilon(1e-3));
  CHECK(gaps[1] == Approx(gaps[2]).epsilon(1e-3));
  CHECK(refusal([&] { aligned(doc, {row[0]}, 0, Edge::Centre, *compiled(doc)); }).find("two things") !=
        std::string::npos);
  CHECK(refusal([&] {
          distributed(doc, {row[0], row[1]}, 0, *compiled(doc));
        }).find("three things") != std::string::npos);
}

TEST_CASE("Things face a place: objects with their z, lamps with their aim", "[arrange]") {
  const Document doc = hall();
  const V3f to(3, 1, 2);
  const Document after = facing(doc, {id(doc, "Crate"), id(doc, "Ball"), id(doc, "Lamp")}, to);
  for (const char* name : {"Crate", "Ball"}) {
    CAPTURE(name);
    CHECK(close(at(after, name), at(doc, name)));
    CHECK(dot(normalize(transformVector(world(after, name), {0, 0, 1})), normalize(to - at(after, name))) > 0.9999f);
  }
  CHECK(close(vec(Params(*after.findByName("Lamp"), 1).triple("target")), to));
}

TEST_CASE("Things that ride keep their place when they are taken on and let go, and go along in between", "[arrange]") {
  const Document doc = hall();
  const Document on = carried(doc, {id(doc, "Crate"), id(doc, "Lamp")}, id(doc, "Ball"));
  CHECK(on.findByName("Crate")->parent == id(doc, "Ball"));
  CHECK(close(world(on, "Crate"), world(doc, "Crate"), 3e-4f));
  CHECK(close(at(on, "Lamp"), at(doc, "Lamp")));
  const V3f by(0.5f, 0, 0.25f);
  const Document along = moved(on, {id(on, "Ball")}, by);
  CHECK(close(at(along, "Crate"), at(doc, "Crate") + by, 3e-4f));
  CHECK(close(at(along, "Lamp"), at(doc, "Lamp") + by, 3e-4f));
  const Document off = carried(along, {id(along, "Crate"), id(along, "Lamp")}, 0);
  CHECK(off.findByName("Crate")->parent == 0);
  CHECK(close(world(off, "Crate"), world(along, "Crate"), 5e-4f));
  CHECK_FALSE(refusal([&] { carried(doc, {id(doc, "Ball")}, id(doc, "Lamp")); }).empty());
  CHECK_FALSE(refusal([&] { carried(on, {id(on, "Ball")}, id(on, "Crate")); }).empty());
}

TEST_CASE("Riding keeps every key of a placement where it was", "[arrange]") {
  Document doc = hall();
  Keys keys;
  keys.keys = {{1, Constant(Triple{-2, 3, 0}), KeyShape::Linear},
               {10, Constant(Triple{1, 1, 1}), KeyShape::Hold},
               {20, Constant(Triple{0, 2, 0}), KeyShape::Smooth}};
  doc = setValue(doc, id(doc, "Crate"), "position", Value(keys));
  const Document on = carried(doc, {id(doc, "Crate")}, id(doc, "Stand"));
  for (const double frame : {1.0, 10.0, 20.0})
    CHECK(close(worldMatrix(on, *on.findByName("Crate"), frame), worldMatrix(doc, *doc.findByName("Crate"), frame),
                3e-4f));
  REQUIRE(on.findByName("Crate")->find("position")->keys());
  CHECK(on.findByName("Crate")->find("position")->keys()->keys[1].shape == KeyShape::Hold);
}

TEST_CASE("A twin has the form and the material of its original, and changes along", "[arrange][twin]") {
  Set s;
  s.look("0, 1, 6", "0, 0, 0");
  s.lambert("Clay", "0.6, 0.5, 0.4");
  s.lambert("Chalk", "0.8, 0.8, 0.8");
  const NodeId ring = s.add("object.torus", "Ring", {{"material", "Clay"}});
  s.add("modifier.bend", "Bend", {{"angle", "30"}, {"axis", "x"}}, {ring, "modifiers", size_t(-1)});
  const Document doc = s.take();
  NodeId twin = 0, third = 0;
  Document both = twinned(doc, ring, &twin);
  both = twinned(both, twin, &third); // a twin of a twin is one of the original
  CHECK(Params(*both.find(third), 1).reference("of").target == ring);
  CHECK(wornMaterial(both, *both.find(twin), 1).target == id(doc, "Clay"));
  ScenePtr scene = compiled(both);
  REQUIRE(scene->objects.size() == 3);
  CHECK(scene->objects[1].geometry->shape.mesh.positions == scene->objects[0].geometry->shape.mesh.positions);
  CHECK(scene->materials[scene->objects[1].material]->name == "Clay");
  both = setValue(both, ring, "tube", Constant(0.2));
  both = setValue(both, twin, "material", Constant(Reference{id(doc, "Chalk"), nullptr}));
  scene = compiled(both);
  CHECK(scene->objects[1].geometry->shape.mesh.positions == scene->objects[0].geometry->shape.mesh.positions);
  CHECK(scene->materials[scene->objects[1].material]->name == "Chalk");
  const Document circle = setValue(both, twin, "of", Constant(Reference{twin, nullptr}));
  scene = compiled(circle);
  REQUIRE(scene->warnings.size() == 1);
  CHECK(scene->warnings[0].find("made from itself") != std::string::npos);
}

TEST_CASE("What is hidden is not in the picture, with all that it holds, but may still shape others", "[arrange]") {
  Document doc = hall();
  const size_t before = compiled(doc)->instances.size();
  CHECK(compiled(setValue(doc, id(doc, "Crate"), "shown", Constant(false)))->instances.size() == before - 1);
  CHECK(compiled(setValue(doc, id(doc, "Stand"), "shown", Constant(false)))->instances.size() == before - 1);
  NodeId join = 0;
  doc = addNode(doc, "modifier.join", "Cut", {id(doc, "Crate"), "modifiers", size_t(-1)}, &join);
  doc = setValue(doc, join, "other", Constant(Reference{id(doc, "Ball"), nullptr}));
  doc = moved(doc, {id(doc, "Ball")}, at(doc, "Crate") + V3f(0.5f, 0.4f, 0) - at(doc, "Ball"));
  doc = setValue(doc, id(doc, "Ball"), "shown", Constant(false));
  const ScenePtr scene = compiled(doc);
  CHECK(scene->warnings.empty());
  bool cut = false;
  for (const InstancedObject& i : scene->objects) cut |= i.geometry->shape.mesh.triangles.size() > 100;
  CHECK(cut);
}

TEST_CASE("A modifier that cannot be applied is told, and its object stays with all others", "[arrange][modifiers]") {
  Document doc = hall();
  doc = addNode(doc, "modifier.join", "Cut", {id(doc, "Crate"), "modifiers", size_t(-1)});
  doc = setValue(doc, id(doc, "Cut"), "other", Constant(Reference{id(doc, "Floor"), nullptr}));
  doc = addNode(doc, "modifier.repeat", "Row", {id(doc, "Crate"), "modifiers", size_t(-1)});
  SceneCache cache;
  const TestAssets none;
  for (int i = 0; i < 2; ++i) { // made, and remembered
    const ScenePtr scene = compileScene(doc, {.frame = 1, .width = 8, .height = 8}, none, cache);
    REQUIRE(scene->warnings.size() == 1);
    CHECK(scene->warnings[0] == "Cut of Crate is left out: Floor: is an open mesh, which has no inside");
    size_t crates = 0;
    for (const InstancedObject& k : scene->objects)
      if (scene->things[k.thing].node == id(doc, "Crate")) crates += k.instanceCount;
    CHECK(crates == 5);
  }
}

TEST_CASE("What a twin is made from runs with time, and so does the twin", "[arrange][twin]") {
  Set s;
  const NodeId sheet = s.add("object.plane", "Sheet", {});
  s.add("modifier.ripple", "Waves", {{"speed", "0.2"}}, {sheet, "modifiers", size_t(-1)});
  const NodeId twin = s.add("object.twin", "Other sheet", {{"of", "Sheet"}});
  const Document doc = s.take();
  CHECK(formKey(doc, *doc.find(twin), 1).changes);
  CHECK(formKey(doc, *doc.find(twin), 1).hash != formKey(doc, *doc.find(twin), 5).hash);
  // Where it stands is not its form.
  CHECK(formKey(moved(doc, {twin}, {1, 0, 0}), *doc.find(twin), 1).hash == formKey(doc, *doc.find(twin), 1).hash);
}

TEST_CASE("Every shape that is added is seen at once, and not larger than the frame", "[arrange][framing]") {
  const Document doc = hall();
  const ScenePtr scene = compiled(doc);
  const float height = scene->camera.focus() * scene->camera.seenHeight();
  for (const Kind& k : kinds()->all()) {
    if (k.family() != "object" || !k.param("material") || k.id == "object.mesh" || k.id == "object.twin") continue;
    CAPTURE(k.id);
    NodeId made = 0;
    const Document after = addFramed(doc, *scene, k.id, &made);
    const ScenePtr with = compiled(after);
    CHECK(with->warnings.empty());
    const Box3f box = boundsOf(*with, after, {made});
    REQUIRE_FALSE(box.isEmpty());
    CHECK(maxComponent(box.size()) > 0.1f * height);
    CHECK(maxComponent(box.size()) < 1.5f * height);
    float x, y;
    REQUIRE(with->camera.project(box.center(), x, y));
    CHECK(x >= 0);
    CHECK(x <= float(with->width));
    CHECK(y >= 0);
    CHECK(y <= float(with->height));
  }
}
