// Each modifier by what it must keep and what it must change.
#include "core/compile/compile.h"
#include "core/document/edit.h"
#include "core/geometry/form.h"
#include "core/geometry/mesh_tools.h"
#include "core/geometry/solids.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

constexpr double pi64 = 3.14159265358979323846;
using Values = std::initializer_list<std::pair<const char*, const char*>>;

// An object with modifiers one after the other.
struct Shaped {
  Set set;
  NodeId object;
  Shaped(const char* kind, Values values) : object(set.add(kind, "Thing", values)) {}
  Shaped& with(const char* kind, Values values) {
    set.add(kind, "Change", values, {object, "modifiers", size_t(-1)});
    return *this;
  }
  Form form(double frame = 1) {
    const Document& doc = set.peek();
    const TestAssets none;
    return formOf(*doc.find(object), {doc, frame, none});
  }
  Mesh mesh() {
    Form f = form();
    return std::move(meshOf(f));
  }
};

double area(const Mesh& m) {
  double sum = 0;
  for (const auto& t : m.triangles)
    sum += 0.5 * double(length(cross(m.positions[t.b] - m.positions[t.a], m.positions[t.c] - m.positions[t.a])));
  return sum;
}

// Every vertex's normal looks where its triangles look.
double worstNormal(const Mesh& m) {
  double worst = 1;
  for (const auto& t : m.triangles) {
    const V3f n = normalize(cross(m.positions[t.b] - m.positions[t.a], m.positions[t.c] - m.positions[t.a]));
    for (const uint32_t v : {t.a, t.b, t.c}) worst = std::min(worst, double(dot(n, m.normals[v])));
  }
  return worst;
}

} // namespace

TEST_CASE("Copies in a line, a ring and a grid stand where they must, by pitch and by gap", "[geometry][modifiers]") {
  const auto at = [](const Form& f, size_t i) { return transformPoint(f.copies[i], V3f(0.0f)); };
  const Form line =
      Shaped("object.box", {{"width", "0.2"}}).with("modifier.repeat", {{"count", "4"}, {"step", "0.5, 0, 0"}}).form();
  REQUIRE(line.copies.size() == 4);
  CHECK(at(line, 0) == V3f(0.0f));
  CHECK(at(line, 3).x == Approx(1.5));
  const Form gap = Shaped("object.box", {{"width", "0.2"}})
                       .with("modifier.repeat", {{"count", "4"}, {"step", "0.5, 0, 0"}, {"measure", "gap"}})
                       .form();
  CHECK(at(gap, 3).x == Approx(3 * 0.7));
  const Form ring = Shaped("object.sphere", {})
                        .with("modifier.repeat", {{"arrangement", "ring"}, {"count", "6"}, {"radius", "2"}})
                        .form();
  REQUIRE(ring.copies.size() == 6);
  for (size_t i = 0; i < 6; ++i) {
    CHECK(length(at(ring, i)) == Approx(2));
    CHECK(length(at(ring, i) - at(ring, (i + 1) % 6)) == Approx(2).epsilon(1e-5)); // a hexagon's side is its radius
    // Each is turned along: what pointed outwards still does.
    CHECK(dot(normalize(at(ring, i)), transformVector(ring.copies[i], {1, 0, 0})) == Approx(1));
  }
  const Form grid = Shaped("object.sphere", {})
                        .with("modifier.repeat", {{"arrangement", "grid"},
                                                  {"count", "3"},
                                                  {"count_y", "2"},
                                                  {"count_z", "4"},
                                                  {"step", "1, 2, 3"},
                                                  {"centred", "on"}})
                        .form();
  REQUIRE(grid.copies.size() == 24);
  V3f sum(0.0f);
  for (size_t i = 0; i < 24; ++i) sum += at(grid, i);
  CHECK(length(sum) == Approx(0).margin(1e-4));
  CHECK(at(grid, 23) == V3f(1, 1, 4.5f));
}

TEST_CASE("Copies grow, turn and stray by seed, the same ones every time", "[geometry][modifiers]") {
  const auto made = [](const char* seed) {
    return Shaped("object.box", {})
        .with("modifier.repeat", {{"count", "20"},
                                  {"step", "0.5, 0.5, 0.5"},
                                  {"random_place", "0.1, 0.2, 0.3"},
                                  {"random_turn", "90, 90, 90"},
                                  {"random_size", "0.5"},
                                  {"copy_size", "0.9"},
                                  {"seed", seed}})
        .form()
        .copies;
  };
  const auto a = made("3"), b = made("3"), c = made("4");
  CHECK(a == b);
  CHECK(a != c);
  for (size_t i = 0; i < a.size(); ++i) {
    const V3f p = transformPoint(a[i], V3f(0.0f)) - V3f(0.5f * float(i), 0.5f * float(i), 0.5f * float(i));
    CHECK(std::abs(p.x) <= 0.1001f);
    CHECK(std::abs(p.y) <= 0.2001f);
    const double size = std::cbrt(std::abs(double(a[i].determinant()))) / std::pow(0.9, double(i));
    CHECK(size >= 0.499);
    CHECK(size <= 1.501);
  }
}

