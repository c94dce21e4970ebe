#include "core/geometry/form.h"
#include "core/geometry/mesh_tools.h"
#include "core/placing/select.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

TEST_CASE("Things are selected by what they wear and by which lights shine on them", "[session][select]") {
  Set s;
  s.add("material.surface", "Brass", {});
  s.add("material.surface", "Slate", {});
  s.add("material.layer", "Worn", {{"below", "Brass"}, {"above", "Slate"}});
  const NodeId a = s.add("object.box", "A", {{"material", "Brass"}}),
               b = s.add("object.box", "B", {{"material", "Slate"}}),
               c = s.add("object.box", "C", {{"material", "Worn"}});
  const NodeId lamp = s.add("light.point", "Lamp", {{"links", "only these"}, {"linked", "A"}}),
               sun = s.add("light.sun", "Sun", {{"links", "all but these"}, {"linked", "A"}});
  const Document doc = s.take();
  CHECK(wearersOf(doc, {a}) == std::vector<NodeId>{a, c});
  CHECK(wearersOf(doc, {doc.findByName("Slate")->id}) == std::vector<NodeId>{b, c});
  CHECK(linkedBy(doc, {lamp}) == std::vector<NodeId>{a});
  CHECK(linkedBy(doc, {sun}) == std::vector<NodeId>{b, c});
  CHECK(linkedBy(doc, {a}) == std::vector<NodeId>{lamp});
  CHECK(linkedBy(doc, {b}) == std::vector<NodeId>{sun});
}

TEST_CASE("A form is taken apart into its pieces, which together are what it was", "[session][select][modifiers]") {
  Set s;
  const NodeId ball = s.add("object.sphere", "Ball", {{"radius", "0.5"}});
  s.add("modifier.burst", "Break", {{"pieces", "6"}, {"push", "0"}, {"gap", "0"}}, {ball, "modifiers"});
  s.add("light.point", "Rider", {}, {ball, "carries"});
  const Document doc = s.take();
  const TestAssets none;
  Form whole = formOf(*doc.find(ball), {doc, 1, none});
  std::vector<NodeId> made;
  const Document apart = takenApart(doc, ball, none, &made);
  CHECK(problems(apart).empty());
  REQUIRE(made.size() == piecesBySize(whole.shape.mesh).size());
  REQUIRE(made.size() > 3);
  double sum = 0, last = 1e9;
  for (const NodeId id : made) {
    const double v = volume(formOf(*apart.find(id), {apart, 1, none}).shape.mesh);
    CHECK(v > 0);
    sum += v;
    last = std::min(last, v);
  }
  CHECK(sum == Approx(volume(whole.shape.mesh)).epsilon(1e-4));
  CHECK(apart.family("light").size() == 1);
  const std::string why = refusal([&] { takenApart(apart, made[0], none); });
  CHECK(why.find("is one piece") != std::string::npos);
}

TEST_CASE("What a cut brought to light becomes an object of its own material", "[session][select][modifiers]") {
  Set s;
  s.add("material.surface", "Rind", {});
  s.add("material.surface", "Flesh", {});
  const NodeId ball = s.add("object.sphere", "Fruit", {{"radius", "0.5"}, {"material", "Rind"}});
  const Document plain = s.peek();
  CHECK(refusal([&] { takenApartByMaterial(plain, ball); }).find("Fruit has one material alone") == 0);
  s.add("modifier.cap", "Cut", {{"inside_material", "Flesh"}}, {ball, "modifiers"});
  const Document doc = s.take();
  const TestAssets none;
  std::vector<NodeId> made;
  const Document apart = takenApartByMaterial(doc, ball, &made);
  CHECK(problems(apart).empty());
  REQUIRE(made.size() == 2);
  const Mesh whole = formOf(*doc.find(ball), {doc, 1, none}).shape.mesh,
             out = formOf(*apart.find(made[0]), {apart, 1, none}).shape.mesh,
             in = formOf(*apart.find(made[1]), {apart, 1, none}).shape.mesh;
  CHECK(out.triangles.size() + in.triangles.size() == whole.triangles.size());
  CHECK(in.triangles.size() > 8);
  for (const V3f& p : in.positions) CHECK(std::abs(p.z) < 1e-5f);
  CHECK(Params(*apart.find(made[1]), 1).reference("material").target == doc.findByName("Flesh")->id);
  CHECK(apart.find(made[1])->name == "Fruit cut faces");
}
