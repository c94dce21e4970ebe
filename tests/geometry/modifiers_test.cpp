// Each modifier by what it must keep and what it must change.
#include "core/compile/compile.h"
#include "core/document/edit.h"
#include "core/geometry/solids.h"
#include "tests/geometry/modified.h"

using namespace ilumbra;
using namespace ilumbra::test;

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
