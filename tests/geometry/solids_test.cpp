// Modifiers that join, cut and break bodies.
#include "core/compile/compile.h"
#include "core/document/edit.h"
#include "core/geometry/solids.h"
#include "tests/geometry/modified.h"

using namespace ilumbra;
using namespace ilumbra::test;

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
