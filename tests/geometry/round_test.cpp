// Edges that are made round.
#include "core/compile/compile.h"
#include "core/document/edit.h"
#include "core/geometry/solids.h"
#include "tests/geometry/modified.h"

using namespace ilumbra;
using namespace ilumbra::test;

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
