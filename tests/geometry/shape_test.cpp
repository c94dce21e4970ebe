#include "core/geometry/form.h"
#include "core/geometry/mesh_tools.h"

#include "demo/pierced.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

constexpr double pi64 = 3.14159265358979323846;

Shape build(const char* kind, std::initializer_list<std::pair<const char*, const char*>> values = {}) {
  Set s;
  const NodeId id = s.add(kind, "Thing", values);
  const Document doc = s.take();
  const TestAssets none;
  return formOf(*doc.find(id), {doc, 1, none}).shape;
}

// Every normal points to the side to which its triangle turns.
bool normalsAgree(const Mesh& m) {
  for (const auto& t : m.triangles) {
    const V3f n = cross(m.positions[t.b] - m.positions[t.a], m.positions[t.c] - m.positions[t.a]);
    for (const uint32_t v : {t.a, t.b, t.c})
      if (dot(n, m.normals[v]) < -1e-6f * length(n)) return false;
  }
  return true;
}

} // namespace

TEST_CASE("A sphere is exact: no mesh, its own bounds and area", "[geometry]") {
  const Shape s = build("object.sphere", {{"radius", "0.7"}});
  CHECK(s.sphereRadius == 0.7f);
  CHECK(s.mesh.triangles.empty());
  CHECK(s.bounds().max.y == Approx(0.7));
  CHECK(s.area() == Approx(4 * pi64 * 0.49).epsilon(1e-6));
}

TEST_CASE("Boxes, tori, cylinders and cones are closed, turn outwards and have their volumes", "[geometry]") {
  const Shape box = build("object.box", {{"width", "1"}, {"height", "2"}, {"depth", "3"}});
  CHECK(isClosed(box.mesh));
  CHECK(volume(box.mesh) == Approx(6));
  CHECK(box.area() == Approx(22));
  const Shape torus =
      build("object.torus", {{"radius", "0.5"}, {"tube", "0.1"}, {"segments", "512"}, {"sides", "256"}});
  CHECK(isClosed(torus.mesh));
  CHECK(volume(torus.mesh) == Approx(2 * pi64 * pi64 * 0.5 * 0.01).epsilon(1e-3));
  CHECK(torus.area() == Approx(4 * pi64 * pi64 * 0.05).epsilon(1e-3));
  const Shape cylinder = build("object.cylinder", {{"radius", "0.5"}, {"height", "2"}, {"segments", "1024"}});
  CHECK(isClosed(cylinder.mesh));
  CHECK(volume(cylinder.mesh) == Approx(pi64 * 0.25 * 2).epsilon(1e-4));
  const Shape cone = build("object.cone", {{"radius", "0.6"}, {"top", "0.2"}, {"height", "1.5"}, {"segments", "1024"}});
  CHECK(isClosed(cone.mesh));
  CHECK(volume(cone.mesh) == Approx(pi64 * 1.5 / 3 * (0.36 + 0.12 + 0.04)).epsilon(1e-4));
  for (const Shape* s : {&box, &torus, &cylinder, &cone}) {
    CHECK(normalsAgree(s->mesh));
    CHECK(s->mesh.uvs.size() == s->mesh.positions.size());
    CHECK(refusal([&] { validate(s->mesh, "it"); }).empty());
  }
}

TEST_CASE("A pointed cone has no flat triangles, and open ends are told from closed ones", "[geometry]") {
  const Shape point = build("object.cone", {{"top", "0"}});
  CHECK(isClosed(point.mesh));
  for (const auto& t : point.mesh.triangles)
    REQUIRE(length(cross(point.mesh.positions[t.b] - point.mesh.positions[t.a],
                         point.mesh.positions[t.c] - point.mesh.positions[t.a])) > 0);
  CHECK_FALSE(isClosed(build("object.cylinder", {{"capped", "off"}}).mesh));
  CHECK_FALSE(isClosed(build("object.plane").mesh));
}

