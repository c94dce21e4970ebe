#include "core/base/colorspace.h"
#include "core/compile/camera.h"
#include "core/compile/compile.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Camera camera(std::initializer_list<std::pair<const char*, const char*>> values, int w = 160, int h = 90) {
  Set s(w, h);
  const NodeId id = s.add("camera.lens", "Camera", values);
  const Document doc = s.take();
  return cameraOf(doc, *doc.find(id), 1, w, h);
}

Label label(uint16_t group, uint16_t thing, uint16_t material, uint8_t seen = 0) {
  Label l;
  l.group = group;
  l.thing = l.first = thing;
  l.material = material;
  l.seen = seen;
  return l;
}

} // namespace

TEST_CASE("Rays and projection are inverse", "[render][camera]") {
  const Camera c = camera({{"position", "1, 2, 5"}, {"target", "0, 0.5, 0"}, {"focal_length", "35"}, {"roll", "20"}});
  for (const auto& [x, y] : {std::pair{0.5f, 0.5f}, {80.0f, 45.0f}, {150.0f, 12.0f}}) {
    const Ray r = c.ray(x, y, {0.5f, 0.5f});
    float px, py;
    REQUIRE(c.project(r.origin + r.direction * 3.7f, px, py));
    CHECK(px == Approx(x).margin(1e-2));
    CHECK(py == Approx(y).margin(1e-2));
  }
  float px, py;
  CHECK_FALSE(c.project(c.position() - c.forward(), px, py));
}

TEST_CASE("The view is as wide as film and focal length say, and looks at its target", "[render][camera]") {
  const Camera c =
      camera({{"position", "0, 0, 10"}, {"target", "0, 0, 0"}, {"focal_length", "36"}, {"film_width", "36"}});
  float x, y;
  REQUIRE(c.project({0, 0, 0}, x, y));
  CHECK(x == Approx(80));
  CHECK(y == Approx(45));
  REQUIRE(c.project({5, 0, 0}, x, y)); // half the film's width at ten metres
  CHECK(x == Approx(160));
  REQUIRE(c.project({0, 2.8125f, 0}, x, y));
  CHECK(y == Approx(0).margin(1e-3));
}

TEST_CASE("Straight up and straight down, a camera still has a right and an up", "[render][camera]") {
  for (const char* at : {"0, 5, 0", "0, -5, 0"}) {
    const Camera c = camera({{"position", at}, {"target", "0, 0, 0"}});
    CHECK(length(c.right()) == Approx(1));
    CHECK(length(c.up()) == Approx(1));
    CHECK(std::abs(dot(c.right(), c.forward())) < 1e-5f);
  }
  const Camera nowhere = camera({{"position", "1, 1, 1"}, {"target", "1, 1, 1"}});
  CHECK(length(nowhere.forward()) == Approx(1));
}

TEST_CASE("A thin lens' rays meet on the plane of focus", "[render][camera]") {
  const Camera c = camera({{"position", "0, 0, 4"}, {"target", "0, 0, 0"}, {"f_stop", "2"}, {"focus", "3"}});
  const Ray a = c.ray(30, 20, {0.1f, 0.9f}), b = c.ray(30, 20, {0.8f, 0.3f});
  CHECK(length(a.origin - b.origin) > 1e-4f);
  const auto at = [&](const Ray& r) { return r.origin + r.direction * ((1 - r.origin.z) / r.direction.z); };
  CHECK(length(at(a) - at(b)) < 1e-4f);
}

TEST_CASE("A queries' table keeps what is asked for and nothing else", "[render][labels]") {
  const std::vector<std::vector<NodeId>> things = {{10}, {11}, {12}};
  const std::vector<NodeId> materials = {20, 21};
  LayerQuery all{.name = "all", .everything = true}, ten{.name = "10", .things = {10}},
      stone{.name = "stone", .materials = {21}}, mirrored{.name = "m", .things = {11}};
  mirrored.direct = mirrored.through = false;
  const LayerTable table({all, ten, stone, mirrored}, things, materials);
  CHECK(table.queries() == 4);
  CHECK(table.size() == 4); // all light is one cell
  const auto kept = [&](const Label& l) {
    uint32_t bits = 0;
    for (int q = 0; q < 4; ++q) bits |= uint32_t((table.match(l) & table.layers(q)) != 0) << q;
    return bits;
  };
  CHECK(kept(label(0, 0, 0)) == 0b0011u);
  CHECK(kept(label(0, 0, 1)) == 0b0111u);
  CHECK(kept(label(0, 1, noMaterial)) == 0b0001u);
  CHECK(kept(label(0, 1, noMaterial, SeenMirrored)) == 0b1001u);
  CHECK(kept(label(0, 1, noMaterial, SeenMirrored | SeenThrough)) == 0b0001u);
  CHECK(kept(label(0, 2, 1, SeenThrough)) == 0b0101u);
  CHECK_FALSE(refusal([&] { LayerTable(std::vector<LayerQuery>(33, ten), things, materials); }).empty());
}

