// Each shape by its closed form: closed, turned outwards, with its volume.
#include "core/geometry/form.h"
#include "core/geometry/mesh_tools.h"
#include "tests/support/scene.h"

#include <set>
#include <tuple>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

constexpr double pi64 = 3.14159265358979323846;
using Values = std::initializer_list<std::pair<const char*, const char*>>;

Mesh meshFor(const char* kind, Values values = {}) {
  Set s;
  const NodeId id = s.add(kind, "Thing", values);
  const Document doc = s.take();
  const TestAssets none;
  Form f = formOf(*doc.find(id), {doc, 1, none});
  return std::move(meshOf(f));
}

std::string refused(const char* kind, Values values) {
  return refusal([&] { meshFor(kind, values); });
}

void checkBody(const Mesh& m, double wanted, int euler, double tolerance = 2e-3) {
  CHECK(isClosed(m));
  CHECK(volume(m) == Approx(wanted).epsilon(tolerance));
  CHECK(eulerCharacteristic(m) == euler);
  CHECK(refusal([&] { validate(m, "it"); }).empty());
  size_t against = 0;
  for (const auto& t : m.triangles) {
    const V3f n = cross(m.positions[t.b] - m.positions[t.a], m.positions[t.c] - m.positions[t.a]);
    for (const uint32_t v : {t.a, t.b, t.c}) against += dot(n, m.normals[v]) < -1e-3f * length(n);
  }
  CHECK(against == 0);
}

// Flat faces, by their normals and distances.
size_t faces(const Mesh& m) {
  std::set<std::tuple<long, long, long, long>> all;
  for (const auto& t : m.triangles) {
    const V3f n = normalize(cross(m.positions[t.b] - m.positions[t.a], m.positions[t.c] - m.positions[t.a]));
    const float d = dot(n, m.positions[t.a]);
    all.insert({std::lround(n.x * 2000), std::lround(n.y * 2000), std::lround(n.z * 2000), std::lround(d * 1e5)});
  }
  return all.size();
}

} // namespace

TEST_CASE("A box with round edges has the volume of its core, slabs, rods and corners", "[geometry]") {
  const double w = 1, h = 0.6, d = 0.8, r = 0.1, a = w - 2 * r, b = h - 2 * r, c = d - 2 * r;
  checkBody(meshFor("object.box", {{"width", "1"}, {"height", "0.6"}, {"depth", "0.8"}, {"round", "0.1"}}),
            a * b * c + 2 * r * (a * b + b * c + c * a) + pi64 * r * r * (a + b + c) + 4 * pi64 / 3 * r * r * r, 2);
  checkBody(meshFor("object.box", {{"round", "0.5"}}), pi64 / 6, 2); // all round: a ball
  CHECK(refused("object.box", {{"round", "0.6"}}).find("Thing.round") == 0);
}

TEST_CASE("Rims of cylinders, cones and tubes can be round", "[geometry]") {
  const double R = 0.5, h = 1, r = 0.1;
  // Pappus: what a quarter of a circle leaves of the corner's square, turned about the axis.
  const double left = r * r * (1 - pi64 / 4);
  const double cut = 2 * pi64 * left * (R - r + r * (5.0 / 6 - pi64 / 4) / (1 - pi64 / 4));
  checkBody(meshFor("object.cylinder", {{"radius", "0.5"}, {"height", "1"}, {"round", "0.1"}}),
            pi64 * R * R * h - 2 * cut, 2);
  checkBody(meshFor("object.tube", {{"radius", "0.3"}, {"wall", "0.02"}, {"height", "1"}}), pi64 * (0.09 - 0.0784), 0);
  checkBody(meshFor("object.tube", {{"radius", "0.3"}, {"wall", "0.1"}, {"height", "1"}, {"round", "0.05"}}),
            2 * pi64 * 0.25 * (0.1 * 1 - 4 * 0.0025 * (1 - pi64 / 4)), 0);
  const Mesh cone = meshFor("object.cone", {{"top", "0.2"}, {"round", "0.05"}});
  CHECK(isClosed(cone));
  CHECK(volume(cone) < pi64 / 3 * (0.25 + 0.1 + 0.04));
  CHECK(volume(cone) > 0.95 * pi64 / 3 * (0.25 + 0.1 + 0.04));
  CHECK(refused("object.tube", {{"wall", "0.4"}}).find("Thing.wall") == 0);
  CHECK(refused("object.cylinder", {{"round", "0.6"}}).find("Thing.round") == 0);
}