TEST_CASE("A plane looks up and has the size it states", "[geometry]") {
  const Shape p = build("object.plane", {{"width", "3"}, {"depth", "2"}});
  CHECK(p.area() == Approx(6));
  CHECK(normalsAgree(p.mesh));
  for (const V3f& n : p.mesh.normals) CHECK(n.y == 1);
}

TEST_CASE("A mesh with a wrong index or a vertex that is no number is refused by name", "[geometry]") {
  Mesh m;
  m.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
  m.triangles = {{0, 1, 3}};
  CHECK(refusal([&] { validate(m, "Shell"); }).find("Shell: triangle 1 names vertex") == 0);
  m.triangles = {{0, 1, 2}};
  m.positions[2].y = std::numeric_limits<float>::infinity();
  CHECK(refusal([&] { validate(m, "Shell"); }) == "Shell: vertex 3 is not finite");
  m.positions[2].y = 1;
  m.normals.assign(1, V3f(0, 0, 1));
  CHECK(refusal([&] { validate(m, "Shell"); }).find("normal") != std::string::npos);
}

TEST_CASE("The pierced shell is closed, whatever its holes", "[geometry][demo]") {
  for (const float star : {0.0f, 0.5f})
    for (const float stagger : {0.0f, 0.5f}) {
      PiercedShell s;
      s.profile = [](float v) {
        const float a = mix(-50.0f, 60.0f, v) * pi / 180;
        return V2f(0.2f * std::cos(a), 0.2f * std::sin(a));
      };
      s.rows = 4;
      s.columns = 10;
      s.star = star;
      s.stagger = stagger;
      s.size = [](int row, int column) { return row == 1 && column == 3 ? 0.0f : 1.0f; };
      const Mesh m = piercedShell(s);
      CAPTURE(star, stagger);
      CHECK(refusal([&] { validate(m, "Shade"); }).empty());
      // As places go, for cells meet cells in vertices of their own. Rounding keeps a few seams from matching to the
      // bit: the volume tells that it is whole and turns outwards.
      const double shell = volume(m);
      CHECK(shell > 0);
      CHECK(shell < 2 * pi64 * 0.04 * 1.7 * 0.002);
    }
}

TEST_CASE("Groups place what they hold, one inside the other", "[geometry]") {
  Set s;
  const NodeId outer = s.add("object.group", "Outer", {{"position", "1, 0, 0"}, {"turn", "0, 90, 0"}});
  const NodeId inner = s.add("object.group", "Inner", {{"position", "2, 0, 0"}, {"size", "2, 2, 2"}}, s.in(outer));
  const NodeId ball = s.add("object.sphere", "Ball", {{"position", "0, 1, 0"}}, s.in(inner));
  const Document doc = s.take();
  const V3f at = transformPoint(worldMatrix(doc, *doc.find(ball), 1), V3f(0.0f));
  CHECK(at.x == Approx(1).margin(1e-5));
  CHECK(at.y == Approx(2));
  CHECK(at.z == Approx(-2));
}

TEST_CASE("A mesh can be smoothed but for its sharp edges, and faceted", "[geometry]") {
  // Two triangles that meet at a right angle, and two that lie nearly flat.
  Mesh m;
  m.positions = {{0, 0, 0}, {1, 0, 0}, {0, 0, 1}, {0, 1, 0}, {1, -0.1f, 1}};
  m.triangles = {{0, 2, 1}, {0, 3, 2}, {1, 2, 4}};
  Mesh s = m;
  smooth(s);
  REQUIRE(s.triangles.size() == 3);
  REQUIRE(s.normals.size() == s.positions.size());
  const auto normal = [&](size_t t, int i) {
    const auto& k = s.triangles[t];
    return s.normals[i == 0 ? k.a : i == 1 ? k.b : k.c];
  };
  // Across the flat edge both sides have one normal, across the sharp one each its own.
  CHECK((normal(0, 1) - normal(2, 1)).length() < 1e-5f);
  CHECK(dot(normal(0, 0), normal(1, 0)) == Approx(0).margin(1e-5));
  for (const V3f& n : s.normals) CHECK(length(n) == Approx(1).epsilon(1e-4));
  facet(s);
  CHECK(s.normals.empty());
}
