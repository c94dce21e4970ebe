#include "tests/support/route.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document glowSet() {
  Set s(96, 64);
  s.look("0, 0.5, 4", "0, 0.5, 0", "50");
  s.lambert("Stone", "0.5, 0.5, 0.5");
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"material", "Stone"}});
  s.add("light.point", "Lamp", {{"power", "800"}, {"radius", "0.2"}, {"position", "0, 0.7, 0"}});
  s.add("light.point", "Other lamp", {{"power", "800"}, {"radius", "0.2"}, {"position", "1, 0.7, 0"}});
  s.add("effect.glow", "Shine", {{"from", "Lamp"}});
  s.add("lens.glow", "Halo", {{"amount", "30 %"}, {"sources", "Shine"}});
  s.set(s.find("Shine"), {{"lens", "Halo"}});
  return s.take();
}

Route measure(const Document& doc, const char* effect = "Shine") { return measured(doc, effect, 16); }

Document with(const Document& doc, const char* address, const char* text) {
  const Address a = resolve(doc, address);
  return setAt(doc, a, parseValue(doc, definitionAt(doc, a), text));
}

void mends(const Document& doc, const char* words) { checkMends(doc, "Shine", 16, words); }

} // namespace

TEST_CASE("A glow that works tells what is emitted, seen and spread, and finds nothing", "[advise][route]") {
  const Route r = measure(glowSet());
  CHECK(r.findings.empty());
  CHECK(r.emitted == Approx(800));
  CHECK(r.seen == Approx(1).margin(0.01));
  CHECK(r.spread == Approx(0.3).epsilon(0.01));
  REQUIRE(r.stations.size() == 3);
  CHECK(r.stations[0].reading == "800 lm");
  CHECK(r.stations[2].reading == "spreads 30 %");
  // The lamp's luminance by its power: L = Φ / (4 π² r²), exposed.
  const double L = 800 / (4 * 9.8696 * 0.04);
  CHECK(r.peak == Approx(std::log2(L / (1.2 * 64))).margin(0.05));
  CHECK(stateWord(r, true) == "works");
  CHECK(stateWord(r, false) == "off");
}

TEST_CASE("Own light counts by its area", "[advise][route]") {
  Document doc = glowSet();
  doc = addNode(doc, "material.surface", "Ember");
  doc = with(doc, "Ember.own_light", "500");
  doc = addNode(doc, "object.sphere", "Coal");
  doc = with(doc, "Coal.material", "Ember");
  doc = with(doc, "Coal.radius", "0.25");
  doc = with(doc, "Coal.position", "-1, 0.6, 0");
  doc = with(doc, "Shine.from", "Coal");
  const Route r = measure(doc);
  CHECK(r.emitted == Approx(3.14159265 * 500 * 4 * 3.14159265 * 0.0625).epsilon(1e-4));
  CHECK(r.findings.empty());
  // By the material alone it is the same light.
  CHECK(measure(with(doc, "Shine.from", "Ember")).emitted == Approx(r.emitted));
}

TEST_CASE("A source that gives no light is found and mended", "[advise][finding]") {
  mends(with(glowSet(), "Lamp.on", "off"), "gives no light");
  mends(with(glowSet(), "Lamp.power", "0"), "gives no light");
}

TEST_CASE("A key above the source is found and mended", "[advise][finding]") {
  Document doc = with(with(glowSet(), "Halo.keyed", "on"), "Halo.key", "20");
  mends(doc, "The key of Halo lies");
  CHECK(stateWord(measure(doc), true) == "nothing shows");
}

TEST_CASE("Other things that glow too are named with their shares, and mended", "[advise][finding]") {
  const Document doc = with(glowSet(), "Halo.sources", "none");
  const Route r = measure(doc);
  const Finding* f = find(r, "Other things glow too");
  REQUIRE(f);
  CHECK(f->text.find("Other lamp 4") != std::string::npos); // nearly half of it
  mends(doc, "Other things glow too");
  // Named beside the effect's own source, a stranger is found as well.
  mends(with(glowSet(), "Halo.sources", "Lamp, Other lamp"), "also spreads light of Other lamp");
}

TEST_CASE("A source out of frame is found, and aiming the camera mends it", "[advise][finding]") {
  mends(with(glowSet(), "Lamp.position", "-9, 0.7, 0"), "is out of frame");
}

TEST_CASE("A source that the camera may not see is found and mended", "[advise][finding]") {
  mends(with(glowSet(), "Lamp.seen", "off"), "switched off for the camera");
}

TEST_CASE("A source behind something is found with who hides it and how much", "[advise][finding]") {
  Document doc = glowSet();
  doc = addNode(doc, "object.box", "Screen");
  doc = with(doc, "Screen.position", "0, 0.7, 1");
  const Route r = measure(doc);
  const Finding* f = find(r, "Screen hides Lamp");
  REQUIRE(f);
  REQUIRE_FALSE(r.stations[1].losses.empty());
  CHECK(r.stations[1].losses[0].by == "Screen");
  CHECK(r.stations[1].losses[0].share > 0.95);
  mends(doc, "Screen hides Lamp");
  // Half hidden, half is lost and no finding made.
  const Route half = measure(with(doc, "Screen.position", "0.5, 0.7, 0.6"));
  CHECK(half.seen > 0.3);
  CHECK(half.seen < 0.7);
  CHECK(half.findings.empty());
}

TEST_CASE("A lamp without size cannot be seen, and gets one", "[advise][finding]") {
  mends(with(glowSet(), "Lamp.radius", "0"), "has no size");
}