TEST_CASE("A disc with a hole has the area of a ring", "[geometry]") {
  const Mesh m = meshFor("object.disc", {{"radius", "0.5"}, {"inner", "0.2"}});
  double area = 0;
  for (const auto& t : m.triangles)
    area += 0.5 * double(length(cross(m.positions[t.b] - m.positions[t.a], m.positions[t.c] - m.positions[t.a])));
  CHECK(area == Approx(pi64 * (0.25 - 0.04)).epsilon(1e-3));
  for (const V3f& n : m.normals) CHECK(n.y == 1);
  CHECK(refused("object.disc", {{"inner", "0.5"}}).find("Thing.inner") == 0);
}

TEST_CASE("A knotted ring is one tube of its line's length, and closes", "[geometry]") {
  for (const auto& [turns, windings] : {std::pair(2, 3), std::pair(3, 4), std::pair(1, 5)}) {
    const Mesh m = meshFor(
        "object.knot",
        {{"turns", std::to_string(turns).c_str()}, {"windings", std::to_string(windings).c_str()}, {"tube", "0.02"}});
    double length = 0;
    constexpr int n = 20000;
    const auto at = [&, tu = turns, wi = windings](int i) {
      const double t = 2 * pi64 * i / n, r = 0.4 + 0.16 * std::cos(wi * t);
      return Imath::V3d(r * std::cos(tu * t), 0.16 * std::sin(wi * t), r * std::sin(tu * t));
    };
    for (int i = 0; i < n; ++i) length += (at(i + 1) - at(i)).length();
    checkBody(m, pi64 * 0.0004 * length, 0);
  }
  CHECK(refused("object.knot", {{"turns", "2"}, {"windings", "4"}}).find("Thing.windings") == 0);
}

TEST_CASE("Polyhedra have the volume and the faces that their names say", "[geometry]") {
  struct Body {
    const char* name;
    double edge;   // of one whose corners are at distance 1
    double volume; // of one with edge 1
    size_t faces;
  };
  const double s5 = std::sqrt(5.0), s2 = std::sqrt(2.0);
  const Body all[] = {{"tetrahedron", std::sqrt(8.0 / 3), s2 / 12, 4},
                      {"cube", 2 / std::sqrt(3.0), 1, 6},
                      {"octahedron", s2, s2 / 3, 8},
                      {"dodecahedron", 4 / (std::sqrt(3.0) * (1 + s5)), (15 + 7 * s5) / 4, 12},
                      {"icosahedron", 1 / std::sin(2 * pi64 / 5), 5 * (3 + s5) / 12, 20},
                      {"cuboctahedron", 1, 5 * s2 / 3, 14},
                      {"icosidodecahedron", 2 / (1 + s5), (45 + 17 * s5) / 6, 32},
                      {"truncated octahedron", std::sqrt(0.4), 8 * s2, 14},
                      {"truncated icosahedron", 4 / std::sqrt(58 + 18 * s5), (125 + 43 * s5) / 4, 32},
                      {"rhombic dodecahedron", std::sqrt(3.0) / 2, 16 * std::sqrt(3.0) / 9, 12}};
  for (const Body& b : all) {
    CAPTURE(b.name);
    const Mesh m = meshFor("object.polyhedron", {{"form", b.name}, {"radius", "1"}});
    checkBody(m, b.volume * b.edge * b.edge * b.edge, 2, 1e-4);
    CHECK(faces(m) == b.faces);
  }
}