TEST_CASE("Copies follow a path, turned along it, as many as there is room for", "[geometry][modifiers]") {
  Set s;
  const NodeId ring = s.add("object.torus", "Hoop", {{"radius", "1"}, {"position", "0, 3, 0"}});
  const NodeId bead = s.add("object.sphere", "Bead", {{"radius", "0.05"}});
  s.add("modifier.repeat", "Chain",
        {{"arrangement", "along a path"}, {"count", "0"}, {"step", "0.2, 0, 0"}, {"path", "Hoop"}},
        {bead, "modifiers", size_t(-1)});
  (void)ring;
  const Document doc = s.take();
  const TestAssets none;
  const Form f = formOf(*doc.find(bead), {doc, 1, none});
  CHECK(f.copies.size() == size_t(2 * pi64 / 0.2));
  for (size_t i = 0; i < f.copies.size(); ++i) {
    const V3f p = transformPoint(f.copies[i], V3f(0.0f));
    CHECK(p.y == Approx(3));
    CHECK(std::hypot(p.x, p.z) == Approx(1).epsilon(1e-3));
    // Its y runs along the hoop.
    CHECK(std::abs(dot(normalize(V3f(p.x, 0, p.z)), transformVector(f.copies[i], {0, 1, 0}))) < 0.02f);
  }
  CHECK(refusal([&] {
          formOf(*doc.find(bead), {setValue(doc, doc.findByName("Chain")->id, "path", Constant(Reference{})), 1, none});
        }) == "Chain.path: no object is named");
}

TEST_CASE("A repeat of a repeat multiplies, and a change of form after it makes one mesh", "[geometry][modifiers]") {
  const Values three = {{"count", "3"}, {"step", "2, 0, 0"}}, two = {{"count", "2"}, {"step", "0, 0, 5"}};
  Shaped s("object.box", {});
  s.with("modifier.repeat", three).with("modifier.repeat", two);
  CHECK(s.form().copies.size() == 6);
  s.with("modifier.smooth", {{"shading", "faceted"}});
  const Form one = s.form();
  CHECK(one.copies.empty());
  CHECK(one.shape.mesh.triangles.size() == 6 * 12);
  CHECK(volume(one.shape.mesh) == Approx(6));
  CHECK(eulerCharacteristic(one.shape.mesh) == 12);
}

TEST_CASE("A group is repeated with all that it holds, its gap taken from its contents", "[geometry][modifiers]") {
  Set s;
  const NodeId group = s.add("object.group", "Pair", {});
  s.add("object.sphere", "Left", {{"radius", "0.5"}, {"position", "-1, 0, 0"}}, s.in(group));
  s.add("object.sphere", "Right", {{"radius", "0.5"}, {"position", "1, 0, 0"}}, s.in(group));
  s.add("light.point", "Lamp", {{"position", "0, 1, 0"}, {"radius", "0.1"}}, s.in(group));
  s.add("modifier.repeat", "Row", {{"count", "10"}, {"step", "0.5, 0, 0"}, {"measure", "gap"}},
        {group, "modifiers", size_t(-1)});
  const Document doc = s.take();
  const TestAssets none;
  SceneCache cache;
  const ScenePtr scene = compileScene(doc, {.frame = 1, .width = 8, .height = 8}, none, cache);
  CHECK(scene->warnings.empty());
  CHECK(scene->emitters.size() == 10);
  CHECK(scene->groups.size() == 1);       // one row in the mix
  CHECK(scene->objects.size() == 2 + 10); // two balls, shared by their copies, and the bodies of the lamps
  CHECK(scene->instances.size() == 30);
  CHECK(transformPoint(scene->instances[9].toWorld, V3f(0.0f)).x == Approx(-1 + 9 * 3.5));
}

TEST_CASE("Copies are drawn as the same objects placed by hand", "[geometry][modifiers]") {
  const auto picture = [](bool repeat) {
    Set s(48, 32);
    s.lambert("Clay", "0.6, 0.5, 0.4");
    s.add("object.plane", "Floor",
          {{"width", "20"}, {"depth", "20"}, {"material", "Clay"}, {"position", "0, -0.5, 0"}});
    for (int i = 0; i < (repeat ? 1 : 12); ++i) {
      const NodeId id = s.add("object.torus", "Ring",
                              {{"radius", "0.3"},
                               {"tube", "0.1"},
                               {"material", "Clay"},
                               {"position", (std::to_string(-3 + 0.55 * i) + ", 0, 0").c_str()}});
      if (repeat)
        s.add("modifier.repeat", "Row", {{"count", "12"}, {"step", "0.55, 0, 0"}}, {id, "modifiers", size_t(-1)});
    }
    s.add("light.point", "Lamp", {{"position", "0, 3, 2"}, {"power", "2000"}, {"radius", "0.2"}});
    s.look("0, 2, 6", "0, 0, 0", "30");
    return luminances(trace(s.take(), 16));
  };
  const Picture one = picture(true), many = picture(false);
  double most = 0, sum = 0;
  for (size_t i = 0; i < one.rgb.size(); ++i) {
    most = std::max(most, std::abs(double(one.rgb[i]) - double(many.rgb[i])));
    sum += double(many.rgb[i]);
  }
  CHECK(sum > 0);
  // The same samples meet the same surfaces: only rounding differs.
  CHECK(most < 0.02 * sum / double(one.rgb.size()) * 50);
  CHECK(mean(one) == Approx(mean(many)).epsilon(2e-3));
}