TEST_CASE("Empty roles, a stage that is off and a strength of nothing are found", "[advise][finding]") {
  CHECK(find(measure(with(glowSet(), "Shine.from", "none")), "From is empty"));
  CHECK(find(measure(with(glowSet(), "Shine.lens", "none")), "Lens is empty"));
  mends(with(glowSet(), "Halo.on", "off"), "Halo is off");
  mends(with(glowSet(), "Halo.amount", "0"), "amount of 0");
  mends(with(glowSet(), "Shine.on", "off"), "Shine is off");
}

TEST_CASE("An effect made from a selection has its roles filled and what it lacks made", "[advise][effect]") {
  Document doc = glowSet();
  doc = addNode(doc, "object.sphere", "Dark ball");
  doc = with(doc, "Dark ball.position", "-1, 0.6, 0");
  NodeId made = 0;
  std::vector<std::string> told;
  const Document out = addEffect(doc, "effect.glow", {doc.findByName("Dark ball")->id}, &made, &told);
  const Node& e = *out.find(made);
  CHECK(e.name == "Dark ball glow");
  CHECK(roleOf(out, e, "from") == std::vector<NodeId>{out.findByName("Dark ball")->id});
  REQUIRE(roleOf(out, e, "lens").size() == 1);
  CHECK(sourcesOfStage(out, *out.find(roleOf(out, e, "lens")[0])) ==
        std::vector<NodeId>{out.findByName("Dark ball")->id});
  CHECK(told.size() == 2);
  // It is seen at once: the ball now gives light above white.
  const Route r = measure(out, "Dark ball glow");
  CHECK(r.peak > 1);
  CHECK(r.findings.empty());
}

TEST_CASE("Things that share a material are not made to glow together", "[advise][effect]") {
  Document doc = glowSet();
  doc = addNode(doc, "object.sphere", "One");
  doc = addNode(doc, "object.sphere", "Two");
  doc = with(with(doc, "One.material", "Stone"), "Two.material", "Stone");
  const Document out = addEffect(doc, "effect.glow", {doc.findByName("One")->id}, nullptr, nullptr);
  CHECK(Params(*out.findByName("Two"), 1).reference("material").target == doc.findByName("Stone")->id);
  CHECK(Params(*out.findByName("Stone"), 1).number("own_light") == 0);
  CHECK(Params(*out.find(Params(*out.findByName("One"), 1).reference("material").target), 1).number("own_light") > 0);
}

TEST_CASE("Roles take what fits, once, and let it go", "[advise][effect]") {
  const Document doc = glowSet();
  const NodeId shine = doc.findByName("Shine")->id, other = doc.findByName("Other lamp")->id,
               camera = doc.findByName("Camera")->id;
  std::vector<std::string> left;
  Document out = fillRoles(doc, shine, {other, other, camera}, &left);
  CHECK(roleOf(out, *out.find(shine), "from").size() == 2);
  CHECK(left == std::vector<std::string>{"Camera"});
  out = leaveRole(out, shine, "from", other);
  CHECK(roleOf(out, *out.find(shine), "from").size() == 1);
}

TEST_CASE("The share of each effect is the light it spreads in the picture", "[advise][route]") {
  const Document doc = glowSet();
  const Traced t = trace(doc, 8);
  const LensResult r = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool());
  const auto shares = readEffects(doc, 1, *t.scene, t.film(), t.scene->groupScales, r, pool());
  REQUIRE(shares.size() == 1);
  CHECK(shares[0].on);
  CHECK(shares[0].share > 0.01);
  CHECK(shares[0].share < 1);
  // What makes the whole picture darker afterwards takes of all light alike.
  const Document darker = with(addNode(doc, "lens.grade", "Night"), "Night.exposure", "-4 stops");
  const LensResult dark = develop(darker, 1, *t.scene, t.film(), t.scene->groupScales, pool());
  CHECK(readEffects(darker, 1, *t.scene, t.film(), t.scene->groupScales, dark, pool())[0].share ==
        Approx(shares[0].share).epsilon(1e-6));
}

TEST_CASE("A lamp that is repeated gives the light of all its copies, and its modifier is no source",
          "[route][repeat]") {
  Set s(32, 18);
  s.look("0, 1, 4", "0, 0, 0", "35");
  s.add("material.surface", "Ember", {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "1000"}});
  const NodeId bead = s.add("object.sphere", "Bead", {{"radius", "0.1"}, {"material", "Ember"}});
  const NodeId many = s.add("modifier.repeat", "Row", {{"count", "5"}, {"step", "0.3, 0, 0"}}, {bead, "modifiers"});
  s.add("light.point", "Rider", {{"power", "50"}, {"position", "0, 0.3, 0"}}, {bead, "carries"});
  const NodeId effect = s.add("effect.glow", "Bead glow", {{"from", "Bead"}});
  s.add("lens.glow", "Halo", {{"sources", "Bead glow"}});
  s.set(effect, {{"lens", "Halo"}});
  const Document doc = s.take();
  const auto given = [&](const Document& d) {
    const Traced t = trace(d, 2);
    const LensResult developed = develop(d, 1, *t.scene, t.film(), t.scene->groupScales, pool());
    return measureRoute(d, effect, 1, *t.scene, t.film(), t.scene->groupScales, developed, pool());
  };
  const Route five = given(doc), one = given(setValue(doc, many, "on", Constant(false)));
  CHECK(five.emitted == Approx(5 * one.emitted).epsilon(1e-3));
  CHECK(one.emitted == Approx(1000 * 3.14159265 * 4 * 3.14159265 * 0.01 + 50).epsilon(0.01));
  REQUIRE(!five.stations.empty());
  for (const Finding& f : five.findings) CHECK(f.thing != many);
}