TEST_CASE("Cut gems are closed and have the facets of their cut", "[geometry]") {
  const Mesh brilliant = meshFor("object.gem");
  CHECK(isClosed(brilliant));
  CHECK(eulerCharacteristic(brilliant) == 2);
  CHECK(volume(brilliant) > 0);
  // Table, 8 stars, 8 kites, 16 halves, 16 of the girdle, 16 lower halves, 8 mains.
  CHECK(faces(brilliant) == 73);
  // Its height: crown and pavilion by their angles, and the girdle.
  Box3f box;
  for (const V3f& p : brilliant.positions) box.extendBy(p);
  CHECK(
      box.size().y ==
      Approx(0.1 * 0.44 * std::tan(34.5 * pi64 / 180) + 2 * 0.003 + 0.1 * std::tan(40.75 * pi64 / 180)).epsilon(1e-3));
  for (const char* cut : {"step", "rose"}) {
    const Mesh m = meshFor("object.gem", {{"cut", cut}});
    CAPTURE(cut);
    CHECK(isClosed(m));
    CHECK(eulerCharacteristic(m) == 2);
    CHECK(volume(m) > 0);
    CHECK(faces(m) > 20);
  }
  for (const char* folds : {"5", "12"}) CHECK(isClosed(meshFor("object.gem", {{"folds", folds}})));
}

TEST_CASE("A lens is two caps and a rim, bulging or hollow", "[geometry]") {
  const auto cap = [](double r, double half) {
    const double h = r - std::sqrt(r * r - half * half);
    return pi64 * h * h * (3 * r - h) / 3;
  };
  const auto sag = [](double r, double half) { return r - std::sqrt(r * r - half * half); };
  const double half = 0.15, a = sag(0.4, half), b = sag(0.25, half);
  checkBody(meshFor("object.lens", {{"radius", "0.4"}, {"lower", "0.25"}, {"thickness", "0.12"}, {"aperture", "0.3"}}),
            cap(0.4, half) + cap(0.25, half) + pi64 * half * half * (0.12 - a - b), 2);
  checkBody(meshFor("object.lens", {{"radius", "0.4"}, {"lower", "-0.25"}, {"thickness", "0.12"}, {"aperture", "0.3"}}),
            cap(0.4, half) - cap(0.25, half) + pi64 * half * half * (0.12 - a + b), 2);
  checkBody(meshFor("object.lens", {{"radius", "0"}, {"lower", "0"}}), pi64 * half * half * 0.08, 2);
  CHECK(refused("object.lens", {{"radius", "0.1"}, {"aperture", "0.3"}}).find("Thing.radius") == 0);
  CHECK(
      refused("object.lens", {{"radius", "0.16"}, {"lower", "0.16"}, {"thickness", "0.02"}}).find("Thing.thickness") ==
      0);
}

TEST_CASE("A lens' normals point to the centres of its faces", "[geometry]") {
  const Mesh m =
      meshFor("object.lens", {{"radius", "0.4"}, {"lower", "0.4"}, {"thickness", "0.08"}, {"aperture", "0.3"}});
  size_t checked = 0;
  for (size_t i = 0; i < m.positions.size(); ++i) {
    const V3f &p = m.positions[i], &n = m.normals[i];
    if (std::abs(n.y) < 0.5f || p.x * p.x + p.z * p.z > 0.14f * 0.14f) continue;
    const V3f centre(0, n.y > 0 ? 0.04f - 0.4f : -0.04f + 0.4f, 0);
    CHECK(dot(normalize(p - centre), n) > 0.99999f);
    ++checked;
  }
  CHECK(checked > 100);
}

TEST_CASE("A prism has the apex angle that it states", "[geometry]") {
  for (const double apex : {45.0, 60.0, 90.0}) {
    const double a = apex * pi64 / 180, base = 2 * 0.2 * std::sin(a), height = 0.2 + 0.2 * std::cos(a);
    const Mesh m =
        meshFor("object.prism", {{"radius", "0.2"}, {"apex", std::to_string(apex).c_str()}, {"length", "0.6"}});
    checkBody(m, base * height / 2 * 0.6, 2, 1e-5);
    CHECK(2 * std::atan(base / 2 / height) == Approx(a));
    CHECK(faces(m) == 5);
  }
  checkBody(meshFor("object.prism", {{"sides", "6"}, {"radius", "0.2"}, {"length", "0.6"}}),
            3 * std::sqrt(3.0) / 2 * 0.04 * 0.6, 2, 1e-5);
}