TEST_CASE("A shell gives a skin its thickness and a body its hollow", "[geometry][modifiers]") {
  const Mesh sheet =
      Shaped("object.plane", {{"width", "2"}, {"depth", "1"}}).with("modifier.shell", {{"thickness", "0.1"}}).mesh();
  CHECK(isClosed(sheet));
  CHECK(volume(sheet) == Approx(0.2));
  CHECK(eulerCharacteristic(sheet) == 2);
  const Mesh box = Shaped("object.box", {}).with("modifier.shell", {{"thickness", "0.1"}}).mesh();
  CHECK(isClosed(box));
  CHECK(volume(box) == Approx(1 - 0.512)); // all walls are as thick as they say, at edges too
  CHECK(eulerCharacteristic(box) == 4);
  const Mesh outside =
      Shaped("object.box", {}).with("modifier.shell", {{"thickness", "0.1"}, {"side", "outwards"}}).mesh();
  CHECK(volume(outside) == Approx(1.2 * 1.2 * 1.2 - 1));
  const Mesh pipe = Shaped("object.cylinder", {{"capped", "off"}, {"radius", "0.5"}})
                        .with("modifier.shell", {{"thickness", "0.05"}})
                        .mesh();
  CHECK(isClosed(pipe));
  CHECK(volume(pipe) == Approx(pi64 * (0.25 - 0.45 * 0.45)).epsilon(2e-3));
  CHECK(eulerCharacteristic(pipe) == 0);
  CHECK_FALSE(isClosed(Shaped("object.plane", {}).with("modifier.shell", {{"rim", "off"}}).mesh()));
}

TEST_CASE("Twist and bend keep the volume, taper makes it that of a stump, and all keep what is closed closed",
          "[geometry][modifiers]") {
  const Values box = {{"width", "0.3"}, {"height", "2"}, {"depth", "0.3"}};
  const Mesh twisted = Shaped("object.box", box).with("modifier.twist", {{"angle", "180"}}).mesh();
  CHECK(isClosed(twisted));
  CHECK(volume(twisted) == Approx(0.18).epsilon(3e-3));
  const Mesh bent = Shaped("object.box", box).with("modifier.bend", {{"angle", "90"}}).mesh();
  CHECK(isClosed(bent));
  CHECK(volume(bent) == Approx(0.18).epsilon(3e-3));
  // Its middle is an arc of the body's length: the far end looks sideways.
  Box3f b;
  for (const V3f& p : bent.positions) b.extendBy(p);
  const double radius = 2 / (pi64 / 2);
  CHECK(b.max.x == Approx(radius).epsilon(1e-3));
  CHECK(b.max.y == Approx(-1 + radius + 0.15).epsilon(1e-3));
  const Mesh tapered = Shaped("object.box", box).with("modifier.taper", {{"amount", "0.5"}}).mesh();
  CHECK(isClosed(tapered));
  CHECK(volume(tapered) == Approx(0.18 * (1 + 0.5 + 0.25) / 3).epsilon(1e-3));
  for (const Mesh* m : {&twisted, &bent, &tapered}) {
    size_t against = 0;
    for (const auto& t : m->triangles)
      against += dot(cross(m->positions[t.b] - m->positions[t.a], m->positions[t.c] - m->positions[t.a]),
                     m->normals[t.a] + m->normals[t.b] + m->normals[t.c]) < 0;
    CHECK(against == 0);
  }
}

TEST_CASE("Ripples rise and fall by their height and run with time", "[geometry][modifiers]") {
  Shaped s("object.plane", {{"width", "1"}, {"depth", "1"}});
  s.with("modifier.ripple", {{"height", "0.03"}, {"wavelength", "0.2"}});
  const Mesh m = s.mesh();
  Box3f b;
  for (const V3f& p : m.positions) b.extendBy(p);
  CHECK(b.max.y == Approx(0.03).epsilon(1e-3));
  CHECK(b.min.y == Approx(-0.03).epsilon(0.02));
  // Normals lean as the wave does: sideways by its slope.
  for (size_t i = 0; i < m.positions.size(); i += 37) {
    const V3f& p = m.positions[i];
    const float r = std::hypot(p.x, p.z);
    if (r < 0.05f) continue;
    const float slope = -0.03f * 2 * pi / 0.2f * std::sin(2 * pi * r / 0.2f);
    const V3f want = normalize(V3f(-slope * p.x / r, 1, -slope * p.z / r));
    CHECK(dot(want, m.normals[i]) > 0.999f);
  }
  const Document still = s.set.peek();
  CHECK_FALSE(formKey(still, *still.find(s.object), 1).changes);
  CHECK(formKey(still, *still.find(s.object), 1).hash == formKey(still, *still.find(s.object), 2).hash);
  const Document runs = setValue(still, still.findByName("Change")->id, "speed", Constant(0.3));
  CHECK(formKey(runs, *runs.find(s.object), 1).changes);
  CHECK(formKey(runs, *runs.find(s.object), 1).hash != formKey(runs, *runs.find(s.object), 2).hash);
}

