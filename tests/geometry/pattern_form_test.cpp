#include "core/geometry/form.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

double volume(const Mesh& m) {
  double sum = 0;
  for (const auto& t : m.triangles) sum += double(dot(m.positions[t.a], cross(m.positions[t.b], m.positions[t.c]))) / 6;
  return sum;
}

Shape built(const Document& doc, const char* name, std::vector<std::string>* warnings = nullptr) {
  static const TestAssets none;
  const Node& n = *doc.findByName(name);
  BuildFrom from{doc, 1, none};
  from.warnings = warnings;
  return shapeKind(n)->build(Params(n, 1), from);
}

Set ball(const char* fineness) {
  Set s;
  const NodeId solid = s.add("pattern.solid", "Solid", {{"width", "0.2"}});
  s.add("solid.part", "Ball", {{"form", "ball"}, {"radius", "0.4"}}, {solid, "parts"});
  s.add("object.pattern_form", "Form", {{"amount", "pattern Solid"}, {"fineness", fineness}});
  return s;
}

} // namespace

TEST_CASE("A dense form has its skin on the cut-off at any fineness, and normals of the pattern", "[form][dense]") {
  for (const auto& [fineness, off] : {std::pair{"16", 0.03}, {"64", 0.002}}) {
    CAPTURE(fineness);
    const Shape s = built(ball(fineness).take(), "Form");
    REQUIRE(isClosed(s.mesh));
    CHECK(volume(s.mesh) == Approx(4.0 / 3 * 3.14159265 * 0.064).epsilon(off));
    for (size_t i = 0; i < s.mesh.positions.size(); ++i) {
      REQUIRE(length(s.mesh.positions[i]) == Approx(0.4).epsilon(2e-3)); // no steps of the grid are seen
      REQUIRE(dot(s.mesh.normals[i], normalize(s.mesh.positions[i])) > 0.999f);
    }
  }
}

TEST_CASE("Where its bounds cut it the skin is flat, with their normal, and that is told", "[form][dense]") {
  Set s = ball("64");
  s.set(s.find("Form"), {{"width", "0.5"}});
  std::vector<std::string> warnings;
  const Shape cut = built(s.peek(), "Form", &warnings);
  REQUIRE(isClosed(cut.mesh));
  REQUIRE(warnings.size() == 1);
  CHECK_THAT(warnings.front(), Catch::Contains("where its bounds cut it"));
  size_t flat = 0;
  for (size_t i = 0; i < cut.mesh.positions.size(); ++i) {
    CHECK(std::abs(cut.mesh.positions[i].x) < 0.2501f);
    if (std::abs(std::abs(cut.mesh.positions[i].x) - 0.25f) < 1e-4f && length(cut.mesh.positions[i]) < 0.38f) {
      CHECK(std::abs(cut.mesh.normals[i].x) > 0.999f);
      ++flat;
    }
  }
  CHECK(flat > 200);
  // Two caps less: π h² (3 r - h) / 3 each, and its own ends.
  const double h = 0.15, cap = 3.14159265 * h * h * (1.2 - h) / 3;
  CHECK(volume(cut.mesh) == Approx(4.0 / 3 * 3.14159265 * 0.064 - 2 * cap).epsilon(0.01));
  // In a ball it ends round.
  s.set(s.find("Form"), {{"bounds", "ball"}, {"width", "0.6"}});
  for (const V3f& p : built(s.peek(), "Form").mesh.positions) CHECK(length(p) == Approx(0.3).epsilon(5e-3));
}

TEST_CASE("A pattern that nowhere reaches the cut-off is refused by name", "[form][dense]") {
  Set s = ball("32");
  s.set(s.find("Form"), {{"cut_off", "2"}});
  CHECK(refusal([&] { built(s.peek(), "Form"); }) == "Form.cut_off: the pattern nowhere reaches 2 within the bounds");
  // Without a pattern it is all of its bounds.
  s.set(s.find("Form"), {{"cut_off", "0.5"}, {"amount", "1"}});
  CHECK(volume(built(s.peek(), "Form").mesh) == Approx(1).epsilon(1e-3));
}

TEST_CASE("Blobs pushed out by noise, combs and shells are closed bodies", "[form][dense]") {
  for (const char* kind : {"blob", "comb", "shell"}) {
    CAPTURE(kind);
    Set s = ball("80");
    if (kind == std::string("blob")) {
      s.add("pattern.noise", "Bumps", {{"scale", "0.25"}, {"family", "puffed"}});
      s.add("pattern.mix", "Pushed",
            {{"mode", "add"}, {"below", "pattern Solid"}, {"above", "pattern Bumps"}, {"mask", "0.4"}});
      s.set(s.find("Form"), {{"amount", "pattern Pushed"}, {"cut_off", "0.6"}});
    } else if (kind == std::string("comb")) {
      s.add("pattern.comb", "Cells", {{"cell", "0.2"}, {"wall", "0.05"}, {"width", "0.04"}});
      s.add("pattern.mix", "Both", {{"mode", "darker"}, {"below", "pattern Solid"}, {"above", "pattern Cells"}});
      s.set(s.find("Form"), {{"amount", "pattern Both"}});
    } else {
      s.set(s.find("Ball"), {{"form", "shell"}, {"wall", "0.06"}});
    }
    const Shape f = built(s.peek(), "Form");
    CHECK(isClosed(f.mesh));
    CHECK(volume(f.mesh) > 0.02);
    validate(f.mesh, "Form");
  }
}