TEST_CASE("A turned form is massive, or has a wall of one thickness", "[geometry]") {
  for (const char* look : {"bulb", "bowl", "bottle", "goblet", "vase", "spindle"}) {
    CAPTURE(look);
    const Mesh massive = meshFor("object.turned", {{"look", look}, {"wall", "0"}, {"ends", "closed"}});
    CHECK(isClosed(massive));
    CHECK(eulerCharacteristic(massive) == 2);
    CHECK(volume(massive) > 0);
    double skin = 0; // of the open line, without lids
    const Mesh open = meshFor("object.turned", {{"look", look}, {"wall", "0"}});
    for (const auto& t : open.triangles)
      skin +=
          0.5 *
          double(length(cross(open.positions[t.b] - open.positions[t.a], open.positions[t.c] - open.positions[t.a])));
    const Mesh walled = meshFor("object.turned", {{"look", look}, {"wall", "0.002"}});
    CHECK(isClosed(walled));
    // The wall lies inside the line: a little less than skin times thickness.
    CHECK(volume(walled) < skin * 0.002);
    CHECK(volume(walled) > 0.9 * skin * 0.002);
  }
  // A bottle that is closed is two skins, one inside the other.
  CHECK(eulerCharacteristic(meshFor("object.turned", {{"look", "bottle"}, {"ends", "closed"}})) == 4);
  CHECK(eulerCharacteristic(meshFor("object.turned", {{"look", "bottle"}})) == 2);
  CHECK(eulerCharacteristic(meshFor("object.turned", {{"look", "bulb"}, {"ends", "open below"}})) == 2);
  CHECK(refused("object.turned", {{"wall", "2"}}).find("Thing.wall") == 0);
}

TEST_CASE("A turned form follows the points that are drawn for it", "[geometry]") {
  Set s;
  const NodeId id = s.add("object.turned", "Drum", {{"wall", "0"}});
  for (const auto& [r, h] : {std::pair("0.3", "0"), std::pair("0.3", "0.5"), std::pair("0", "0.5")})
    s.add("profile.point", "Corner", {{"radius", r}, {"height", h}, {"sharp", "on"}}, {id, "profile", size_t(-1)});
  const Document doc = s.take();
  const TestAssets none;
  const Form f = formOf(*doc.find(id), {doc, 1, none});
  checkBody(f.shape.mesh, pi64 * 0.09 * 0.5, 2);
}

TEST_CASE("A backdrop runs from floor to wall without an edge", "[geometry]") {
  const Mesh m = meshFor("object.backdrop", {{"width", "2"}, {"depth", "3"}, {"height", "2"}, {"bend", "0.5"}});
  double area = 0;
  for (const auto& t : m.triangles)
    area += 0.5 * double(length(cross(m.positions[t.b] - m.positions[t.a], m.positions[t.c] - m.positions[t.a])));
  CHECK(area == Approx(2 * (2.5 + 1.5 + pi64 / 4)).epsilon(1e-3));
  // Neighbouring strips share their normals at the seam.
  for (size_t i = 0; i < m.positions.size(); ++i)
    for (size_t k = i + 1; k < m.positions.size(); ++k)
      if (m.positions[i] == m.positions[k]) CHECK(dot(m.normals[i], m.normals[k]) > 0.9999f);
  CHECK(refused("object.backdrop", {{"bend", "5"}}).find("Thing.bend") == 0);
}

TEST_CASE("A path with a thickness is a wire with round ends", "[geometry]") {
  const Mesh m = meshFor("object.path", {{"thickness", "0.01"}});
  CHECK(isClosed(m));
  CHECK(eulerCharacteristic(m) == 2);
  CHECK(meshFor("object.path", {{"thickness", "0"}}).triangles.empty());
  Set s;
  const NodeId id = s.add("object.path", "Hoop", {{"thickness", "0.01"}, {"closed", "on"}, {"steps", "64"}});
  for (int i = 0; i < 8; ++i)
    s.add("path.point", "P",
          {{"place", (std::to_string(std::cos(i * pi64 / 4)) + ", " + std::to_string(0.3 * (i % 2)) + ", " +
                      std::to_string(std::sin(i * pi64 / 4)))
                         .c_str()}},
          {id, "points", size_t(-1)});
  const Document doc = s.take();
  const TestAssets none;
  const Form f = formOf(*doc.find(id), {doc, 1, none});
  CHECK(isClosed(f.shape.mesh));
  CHECK(eulerCharacteristic(f.shape.mesh) == 0);
  CHECK(volume(f.shape.mesh) > 0);
}