TEST_CASE("Evening out takes bumps off and keeps the volume", "[geometry][modifiers]") {
  const Mesh rough = Shaped("object.sphere", {{"segments", "48"}})
                         .with("modifier.ripple", {{"height", "0.02"}, {"wavelength", "0.1"}, {"steps", "4"}})
                         .mesh();
  const Mesh even = Shaped("object.sphere", {{"segments", "48"}})
                        .with("modifier.ripple", {{"height", "0.02"}, {"wavelength", "0.1"}, {"steps", "4"}})
                        .with("modifier.smooth", {{"even", "10"}})
                        .mesh();
  CHECK(area(even) < area(rough));
  CHECK(volume(even) == Approx(volume(rough)).epsilon(0.03));
  CHECK(isClosed(even));
}

TEST_CASE("A modifier that is off, and none at all, come to the same form", "[geometry][modifiers]") {
  const Mesh a = Shaped("object.box", {}).with("modifier.bend", {{"on", "off"}}).mesh(),
             b = Shaped("object.box", {}).mesh();
  CHECK(a.positions == b.positions);
}

TEST_CASE("Splitting long edges leaves none too long, and closed what was closed", "[geometry][modifiers]") {
  Mesh m = Shaped("object.box", {{"width", "2"}}).mesh();
  const double before = area(m);
  splitLongEdges(m, 0.15f);
  CHECK(isClosed(m));
  CHECK(area(m) == Approx(before));
  for (const auto& t : m.triangles)
    for (const auto& [i, k] : {std::pair(t.a, t.b), std::pair(t.b, t.c), std::pair(t.c, t.a)})
      CHECK(length(m.positions[i] - m.positions[k]) <= 0.1501f);
}

namespace {

// A block, and another half a metre further along x.
Form twoBlocks(const char* how) {
  Set s;
  const NodeId a = s.add("object.box", "Block", {});
  s.add("object.box", "Tool", {{"position", "0.5, 0.25, 0.25"}});
  s.add("modifier.join", "Join", {{"how", how}, {"other", "Tool"}}, {a, "modifiers", size_t(-1)});
  const Document doc = s.take();
  const TestAssets none;
  return formOf(*doc.find(a), {doc, 1, none});
}

} // namespace

TEST_CASE("Union, cut and common part have the volumes of sets", "[geometry][modifiers][solids]") {
  const double both = 0.5 * 0.75 * 0.75;
  for (const auto& [how, wanted] :
       {std::pair("union", 2 - both), std::pair("cut away", 1 - both), std::pair("common", both)}) {
    const Mesh m = twoBlocks(how).shape.mesh;
    CAPTURE(how);
    CHECK(isClosed(m));
    CHECK(volume(m) == Approx(wanted));
    CHECK(eulerCharacteristic(m) == 2);
    for (size_t i = 0; i < m.triangles.size(); ++i) {
      const auto& t = m.triangles[i];
      const V3f n = normalize(cross(m.positions[t.b] - m.positions[t.a], m.positions[t.c] - m.positions[t.a]));
      for (const uint32_t v : {t.a, t.b, t.c}) CHECK(dot(n, m.normals[v]) > 0.99f);
    }
    // The faces that the cut made are told from those that were there.
    CHECK(m.inside.empty() == (std::string(how) == "union"));
    double cut = 0;
    for (size_t i = 0; i < m.inside.size(); ++i)
      if (m.inside[i])
        cut += 0.5 * double(length(cross(m.positions[m.triangles[i].b] - m.positions[m.triangles[i].a],
                                         m.positions[m.triangles[i].c] - m.positions[m.triangles[i].a])));
    if (!m.inside.empty()) CHECK(cut == Approx(0.75 * 0.75 + 2 * 0.5 * 0.75));
  }
}

TEST_CASE("Bodies cannot be joined with a sheet, with themselves, or in a circle", "[geometry][modifiers][solids]") {
  Set s;
  const NodeId a = s.add("object.box", "Block", {}), b = s.add("object.plane", "Sheet", {});
  const NodeId join = s.add("modifier.join", "Join", {{"other", "Sheet"}}, {a, "modifiers", size_t(-1)});
  const Document doc = s.take();
  const TestAssets none;
  CHECK(refusal([&] { formOf(*doc.find(a), {doc, 1, none}); }).find("Sheet: is an open mesh") == 0);
  const Document self = setValue(doc, join, "other", Constant(Reference{a, nullptr}));
  CHECK(refusal([&] { formOf(*self.find(a), {self, 1, none}); }) == "Join.other: it is the object itself");
  NodeId back = 0;
  Document circle = addNode(doc, "modifier.join", "Back", {b, "modifiers", size_t(-1)}, &back);
  circle = setValue(circle, back, "other", Constant(Reference{a, nullptr}));
  CHECK(refusal([&] { formOf(*circle.find(a), {circle, 1, none}); }).find("made from itself") != std::string::npos);
  // Several ways around do not multiply.
  for (int i = 0; i < 12; ++i) {
    NodeId more = 0;
    circle = addNode(circle, "modifier.join", "More", {i % 2 ? a : b, "modifiers", size_t(-1)}, &more);
    circle = setValue(circle, more, "other", Constant(Reference{i % 2 ? b : a, nullptr}));
  }
  CHECK(refusal([&] { formOf(*circle.find(a), {circle, 1, none}); }).find("made from itself") != std::string::npos);
  CHECK(formKey(circle, *circle.find(a), 1).hash != formKey(doc, *doc.find(a), 1).hash);
}

