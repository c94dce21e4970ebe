// Patterns on what is one number for a whole thing.
#include "core/compile/even_patterns.h"
#include "core/placing/driving.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document lit() {
  Set s(24, 24);
  s.settings({{"rate", "24"}});
  s.look("0, 0, 4", "0, 0, 0", "50");
  s.add("pattern.time", "Clock", {{"gives", "seconds"}});
  s.add("pattern.noise", "Cloud", {});
  s.add("pattern.math", "Twice", {{"does", "multiply"}, {"a", "pattern Clock"}, {"b", "2, 2, 2"}});
  s.add("material.surface", "Glass", {{"transmission", "1"}});
  s.add("material.surface", "Chalk", {{"ior", "1"}, {"roughness", "1"}});
  s.add("object.sphere", "Ball", {{"radius", "0.5"}, {"material", "Chalk"}});
  s.add("light.point", "Lamp", {{"position", "0, 2, 3"}, {"power", "400"}});
  s.add("lens.glow", "Glow", {{"amount", "1"}});
  return s.take();
}

Value by(const Document& doc, const char* pattern) { return PatternUse{{doc.findByName(pattern)->id, nullptr}}; }

} // namespace

TEST_CASE("A pattern of time drives what is one number for a whole thing, within what that takes", "[compile][even]") {
  Document doc = lit();
  const auto put = [&](const char* thing, const char* param, const char* pattern) {
    doc = setValue(doc, doc.findByName(thing)->id, param, by(doc, pattern));
  };
  put("Lamp", "stops", "Twice");
  put("Glass", "ior", "Clock");
  put("Glow", "amount", "Clock");
  put("Glass", "subsurface_spread", "Clock");
  const auto at = [&](double frame, const char* thing, const char* param) {
    const Document even = withEvenValues(doc, frame, noAssets());
    return Params(*even.findByName(thing), frame).number(param);
  };
  CHECK(at(12, "Lamp", "stops") == Approx(1));
  CHECK(at(36, "Lamp", "stops") == Approx(3));
  CHECK(at(12, "Glow", "amount") == Approx(0.5));
  CHECK(at(36, "Glass", "ior") == Approx(1.5));
  CHECK(at(12, "Glass", "ior") == Approx(1)); // not below what it takes
  CHECK(Params(*withEvenValues(doc, 12, noAssets()).findByName("Glass"), 12).triple("subsurface_spread")[1] ==
        Approx(0.5));
  CHECK(unevenPatterns(withEvenValues(doc, 12, noAssets())).empty());
  // What nothing drives stays the very same.
  CHECK(withEvenValues(doc, 12, noAssets()).findByName("Ball") == doc.findByName("Ball"));
}

TEST_CASE("What one use sets for itself by a pattern runs with time for that use alone", "[compile][even]") {
  Document doc = lit();
  const NodeId ball = doc.findByName("Ball")->id;
  doc = setValue(doc, ball, "material", Constant(Reference{doc.findByName("Glass")->id, nullptr}));
  doc = setAt(doc, resolve(doc, "Ball.material.ior"), by(doc, "Clock"));
  const auto ior = [&](const Document& d, double frame) {
    const Reference r = Params(*d.findByName("Ball"), frame).reference("material");
    return Params(*d.find(r.target), frame, r.with.get()).number("ior");
  };
  CHECK(ior(withEvenValues(doc, 36, noAssets()), 36) == Approx(1.5));
  CHECK(ior(withEvenValues(doc, 60, noAssets()), 60) == Approx(2.5));
  CHECK(Params(*withEvenValues(doc, 60, noAssets()).findByName("Glass"), 60).number("ior") == Approx(1.5));
  const Document wrong = setAt(doc, resolve(doc, "Ball.material.ior"), by(doc, "Cloud"));
  REQUIRE(unevenPatterns(withEvenValues(wrong, 1, noAssets())).size() == 1);
}

TEST_CASE("The picture is as bright as the pattern on a lamp's stops says", "[compile][even]") {
  const Document plain = lit();
  const NodeId lamp = plain.findByName("Lamp")->id;
  const Document driven = setValue(plain, lamp, "stops", by(plain, "Clock"));
  const auto bright = [](Document doc, double frame) {
    doc = setValue(doc, doc.settings().id, "frame", Constant(frame));
    const Traced t = trace(doc, 16);
    return mean(luminances(t));
  };
  const double before = bright(plain, 24);
  CHECK(before > 0);
  CHECK(bright(driven, 24) == Approx(2 * before).epsilon(0.02));
  CHECK(bright(driven, 48) == Approx(4 * before).epsilon(0.02));
}

TEST_CASE("A pattern that varies is refused where it cannot be, and told where it is", "[compile][even]") {
  const Document doc = lit();
  const Address ior = resolve(doc, "Glass.ior");
  CHECK_THROWS_WITH(drivenBy(doc, ior, "pattern.noise", nullptr, nullptr),
                    Catch::Contains("Index of refraction takes only") && Catch::Contains("energy"));
  CHECK_THROWS_WITH(drivenByPreset(doc, ior, findPatternPreset("Rust"), nullptr, nullptr),
                    Catch::Contains("the same everywhere"));
  NodeId made = 0;
  const Document timed = drivenBy(doc, ior, "pattern.time", nullptr, &made);
  CHECK(unevenPatterns(withEvenValues(timed, 30, noAssets())).empty());
  // By its name, a varying one can be set: then it says why nothing comes of it.
  const Document wrong = setValue(doc, ior.node, "ior", by(doc, "Cloud"));
  const Traced t = trace(wrong, 1);
  REQUIRE(t.scene->warnings.size() == 1);
  CHECK_THAT(t.scene->warnings[0], Catch::Contains("Glass: Cloud varies."));
  CHECK(Params(*withEvenValues(wrong, 1, noAssets()).findByName("Glass"), 1).number("ior") == 1.5);
}
