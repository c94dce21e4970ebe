// Paint and second coordinates stay on what modifiers make of a mesh.
#include "core/geometry/model.h"
#include "tests/geometry/modified.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// A box of a metre, painted by where it is.
struct PaintedBox : TestAssets {
  std::shared_ptr<const Model> model(const std::string&) const override {
    const Mesh box = Shaped("object.box", {{"width", "1"}, {"height", "1"}, {"depth", "1"}}).mesh();
    Model m;
    m.unit = 1;
    m.parts.emplace_back();
    m.parts[0].name = "Box";
    m.parts[0].mesh = box;
    for (const V3f& p : box.positions) {
      m.parts[0].mesh.colors.emplace_back(p.x + 0.5f, p.y + 0.5f, p.z + 0.5f, 1.0f);
      m.parts[0].mesh.uvs2.emplace_back(p.x, p.y);
    }
    return std::make_shared<const Model>(std::move(m));
  }
};

} // namespace

TEST_CASE("What is painted on a mesh stays on what modifiers make of it", "[geometry][painted]") {
  const PaintedBox assets;
  struct Case {
    const char* kind;
    Values values;
    float off; // metres that a vertex may be away from the place whose colour it has
  };
  for (const Case& c :
       {Case{"modifier.subdivide", {{"levels", "3"}, {"crease", "30"}, {"sharpness", "10"}}, 1e-3f},
        Case{"modifier.subdivide", {{"levels", "2"}}, 0.25f}, Case{"modifier.shell", {{"thickness", "0.05"}}, 0.0501f},
        Case{"modifier.round", {{"radius", "0.05"}}, 0.0501f},
        Case{"modifier.join", {{"how", "cut away"}, {"other", "Tool"}}, 0.36f},
        Case{"modifier.cap", {{"place", "0.2, 0, 0"}, {"normal", "1, 0, 0"}}, 0.36f}}) {
    CAPTURE(c.kind, c.off);
    Set s;
    s.set(s.add("object.sphere", "Tool", {{"radius", "0.3"}, {"position", "0.5, 0.5, 0.5"}}), {{"shown", "off"}});
    const NodeId box = s.add("object.mesh", "Box", {{"file", "box.glb"}, {"part", "Box"}});
    const Document& doc = s.peek();
    REQUIRE(formOf(*doc.find(box), {doc, 1, assets}).shape.mesh.colors.size() == 24);
    s.add(c.kind, "Change", c.values, {box, "modifiers", size_t(-1)});
    const Document& changed = s.peek();
    const Mesh m = formOf(*changed.find(box), {changed, 1, assets}).shape.mesh;
    REQUIRE(m.positions.size() > 24);
    REQUIRE(m.colors.size() == m.positions.size());
    REQUIRE(m.uvs2.size() == m.positions.size());
    float most = 0;
    for (size_t i = 0; i < m.positions.size(); ++i) {
      const V3f p = m.positions[i] + V3f(0.5f);
      for (int k = 0; k < 3; ++k) most = std::max(most, std::abs(m.colors[i][k] - p[k]));
      most = std::max({most, std::abs(m.uvs2[i].x - p.x + 0.5f), std::abs(m.uvs2[i].y - p.y + 0.5f)});
    }
    CHECK(most <= c.off);
  }
}

TEST_CASE("A fine mesh far inside a painted one takes its paint in no time to speak of", "[geometry][painted]") {
  Mesh ball = ballMesh(1, 256), core = ballMesh(0.02f, 128);
  for (const V3f& p : ball.positions) ball.colors.emplace_back(p.x, p.y, p.z, 1.0f);
  repaint(core, ball);
  REQUIRE(core.colors.size() == core.positions.size());
  // As seen from the middle, but for the facets.
  float most = 0;
  for (size_t i = 0; i < core.positions.size(); ++i)
    for (int k = 0; k < 3; ++k) most = std::max(most, std::abs(core.colors[i][k] - core.positions[i][k] / 0.02f));
  CHECK(most < 0.05f);
  // What has paint of its own keeps it.
  Mesh own = core;
  own.colors.assign(own.positions.size(), V4f(1.0f));
  repaint(own, ball);
  CHECK(own.colors.front() == V4f(1.0f));
}