TEST_CASE("Facets follow the size: a bead has few, a hall's dome many, none is further off than a hair", "[geometry]") {
  for (const double r : {0.001, 0.05, 0.5, 5.0}) {
    const Mesh m = meshFor("object.cylinder", {{"radius", std::to_string(r).c_str()}});
    double off = 0;
    for (const auto& t : m.triangles)
      for (const auto& [a, b] : {std::pair(t.a, t.b), std::pair(t.b, t.c), std::pair(t.c, t.a)}) {
        const V3f &p = m.positions[a], &q = m.positions[b];
        if (p.y != q.y || std::hypot(p.x, p.z) < 0.99 * r || std::hypot(q.x, q.z) < 0.99 * r) continue;
        off = std::max(off, r - std::hypot((double(p.x) + double(q.x)) / 2, (double(p.z) + double(q.z)) / 2));
      }
    CHECK(off < std::max(2.1e-5, r / 24000));
    CHECK(off > 0);
  }
}

TEST_CASE("Text is a closed body of its outline's area times its depth, holes left open", "[geometry][text]") {
  // A letter with two holes, one with one, one in two pieces.
  const Mesh b = meshFor("object.text", {{"text", "B"}, {"bevel", "0"}, {"depth", "0.1"}}),
             o = meshFor("object.text", {{"text", "O"}, {"bevel", "0"}}),
             i = meshFor("object.text", {{"text", "i"}, {"bevel", "0"}});
  CHECK(eulerCharacteristic(b) == -2);
  CHECK(eulerCharacteristic(o) == 0);
  CHECK(eulerCharacteristic(i) == 4);
  for (const Mesh* m : {&b, &o, &i}) {
    CHECK(isClosed(*m));
    CHECK(volume(*m) > 0);
  }
  const Mesh deep = meshFor("object.text", {{"text", "B"}, {"bevel", "0"}, {"depth", "0.2"}});
  CHECK(volume(deep) == Approx(2 * volume(b)));
  const Mesh bevelled =
      meshFor("object.text", {{"text", "B"}, {"bevel", "0.005"}, {"back_bevel", "on"}, {"depth", "0.1"}});
  CHECK(isClosed(bevelled));
  CHECK(volume(bevelled) < volume(b));
  CHECK(volume(bevelled) > 0.8 * volume(b));
  CHECK(refused("object.text", {{"text", " "}}).find("Thing.text") == 0);
  CHECK(refused("object.text", {{"bevel", "0.05"}}).find("Thing.bevel") == 0);
}

TEST_CASE("Text is shaped: kerned, spaced, in lines, aligned, and in any script that the font has",
          "[geometry][text]") {
  const auto width = [](Values values) {
    Box3f box;
    for (const V3f& p : meshFor("object.text", values).positions) box.extendBy(p);
    return double(box.size().x);
  };
  CHECK(width({{"text", "AV"}, {"bevel", "0"}}) <
        width({{"text", "A"}, {"bevel", "0"}}) + width({{"text", "V"}, {"bevel", "0"}}));
  CHECK(width({{"text", "HH"}, {"tracking", "0.5"}, {"bevel", "0"}}) ==
        Approx(width({{"text", "HH"}, {"bevel", "0"}}) + 0.5 * 0.2).epsilon(1e-3));
  Box3f two, left;
  for (const V3f& p : meshFor("object.text", {{"text", "One\\nTwo"}}).positions) two.extendBy(p);
  for (const V3f& p : meshFor("object.text", {{"text", "One"}, {"align", "left"}}).positions) left.extendBy(p);
  CHECK(two.min.y < -0.2f);
  CHECK(left.min.x > -1e-3f);
  CHECK(std::abs(two.center().x) < 0.02f);
  CHECK(isClosed(meshFor("object.text", {{"text", "Ωρα ἡλίου"}, {"face", "EB Garamond"}, {"bevel", "0.001"}})));
}