TEST_CASE("A ball that is cut open in the middle is half a ball, filled or hollow", "[geometry][modifiers][solids]") {
  const Mesh half = Shaped("object.sphere", {{"radius", "0.5"}}).with("modifier.cap", {}).mesh();
  CHECK(isClosed(half));
  CHECK(volume(half) == Approx(pi64 / 12).epsilon(2e-3));
  const Mesh bowl = Shaped("object.sphere", {{"radius", "0.5"}}).with("modifier.cap", {{"closed", "off"}}).mesh();
  CHECK_FALSE(isClosed(bowl));
  CHECK(area(bowl) == Approx(pi64 / 2).epsilon(2e-3));
  for (const V3f& p : bowl.positions) CHECK(p.z <= 1e-5f);
  CHECK(refusal([&] {
          Shaped("object.sphere", {}).with("modifier.cap", {{"place", "0, 0, -3"}}).mesh();
        }).find("Change.place") == 0);
}

TEST_CASE("A burst body keeps its volume until gaps are taken off, and its pieces are closed",
          "[geometry][modifiers][solids]") {
  const Values none = {{"pieces", "12"}, {"gap", "0"}, {"push", "0"}, {"turn", "0"}};
  const Mesh whole = Shaped("object.box", {}).with("modifier.burst", none).mesh();
  CHECK(isClosed(whole));
  CHECK(volume(whole) == Approx(1).epsilon(1e-4));
  const Mesh apart =
      Shaped("object.box", {}).with("modifier.burst", {{"pieces", "12"}, {"gap", "0.02"}, {"push", "0.5"}}).mesh();
  std::vector<uint32_t> of;
  CHECK(components(apart, of) == 12);
  CHECK(eulerCharacteristic(apart) == 24);
  CHECK(isClosed(apart));
  CHECK(volume(apart) < 0.95);
  CHECK(volume(apart) > 0.7);
  // What broke is told from what was the outside: six faces less what the gaps took.
  double outside = 0;
  for (size_t i = 0; i < apart.triangles.size(); ++i)
    if (!apart.inside[i])
      outside +=
          0.5 * double(length(cross(apart.positions[apart.triangles[i].b] - apart.positions[apart.triangles[i].a],
                                    apart.positions[apart.triangles[i].c] - apart.positions[apart.triangles[i].a])));
  CHECK(outside < 6);
  CHECK(outside > 5);
}

TEST_CASE("A seed breaks a body the same way every time", "[geometry][modifiers][solids]") {
  const auto made = [](const char* seed) {
    return Shaped("object.sphere", {{"segments", "32"}})
        .with("modifier.burst", {{"pieces", "8"}, {"seed", seed}})
        .mesh()
        .positions;
  };
  CHECK(made("5") == made("5"));
  CHECK(made("5") != made("6"));
}

TEST_CASE("Shards of a skin have its thickness, whether it is closed or not", "[geometry][modifiers][solids]") {
  for (const char* capped : {"on", "off"}) {
    const Mesh m = Shaped("object.cylinder", {{"radius", "0.3"}, {"height", "1"}, {"capped", capped}})
                       .with("modifier.burst",
                             {{"form", "shards of the skin"}, {"thickness", "0.01"}, {"gap", "0"}, {"push", "0.2"}})
                       .mesh();
    CAPTURE(capped);
    CHECK(isClosed(m));
    const double skin = 2 * pi64 * 0.3 + (std::string(capped) == "on" ? 2 * pi64 * 0.09 : 0);
    CHECK(volume(m) == Approx(skin * 0.01).epsilon(0.05));
  }
}

