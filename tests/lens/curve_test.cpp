#include "core/document/drawn_curve.h"
#include "tests/support/lens.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document with(Document doc, const char* slot, std::initializer_list<std::pair<double, double>> points) {
  for (const auto& [at, value] : points) {
    const Node& stage = *doc.findByName("Stage");
    NodeId id = 0;
    doc = addNode(doc, stage.kind->slot(slot)->accepts.front(), "", {stage.id, slot}, &id);
    doc = setValue(setValue(doc, id, "at", Constant(at)), id, "value", Constant(value));
  }
  return doc;
}
DrawnCurve curve(const Document& doc, const char* slot) { return DrawnCurve(doc, *doc.findByName("Stage"), slot, 1); }

} // namespace

TEST_CASE("A curve runs through its points, whatever their order, and never past them", "[lens][curve]") {
  const Document doc =
      with(stageDocument("lens.mirror_copy"), "thinning", {{1, 0.1}, {0, 1}, {0.4, 0.3}, {0.6, 0.3}, {0.8, 0.9}});
  const DrawnCurve c = curve(doc, "thinning");
  for (const auto& [x, y] : {std::pair{0.0, 1.0}, {0.4, 0.3}, {0.6, 0.3}, {0.8, 0.9}, {1.0, 0.1}})
    CHECK(c.at(x) == Approx(y));
  double last = 1;
  for (int i = 0; i <= 1000; ++i) {
    const double x = i / 1000.0, y = c.at(x);
    CHECK(y >= 0.1 - 1e-12);
    CHECK(y <= 1 + 1e-12);
    if (x <= 0.4) CHECK(y <= last + 1e-12);
    if (x >= 0.4 && x <= 0.6) CHECK(y == Approx(0.3));
    last = y;
  }
  CHECK(c.at(-3) == 1);
  CHECK(c.at(3) == Approx(0.1));
}

TEST_CASE("Without points a curve changes nothing; a tone curve goes on beyond its ends", "[lens][curve]") {
  const Document copy = stageDocument("lens.mirror_copy"), grade = stageDocument("lens.grade");
  CHECK(curve(copy, "thinning").at(0.3) == 1);
  CHECK(curve(copy, "lean").at(0.3) == 0);
  CHECK(curve(grade, "red").at(-2.5) == -2.5);
  // One point of tone lifts everything by as much; of two at one place the later counts.
  CHECK(curve(with(grade, "red", {{-2, -1}}), "red").at(3) == Approx(4));
  CHECK(curve(with(copy, "thinning", {{0.5, 0.2}, {0.5, 0.6}}), "thinning").at(0.1) == Approx(0.6));
  const DrawnCurve tone = curve(with(grade, "red", {{-4, -5}, {0, -1}}), "red");
  CHECK(tone.at(-6) == Approx(-7));
  CHECK(tone.at(2) == Approx(1));
}