TEST_CASE("Queries kept apart divide all light into cells, and each is the sum of its own", "[render][labels]") {
  const std::vector<std::vector<NodeId>> things = {{10}, {11}, {12}};
  const std::vector<NodeId> materials = {20, 21};
  LayerQuery all{.name = "all", .everything = true}, ten{.name = "10", .things = {10}, .apart = true},
      stone{.name = "stone", .materials = {21}, .apart = true},
      pass{.name = "p", .everything = true, .events = EventDirect};
  const LayerTable table({all, ten, pass, stone}, things, materials);
  CHECK(table.cells() == 4);
  CHECK(table.size() == 5);
  for (uint16_t thing = 0; thing < 3; ++thing)
    for (const uint16_t material : {uint16_t(0), uint16_t(1), noMaterial}) {
      const uint32_t bits = table.match(label(0, thing, material));
      const uint32_t cell = bits & ((1u << table.cells()) - 1);
      REQUIRE(std::popcount(cell) == 1);
      REQUIRE((table.layers(0) & cell) == cell);
      REQUIRE(((table.layers(1) & cell) != 0) == (thing == 0));
      REQUIRE(((table.layers(3) & cell) != 0) == (material == 1));
      REQUIRE((bits & table.layers(2)) == 0); // label() says emitted
      const uint32_t in = table.queriesOf(std::countr_zero(cell));
      REQUIRE((in >> 1 & 1) == uint32_t(thing == 0));
      REQUIRE((in >> 3 & 1) == uint32_t(material == 1));
    }
  std::vector<LayerQuery> many;
  for (NodeId i = 0; i < 13; ++i) many.push_back({.name = "", .things = {i}, .apart = true});
  CHECK(refusal([&] { LayerTable(many, things, materials); }).find("12 are possible") != std::string::npos);
}

TEST_CASE("A part is kept by its own name and by that of the whole, or only where one material is worn",
          "[render][labels][parts]") {
  // Copies of 10, of which one is part 30; part 31 is 10 where it wears 21, part 32 is 11 where it wears 20.
  const std::vector<std::vector<NodeId>> things = {{10, 31}, {10, 30, 31}, {11, 32}};
  const LayerQuery whole{.name = "", .things = {10}}, copy{.name = "", .things = {30}},
      worn{.name = "", .things = {31, 32}}, in{.name = "", .everything = true, .seenIn = {30}};
  const LayerTable table({whole, copy, worn, in}, things, {20, 21}, {{31, 21}, {32, 20}});
  const auto match = [&](const Label& l) {
    uint32_t bits = 0;
    for (int q = 0; q < 4; ++q) bits |= uint32_t((table.match(l) & table.layers(q)) != 0) << q;
    return bits;
  };
  CHECK(match(label(0, 0, 0)) == 0b0001u);
  CHECK(match(label(0, 0, 1)) == 0b0101u);
  CHECK((match(label(0, 1, 0)) & 0b0111u) == 0b0011u);
  CHECK(match(label(0, 2, 0)) == 0b0100u);
  CHECK(match(label(0, 2, 1)) == 0u);
  CHECK(match(label(0, 2, noMaterial)) == 0u);
}

TEST_CASE("The film's means are means over samples, per query and group", "[render][film]") {
  LayerQuery all{.name = "all", .everything = true}, ten{.name = "10", .things = {10}};
  Film film(2, 1, 2, LayerTable({all, ten}, {{10}, {11}}, {}));
  FirstHit hit{true, 1, 3, {0, 1, 0}, {0.5f, 0.5f, 0.5f}, 0};
  film.begin(0);
  film.add(0, label(0, 0, noMaterial), Color(4, 2, 0));
  film.add(0, label(1, 1, noMaterial), Color(8.0f));
  film.finish(0, hit, Color(5.0f));
  film.finish(0, FirstHit(), Color(0.0f));
  CHECK(film.light(0, 0, 0) == Color(2, 1, 0));
  CHECK(film.light(0, 0, 1) == Color(4.0f));
  CHECK(film.light(0, 1, 0) == Color(2, 1, 0));
  CHECK(film.light(0, 1, 1) == Color(0.0f));
  CHECK(film.alpha(0) == 0.5f);
  CHECK(film.depth(0) == 3); // of the samples that hit something
  CHECK(film.samples(0) == 2);
  CHECK(film.samples(1) == 0);
  // What has no sample takes its neighbour's value.
  const Picture p = collect(film, 0, {Color(1.0f), Color(0.5f)}, 2, pool());
  CHECK(p.color(0, 0) == p.color(1, 0));
  CHECK(p.color(0, 0).x == Approx(2 * (2 + 0.5 * 4)));
  film.reset(2, 1, 2, LayerTable({all}, {{10}, {11}}, {}), {});
  CHECK(film.samples(0) == 0);
  CHECK(film.light(0, 0, 0) == Color(0.0f));
}