TEST_CASE("A wire cage is one closed skin around the edges that were asked for", "[geometry][modifiers][solids]") {
  const Mesh box =
      Shaped("object.box", {})
          .with("modifier.cage", {{"edges", "without diagonals"}, {"radius", "0.03"}, {"joint", "1"}, {"soften", "0"}})
          .mesh();
  CHECK(isClosed(box));
  std::vector<uint32_t> of;
  CHECK(components(box, of) == 1);
  CHECK(eulerCharacteristic(box) == 2 - 2 * 5); // a cube's frame has five handles
  // Twelve rods with round ends, less what they share at the corners.
  CHECK(volume(box) == Approx(12 * 0.94 * pi64 * 0.0009 + 8 * 4 * pi64 / 3 * 0.000027).epsilon(0.04));
  for (size_t i = 0; i < box.positions.size(); i += 11) {
    const V3f& p = box.positions[i];
    // Distance to the nearest of the cube's edges.
    float d = 1e9f;
    for (int axis = 0; axis < 3; ++axis) {
      const float u = std::abs(std::abs(p[(axis + 1) % 3]) - 0.5f), v = std::abs(std::abs(p[(axis + 2) % 3]) - 0.5f),
                  w = std::max(0.0f, std::abs(p[axis]) - 0.5f);
      d = std::min(d, std::sqrt(u * u + v * v + w * w));
    }
    CHECK(d == Approx(0.03).epsilon(0.08));
  }
  const Mesh all = Shaped("object.box", {}).with("modifier.cage", {{"edges", "all"}, {"radius", "0.03"}}).mesh();
  CHECK(volume(all) > 1.3 * volume(box));
  const Mesh sharp =
      Shaped("object.cylinder", {}).with("modifier.cage", {{"edges", "sharp"}, {"radius", "0.02"}}).mesh();
  CHECK(components(sharp, of) == 2); // its two rims
  CHECK(eulerCharacteristic(sharp) == 0);
  CHECK(refusal([&] {
          Shaped("object.sphere", {}).with("modifier.cage", {{"edges", "sharp"}}).mesh();
        }).find("Change.edges") == 0);
  CHECK(refusal([&] {
          Shaped("object.box", {{"width", "1000"}}).with("modifier.cage", {{"radius", "0.0005"}}).mesh();
        }).find("Change.detail") == 0);
}

TEST_CASE("Subdivision rounds a cube towards a ball, keeps it closed, and leaves creases", "[geometry][modifiers]") {
  const Mesh round = Shaped("object.box", {}).with("modifier.subdivide", {{"levels", "3"}}).mesh();
  CHECK(isClosed(round));
  CHECK(eulerCharacteristic(round) == 2);
  CHECK(round.triangles.size() == 6 * 64 * 2);
  // Its corners and edges come in: less than the ball about it, more than the octahedron inside.
  CHECK(volume(round) > 1.0 / 6);
  CHECK(volume(round) < pi64 / 6);
  for (size_t i = 0; i < round.positions.size(); ++i)
    CHECK(dot(normalize(round.positions[i]), round.normals[i]) > 0.9f);
  const Mesh creased = Shaped("object.box", {})
                           .with("modifier.subdivide", {{"levels", "2"}, {"crease", "60"}, {"sharpness", "10"}})
                           .mesh();
  CHECK(volume(creased) == Approx(1).epsilon(1e-4));
  CHECK(isClosed(creased));
  CHECK(creased.uvs.size() == creased.positions.size());
}

TEST_CASE("Displacement moves a surface along its normals by what the pattern says", "[geometry][modifiers]") {
  const Mesh even =
      Shaped("object.sphere", {{"radius", "0.5"}})
          .with("modifier.displace", {{"height", "1"}, {"middle", "0"}, {"depth", "0.1"}, {"facet", "0.05"}})
          .mesh();
  CHECK(isClosed(even));
  CHECK(volume(even) == Approx(4 * pi64 / 3 * 0.216).epsilon(3e-3));
  Set s;
  s.add("pattern.noise", "Hills", {});
  const NodeId ball = s.add("object.sphere", "Ball", {});
  s.add("modifier.displace", "Rough", {{"height", "pattern Hills"}, {"depth", "0.2"}, {"facet", "0.03"}},
        {ball, "modifiers", size_t(-1)});
  const Document doc = s.take();
  const TestAssets none;
  const Form f = formOf(*doc.find(ball), {doc, 1, none});
  CHECK(isClosed(f.shape.mesh));
  float least = 9, most = 0;
  for (const V3f& p : f.shape.mesh.positions) {
    least = std::min(least, length(p));
    most = std::max(most, length(p));
  }
  CHECK(least > 0.39f);
  CHECK(most < 0.61f);
  CHECK(most - least > 0.05f);
  // Another pattern is another form.
  const Document other = setValue(doc, doc.findByName("Hills")->id, "scale", Constant(0.7));
  CHECK(formKey(doc, *doc.find(ball), 1).hash != formKey(other, *other.find(ball), 1).hash);
}

TEST_CASE("A regular body with round edges is a smaller one with a ball run over it", "[geometry][modifiers][round]") {
  // Steiner 1840: the volume and area of all within r of a body, here of the body that all sides are r further in.
  for (const char* body : {"tetrahedron", "cube", "octahedron", "dodecahedron", "icosahedron"}) {
    CAPTURE(body);
    Shaped sharp("object.polyhedron", {{"form", body}, {"radius", "0.1"}});
    const Mesh before = sharp.mesh();
    const Mesh m = sharp.with("modifier.round", {{"radius", "8mm"}, {"steps", "12"}}).mesh();
    const Welded w = weld(before);
    double in = 0, bent = 0;
    for (uint32_t i = 0; i < w.triangles.size(); ++i) in = double(dot(normalOf(w, i), w.positions[w.triangles[i].a]));
    for (const MeshEdge& e : edgesOf(w))
      bent += double(length(w.positions[e.b] - w.positions[e.a])) *
              std::acos(std::clamp(double(dot(normalOf(w, e.left), normalOf(w, e.right))), -1.0, 1.0));
    const double r = 0.008, k = (in - r) / in;
    CHECK(isClosed(m));
    CHECK(eulerCharacteristic(m) == 2);
    CHECK(volume(m) == Approx(k * k * k * volume(before) + k * k * area(before) * r + k * bent / 2 * r * r +
                              4 * pi64 / 3 * r * r * r)
                           .epsilon(1e-3));
    CHECK(area(m) == Approx(k * k * area(before) + k * bent * r + 4 * pi64 * r * r).epsilon(2e-3));
    CHECK(worstNormal(m) > 0.98);
  }
}

