// A pattern that follows a parameter of another thing, with a delay.
#include "core/document/difference.h"
#include "core/geometry/no_assets.h"
#include "core/pattern/program.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

float given(const Document& doc, double frame) {
  const NoAssets none;
  return Program::compile(doc, {doc.findByName("Echo")->id, nullptr}, frame, none, false).evaluate(PatternPoint()).x;
}

} // namespace

TEST_CASE("A pattern follows a lamp's power, and what it was a moment ago", "[pattern][follow]") {
  Set s;
  s.settings({{"rate", "24"}});
  s.add("light.point", "Lamp", {});
  s.keys(s.find("Lamp"), "power", {{1, "0"}, {25, "1000"}, {49, "0"}});
  s.add("pattern.follow", "Echo",
        {{"of", "Lamp"}, {"parameter", "power"}, {"most", "1000"}, {"high", "0.5, 0.5, 0.5"}});
  Document doc = s.take();
  CHECK(given(doc, 1) == Approx(0).margin(1e-6));
  CHECK(given(doc, 25) == Approx(0.5));
  CHECK(given(doc, 13) == Approx(0.5 * Params(*doc.findByName("Lamp"), 13).number("power") / 1000));
  doc = setAt(doc, resolve(doc, "Echo.delay"), Constant(1.0));
  CHECK(given(doc, 49) == Approx(0.5));
  CHECK(given(doc, 25) == Approx(0).margin(1e-6));
  // As it is shown, too; what there is not is named, with the nearest.
  doc = setAt(doc, resolve(doc, "Echo.parameter"), Constant(std::string("Power")));
  CHECK(given(doc, 49) == Approx(0.5));
  doc = setAt(doc, resolve(doc, "Echo.parameter"), Constant(std::string("powre")));
  CHECK(refusal([&] { given(doc, 1); }).find("power") != std::string::npos);
}

TEST_CASE("What a pattern follows is redone as what that drives; alone it is not", "[pattern][follow]") {
  Set s;
  s.add("light.point", "Lamp", {{"power", "100"}});
  s.add("pattern.follow", "Echo", {{"of", "Lamp"}, {"most", "1000"}});
  s.add("material.surface", "Matter", {});
  const Document alone = s.take();
  const auto stage = [](const Document& doc) {
    const auto d = differences(doc, setAt(doc, resolve(doc, "Lamp.power"), Constant(200.0)));
    REQUIRE(d.size() == 1);
    return d[0].stage;
  };
  CHECK(stage(alone) == Invalidation::Mix);
  const Document used =
      setAt(alone, resolve(alone, "Matter.roughness"), PatternUse{{alone.findByName("Echo")->id, nullptr}});
  CHECK(stage(used) == Invalidation::Shading);
}

TEST_CASE("A pattern that follows what a pattern drives says what to follow instead", "[pattern][follow]") {
  Set s;
  s.add("pattern.noise", "Noise", {});
  s.add("material.surface", "Matter", {{"roughness", "pattern Noise"}});
  s.add("pattern.follow", "Echo", {{"of", "Matter"}, {"parameter", "roughness"}});
  const Document doc = s.take();
  CHECK(refusal([&] { given(doc, 1); }).find("Matter.roughness") != std::string::npos);
}