TEST_CASE("Water fills its basin whatever the wind does, and its normals are those of its waves", "[geometry][water]") {
  for (const char* state : {"calm", "ripples", "light air", "breeze"}) {
    CAPTURE(state);
    const Mesh m = meshFor("object.water", {{"width", "1.5"}, {"length", "2"}, {"depth", "0.3"}, {"state", state}});
    CHECK(isClosed(m));
    CHECK(eulerCharacteristic(m) == 2);
    CHECK(volume(m) == Approx(1.5 * 2 * 0.3).epsilon(0.02));
    // Of the surface: the normals given against those of the facets around.
    double worst = 1;
    for (const auto& t : m.triangles) {
      // Walls aside, and the rim along them, where waves no longer move sideways.
      if (m.normals[t.a].y < 0.5f || std::abs(m.positions[t.a].x) > 0.6f || std::abs(m.positions[t.a].z) > 0.85f)
        continue;
      const V3f n = normalize(cross(m.positions[t.b] - m.positions[t.a], m.positions[t.c] - m.positions[t.a]));
      worst = std::min(worst, double(dot(n, normalize(m.normals[t.a] + m.normals[t.b] + m.normals[t.c]))));
    }
    CHECK(worst > 0.985);
  }
  const Mesh sheet = meshFor("object.water", {{"depth", "0"}});
  CHECK_FALSE(isClosed(sheet));
}

TEST_CASE("Waves run as fast as gravity has them, and rings start with their drop", "[geometry][water]") {
  Set s;
  const NodeId pool =
      s.add("object.water", "Pool",
            {{"width", "4"}, {"length", "4"}, {"depth", "0"}, {"choppiness", "0"}, {"resolution", "400"}});
  s.add("water.wave", "Swell", {{"height", "0.05"}, {"wavelength", "0.5"}, {"direction", "90"}}, {pool, "waves"});
  const Document doc = s.take();
  const TestAssets none;
  const auto heightAt = [&](const Document& d, double frame, float x, float z) {
    const Mesh m = formOf(*d.find(pool), {d, frame, none}).shape.mesh;
    float best = 1e9f, y = 0;
    for (const V3f& p : m.positions)
      if (const float r = std::hypot(p.x - x, p.z - z); r < best) {
        best = r;
        y = p.y;
      }
    return y;
  };
  // c = sqrt(g λ / 2π); a crest at x = 0 in frame 1 is at c t later.
  const double c = std::sqrt(9.81 * 0.5 / (2 * pi64)), seconds = 0.5;
  CHECK(heightAt(doc, 1, 0, 0) == Approx(0.05).epsilon(1e-3));
  CHECK(heightAt(doc, 1, 0.25f, 0) == Approx(-0.05).epsilon(1e-3));
  CHECK(heightAt(doc, 1 + 24 * seconds, float(std::lround(c * seconds * 100)) / 100, 0.3f) ==
        Approx(0.05).epsilon(0.02));
  CHECK(formKey(doc, *doc.find(pool), 1).changes);
  CHECK(isAnimated(*doc.find(pool)));

  Set r;
  const NodeId bowl =
      r.add("object.water", "Pool", {{"width", "4"}, {"length", "4"}, {"depth", "0"}, {"resolution", "400"}});
  r.add("water.ring", "Drop",
        {{"height", "0.02"},
         {"wavelength", "0.2"},
         {"fade", "0"},
         {"drops", "on"},
         {"begins", "25"},
         {"wave_speed", "1"}},
        {bowl, "waves"});
  const Document rings = r.take();
  const auto span = [&](double frame, float from, float to) {
    float most = 0;
    for (const V3f& p : formOf(*rings.find(bowl), {rings, frame, none}).shape.mesh.positions)
      if (const float d = std::hypot(p.x, p.z); d >= from && d < to) most = std::max(most, std::abs(p.y));
    return most;
  };
  CHECK(span(25, 0, 3) == 0);
  CHECK(span(25 + 24, 0, 0.7f) > 0.015f); // a second later it has come a metre
  CHECK(span(25 + 24, 1.01f, 3) == 0);
}