TEST_CASE("A rim, a step and an inner edge become round, and the flat sides stay where they were",
          "[geometry][modifiers][round]") {
  const double r = 0.02;
  // A disc's rim: Pappus's rule for what is taken off.
  const Mesh coin = Shaped("object.cylinder", {{"radius", "0.3"}, {"height", "0.1"}, {"segments", "256"}})
                        .with("modifier.round", {{"radius", "2cm"}, {"steps", "10"}})
                        .mesh();
  CHECK(isClosed(coin));
  const double off = r * r * (1 - pi64 / 4), centre = 0.3 - r + r * (0.5 - 1.0 / 3) / (1 - pi64 / 4);
  CHECK(volume(coin) == Approx(pi64 * 0.09 * 0.1 - 2 * off * 2 * pi64 * centre).epsilon(1e-3));
  CHECK(worstNormal(coin) > 0.98);
  Box3f box;
  for (const V3f& p : coin.positions) box.extendBy(p);
  CHECK(box.size().y == Approx(0.1));
  CHECK(box.size().x == Approx(0.6));
  // An angle bar: along its inner edge is put on what is taken off along an outer one.
  for (const char* edges : {"outer", "inner", "both"}) {
    CAPTURE(edges);
    Set s;
    const NodeId bar = s.add("object.box", "Bar", {{"width", "0.4"}, {"height", "0.4"}, {"depth", "2"}});
    s.add("object.box", "Tool", {{"width", "0.4"}, {"height", "0.4"}, {"depth", "3"}, {"position", "0.2, 0.2, 0"}});
    s.add("modifier.join", "Cut", {{"how", "cut away"}, {"other", "Tool"}}, {bar, "modifiers", size_t(-1)});
    const TestAssets none;
    Document doc = s.peek();
    Form plain = formOf(*doc.find(bar), {doc, 1, none});
    const double before = volume(plain.shape.mesh);
    s.add("modifier.round", "Round", {{"radius", "2cm"}, {"steps", "8"}, {"edges", edges}},
          {bar, "modifiers", size_t(-1)});
    doc = s.peek();
    std::vector<std::string> warnings;
    Form form = formOf(*doc.find(bar), {doc, 1, none, nullptr, &warnings});
    CHECK(warnings.empty());
    const Mesh& m = form.shape.mesh;
    CHECK(isClosed(m));
    CHECK(eulerCharacteristic(m) == 2);
    CHECK(worstNormal(m) > 0.9);
    const std::string which = edges;
    // Twelve outer edges of 0.4 or 0.2 at each end and five lengths of 2; corners aside, which are less than a
    // hundredth of it.
    const double outer = off * (5 * 2 + 2 * (0.4 + 0.4 + 4 * 0.2)), inner = off * 2;
    const double wanted = which == "outer" ? -outer : which == "inner" ? inner : inner - outer;
    CHECK(volume(m) - before == Approx(wanted).epsilon(0.03));
  }
}

TEST_CASE("A round that ends at a flat side is cut off by it", "[geometry][modifiers][round]") {
  // A pillar on a plate: its upright edges end where it stands.
  Set s;
  const NodeId plate = s.add("object.box", "Plate", {{"width", "0.4"}, {"height", "0.05"}, {"depth", "0.4"}});
  s.add("object.box", "Pillar", {{"width", "0.1"}, {"height", "0.3"}, {"depth", "0.1"}, {"position", "0, 0.14, 0"}});
  s.add("modifier.join", "Join", {{"how", "union"}, {"other", "Pillar"}}, {plate, "modifiers", size_t(-1)});
  s.add("modifier.round", "Round", {{"radius", "1cm"}, {"steps", "12"}}, {plate, "modifiers", size_t(-1)});
  const TestAssets none;
  std::vector<std::string> warnings;
  const Form form = formOf(*s.peek().find(plate), {s.peek(), 1, none, nullptr, &warnings});
  const Mesh& m = form.shape.mesh;
  CHECK(warnings.empty());
  CHECK(isClosed(m));
  CHECK(eulerCharacteristic(m) == 2);
  CHECK(worstNormal(m) > 0.98);
  // A box with round edges, less what eight of its corners and edges lose; the pillar loses its four upright edges up
  // to its head, whose four edges and corners are round too.
  const double r = 0.01, off = r * r * (1 - pi64 / 4), ball = r * r * r * (8 - 4 * pi64 / 3) / 8;
  const auto corners = [&](double a, double b, double c) { return 4 * off * (a + b + c - 6 * r) + 8 * ball; };
  const double head = 4 * off * (0.1 - 2 * r) + 4 * ball, upright = 4 * off * (0.265 - r);
  CHECK(volume(m) ==
        Approx(0.4 * 0.4 * 0.05 + 0.1 * 0.1 * 0.265 - corners(0.4, 0.05, 0.4) - head - upright).epsilon(1e-4));
}

