#include "core/geometry/form.h"
#include "core/geometry/grid.h"
#include "core/geometry/health.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Mesh cube() {
  std::vector<Imath::V3d> corners;
  for (int i = 0; i < 8; ++i) corners.emplace_back(i & 1, i >> 1 & 1, i >> 2 & 1);
  return convexHull(corners);
}

Mesh without(const Mesh& m, std::initializer_list<size_t> triangles) {
  return part(m, [&](size_t i) { return std::find(triangles.begin(), triangles.end(), i) == triangles.end(); });
}

} // namespace

TEST_CASE("A closed body is well, and so is one with a hollow in it", "[geometry][health]") {
  CHECK(examine(cube()).well());
  CHECK(summary(examine(ballMesh(1, 24))) == "closed and well");
  Mesh hollow = ballMesh(1, 24), inner = ballMesh(0.5f, 24);
  flip(inner);
  append(hollow, inner);
  const MeshHealth h = examine(hollow);
  CHECK(h.well());
  CHECK(h.bodies == 2);
  // The inner one must look into the hollow.
  Mesh wrong = ballMesh(1, 24), outward = ballMesh(0.5f, 24);
  append(wrong, outward);
  CHECK(examine(wrong).flipped.size() == outward.triangles.size());
}

TEST_CASE("Holes, flipped, doubled, empty and crossing faces are found where they are", "[geometry][health]") {
  const Mesh open = without(cube(), {0, 5});
  const MeshHealth h = examine(open);
  CHECK(h.open.size() == 6);
  CHECK(h.holes >= 1);
  CHECK(h.flipped.empty());

  Mesh turned = cube();
  std::swap(turned.triangles[3].b, turned.triangles[3].c);
  CHECK(examine(turned).flipped.size() == 1);
  CHECK(examine(turned).open.empty());
  Mesh inverted = cube();
  flip(inverted);
  CHECK(examine(inverted).flipped.size() == 12);

  Mesh twice = cube();
  twice.triangles.push_back(twice.triangles[2]);
  CHECK(examine(twice).doubled.size() == 1);
  CHECK(examine(twice).open.empty());

  Mesh sliver = cube();
  const uint32_t v = sliver.triangles[0].a;
  sliver.triangles.push_back({v, v, sliver.triangles[0].b});
  CHECK(examine(sliver).empty.size() == 1);

  Mesh crossed = cube();
  Mesh other = cube();
  for (V3f& p : other.positions) p = p * 0.5f + V3f(0.75f, 0.25f, 0.25f);
  append(crossed, other);
  CHECK(examine(crossed).crossing.size() > 4);
  CHECK(examine(crossed, false).crossing.empty());
  // A sheet that is folded onto itself.
  Mesh folded;
  folded.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0.2f, 0.5f, 0}};
  folded.triangles = {{0, 1, 2}, {1, 0, 3}};
  CHECK(examine(folded).crossing.size() == 2);

  Mesh fin = cube();
  const auto t = fin.triangles[0];
  fin.positions.push_back({3, 3, 3});
  fin.triangles.push_back({t.a, t.b, uint32_t(fin.positions.size() - 1)});
  CHECK(examine(fin).crowded.size() == 1);
}

TEST_CASE("What is broken is mended into the body that it was", "[geometry][health]") {
  const double whole = volume(cube());
  Mesh m = without(cube(), {0, 5, 6});
  std::swap(m.triangles[2].b, m.triangles[2].c);
  m.triangles.push_back(m.triangles[4]);
  CHECK_FALSE(examine(m).well());
  const Mesh good = mended(m, {});
  CHECK(summary(examine(good)) == "closed and well");
  CHECK(volume(good) == Approx(whole));
  CHECK(eulerCharacteristic(good) == 2);
  Mesh inverted = ballMesh(1, 32);
  flip(inverted);
  const Mesh outward = mended(inverted, {});
  CHECK(volume(outward) == Approx(volume(ballMesh(1, 32))));
  REQUIRE(outward.normals.size() == outward.positions.size());
  for (const auto& t : outward.triangles) CHECK(dot(outward.normals[t.a], outward.positions[t.a]) > 0.9f);
  // Corners that miss each other by a hair.
  Mesh apart;
  for (const auto& t : cube().triangles) {
    const Mesh c = cube();
    const auto base = uint32_t(apart.positions.size());
    for (const uint32_t v : {t.a, t.b, t.c})
      apart.positions.push_back(c.positions[v] + V3f(1e-5f * float(base % 7), 0, 0));
    apart.triangles.push_back({base, base + 1, base + 2});
  }
  CHECK(examine(apart).open.size() > 12);
  CHECK(examine(mended(apart, {.merge = 1e-3f})).well());
  // A hole with more edges than is allowed stays.
  CHECK_FALSE(examine(mended(without(ballMesh(1, 32), {0, 1, 2, 3, 4, 5, 6, 7, 8, 9}), {.largestHole = 3})).well());
}

TEST_CASE("The mending modifier makes an open cup a body that glass can fill", "[geometry][health][modifiers]") {
  Set s(16, 9);
  const NodeId cup = s.add("object.disc", "Lid", {});
  s.add("modifier.mend", "Mend", {}, {cup, "modifiers"});
  const Document doc = s.take();
  const Form f = formOf(*doc.find(cup), {doc, 1, noAssets()});
  CHECK(isClosed(f.shape.mesh));
  CHECK(isClosed(
            formOf(*doc.find(cup), {setAt(doc, resolve(doc, "Mend.on"), Constant(false)), 1, noAssets()}).shape.mesh) ==
        false);
}