TEST_CASE("The noise figure falls with the square root of the samples", "[render][film]") {
  Set s(48, 48);
  s.look("0, 2, 3", "0, 0, 0", "40");
  s.lambert("Stone", "0.5, 0.5, 0.5");
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"material", "Stone"}});
  s.add("object.sphere", "Ball", {{"radius", "0.4"}, {"position", "0, 0.4, 0"}, {"material", "Stone"}});
  s.add("light.sky", "Sky", {});
  const Document doc = s.take();
  const double few = trace(doc, 16).film().noise(), many = trace(doc, 256).film().noise();
  CHECK(few / many == Approx(4).epsilon(0.35));
  CHECK(Film().noise() == 1);
}

TEST_CASE("A draft has the picture's direct light at a quarter of the pixels", "[render][draft]") {
  Set s(64, 48);
  s.set(s.look("0, 2, 3", "0, 0, 0", "40"), {{"ev100", "-4"}}); // light too faint for the picture has no ray in a draft
  s.lambert("Black stone", "0.02, 0.02, 0.02");
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"material", "Black stone"}});
  s.add("light.point", "Lamp", {{"power", "1000"}, {"position", "0, 1, 0"}, {"radius", "0.1"}, {"seen", "off"}});
  const Document doc = s.take();
  SceneCache cache;
  const ScenePtr scene = compileScene(doc, {.queries = lensQueries(doc)}, noAssets(), cache);
  Rendering draft(scene, 2, true);
  const CancelFlag never;
  draft.advance(pool(), 64, never);
  CHECK(draft.film().width() == 32);
  CHECK(draft.film().height() == 24);
  // So dark a floor has hardly any light but the direct.
  CHECK(mean(collect(draft.film(), 0, scene->groupScales, 1, pool())) ==
        Approx(mean(luminances(trace(doc, 64)))).epsilon(0.02));
}

TEST_CASE("A draft sees lamps in mirrors and behind glass", "[render][draft]") {
  Set s(32, 32);
  s.look("0, 1, 3", "0, 0.3, 0", "40");
  s.add("material.surface", "Mirror", {{"base_color", "1, 1, 1"}, {"metalness", "1"}, {"roughness", "0"}});
  s.add("object.plane", "Water", {{"width", "20"}, {"depth", "20"}, {"material", "Mirror"}});
  s.add("light.point", "Lamp", {{"power", "100"}, {"position", "0, 0.6, 0"}, {"radius", "0.2"}, {"seen", "off"}});
  const Document doc = s.take();
  SceneCache cache;
  const ScenePtr scene = compileScene(doc, {.queries = lensQueries(doc)}, noAssets(), cache);
  Rendering draft(scene, 1, true);
  const CancelFlag never;
  draft.advance(pool(), 8, never);
  CHECK(mean(collect(draft.film(), 0, scene->groupScales, 1, pool())) > 0);
}

TEST_CASE("Shapes are shared from one compile to the next, and made anew when they change", "[render][cache]") {
  Set s;
  s.look("0, 0, 3", "0, 0, 0");
  s.add("object.torus", "Ring", {});
  const Document doc = s.take();
  SceneCache cache;
  const ScenePtr a = compileScene(doc, {}, noAssets(), cache);
  const ScenePtr moved =
      compileScene(setAt(doc, resolve(doc, "Ring.position"), Constant(Triple{1, 0, 0})), {}, noAssets(), cache);
  const ScenePtr wider = compileScene(setAt(doc, resolve(doc, "Ring.radius"), Constant(0.9)), {}, noAssets(), cache);
  CHECK(a->objects[0].geometry == moved->objects[0].geometry);
  CHECK(a->objects[0].geometry != wider->objects[0].geometry);
}

TEST_CASE("Things with the same shape share it", "[render][cache]") {
  Set s;
  s.look("0, 0, 3", "0, 0, 0");
  for (int i = 0; i < 5; ++i) s.add("object.torus", "Ring", {{"position", (std::to_string(i) + ", 0, 0").c_str()}});
  const Document doc = s.take();
  SceneCache cache;
  const ScenePtr scene = compileScene(doc, {}, noAssets(), cache);
  REQUIRE(scene->objects.size() == 5);
  for (const InstancedObject& i : scene->objects) CHECK(i.geometry == scene->objects[0].geometry);
}