TEST_CASE("Where there is no room the round is narrower, and that is told", "[geometry][modifiers][round]") {
  Shaped s("object.box", {{"width", "1"}, {"height", "0.02"}, {"depth", "1"}});
  s.with("modifier.round", {{"radius", "5cm"}});
  const Document& doc = s.set.peek();
  const TestAssets none;
  std::vector<std::string> warnings;
  Form form = formOf(*doc.find(s.object), {doc, 1, none, nullptr, &warnings});
  CHECK(isClosed(form.shape.mesh));
  CHECK(volume(form.shape.mesh) > 0.017);
  CHECK(volume(form.shape.mesh) < 0.02);
  REQUIRE(warnings.size() == 1);
  CHECK(warnings[0] == "Change.radius: 8 of 8 corners have no room for it and are rounded less");
  CHECK(refusal([&] { Shaped("object.torus", {}).with("modifier.round", {}).mesh(); }) ==
        "Change.edges: the object has no such edges that turn by 30° or more");
}

TEST_CASE("A corner that no ball touches on all sides stays, and nothing folds over", "[geometry][modifiers][round]") {
  // Cut through corners, where two of its sides meet a steep and a shallow edge each.
  Shaped s("object.polyhedron", {{"form", "icosidodecahedron"}});
  s.with("modifier.cap", {}).with("modifier.round", {{"radius", "3cm"}});
  const Document& doc = s.set.peek();
  const TestAssets none;
  std::vector<std::string> warnings;
  const Form form = formOf(*doc.find(s.object), {doc, 1, none, nullptr, &warnings});
  CHECK(isClosed(form.shape.mesh));
  CHECK(eulerCharacteristic(form.shape.mesh) == 2);
  CHECK(worstNormal(form.shape.mesh) > 0.3);
  CHECK(crossingFaces(weld(form.shape.mesh)).empty());
  REQUIRE(warnings.size() == 1);
  CHECK(warnings[0].find("have no room for it") != std::string::npos);
}

TEST_CASE("An open sheet keeps its rim, and a picture on a body its place, when edges are made round",
          "[geometry][modifiers][round]") {
  const Mesh pipe = Shaped("object.polyhedron", {{"form", "cube"}, {"radius", "0.1"}})
                        .with("modifier.cap", {{"closed", "off"}})
                        .with("modifier.round", {{"radius", "1cm"}})
                        .mesh();
  CHECK_FALSE(isClosed(pipe));
  for (const MeshEdge& e : edgesOf(weld(pipe)))
    if (e.open()) CHECK(std::abs(weld(pipe).positions[e.a].z) < 1e-5f);
  const Mesh plain = Shaped("object.box", {{"width", "1"}, {"height", "1"}, {"depth", "1"}}).mesh(),
             round = Shaped("object.box", {}).with("modifier.round", {{"radius", "5cm"}}).mesh();
  // On the flat of a side, texture coordinates are those of the sharp box.
  size_t checked = 0;
  for (size_t i = 0; i < round.positions.size(); ++i) {
    const V3f p = round.positions[i], n = round.normals[i];
    for (const auto& t : plain.triangles) {
      const V3f a = plain.positions[t.a], e1 = plain.positions[t.b] - a, e2 = plain.positions[t.c] - a,
                m = cross(e1, e2);
      if (dot(normalize(m), n) < 0.9999f || std::abs(dot(normalize(m), p - a)) > 1e-5f) continue;
      const float u = dot(cross(p - a, e2), m) / dot(m, m), v = dot(cross(e1, p - a), m) / dot(m, m);
      if (u < -1e-4f || v < -1e-4f || u + v > 1.0001f) continue;
      const V2f wanted = plain.uvs[t.a] + (plain.uvs[t.b] - plain.uvs[t.a]) * u + (plain.uvs[t.c] - plain.uvs[t.a]) * v;
      CHECK((round.uvs[i] - wanted).length() < 1e-4f);
      ++checked;
      break;
    }
  }
  CHECK(checked >= 24);
}

TEST_CASE("A repeat of which nothing is said stands in a row, each copy clear of the next",
          "[geometry][modifiers][repeat]") {
  const Form row = Shaped("object.box", {{"width", "0.2"}}).with("modifier.repeat", {{"count", "3"}}).form();
  REQUIRE(row.copies.size() == 3);
  for (size_t i = 0; i < 3; ++i) {
    const V3f at = transformPoint(row.copies[i], V3f(0.0f));
    CHECK(at.x == Approx(0.25 * double(i)).margin(1e-6));
    CHECK(at.y == Approx(0).margin(1e-6));
    CHECK(at.z == Approx(0).margin(1e-6));
  }
  const Form grid =
      Shaped("object.sphere", {{"radius", "0.1"}})
          .with("modifier.repeat", {{"arrangement", "grid"}, {"count", "2"}, {"count_y", "2"}, {"count_z", "2"}})
          .form();
  REQUIRE(grid.copies.size() == 8);
  CHECK(transformPoint(grid.copies[7], V3f(0.0f)).z == Approx(0.25).epsilon(1e-3));
}
