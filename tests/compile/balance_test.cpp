#include "core/compile/balance.h"
#include "core/compile/compile.h"

#include "core/base/error.h"
#include "core/compile/part.h"
#include "core/placing/select.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document lamps() {
  Set s(16, 16);
  s.look("0, 2, 2", "0, 0, 0", "50");
  s.lambert("White", "0.8, 0.8, 0.8");
  s.add("material.surface", "Ember",
        {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "300"}, {"own_light_color", "1, 0.5, 0.2"}});
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"material", "White"}});
  s.add("object.sphere", "Coal", {{"radius", "0.2"}, {"position", "0, 0.2, 0"}, {"material", "Ember"}});
  s.add("light.point", "Left", {{"power", "200"}, {"position", "-1, 1, 0"}, {"color", "0.4, 0.6, 1"}});
  s.add("light.point", "Right",
        {{"power", "100"}, {"position", "1, 1, 0"}, {"by_temperature", "on"}, {"temperature", "2700"}});
  return s.take();
}

Picture mixed(const Traced& t, const Document& doc) {
  const std::vector<Color> groupScales = balancedScales(*t.scene, doc, 1);
  REQUIRE(groupScales.size() == t.scene->groups.size());
  return collect(t.film(), 0, groupScales, 1, pool());
}

double farthest(const Picture& a, const Picture& b) {
  double most = 0;
  for (size_t i = 0; i < a.rgb.size(); ++i)
    most = std::max(most, std::abs(double(a.rgb[i] - b.rgb[i])) / (1e-3 + std::abs(double(a.rgb[i]))));
  return most;
}

} // namespace

TEST_CASE("The mix switches, lifts, tints and solos without a ray", "[balance][truth7]") {
  const Document doc = lamps();
  const NodeId left = doc.findByName("Left")->id, ember = doc.findByName("Ember")->id;
  const Traced t = trace(doc, 8);
  const Picture plain = mixed(t, doc);
  // Two stops on the left lamp are a render at four times its power.
  const Picture lifted = mixed(t, setBalance(doc, left, "stops", 2.0));
  CHECK(farthest(lifted, mixed(t, setAt(doc, resolve(doc, "Left.power"), Constant(800.0)))) < 1e-5);
  // Off is off, and the others stay.
  const Picture without = mixed(t, setBalance(doc, left, "on", false));
  CHECK(farthest(without, mixed(t, setAt(doc, resolve(doc, "Left.on"), Constant(false)))) < 1e-6);
  // Solo is all others off.
  const Picture alone = mixed(t, setBalance(doc, ember, "solo", true));
  Document others = setAt(doc, resolve(doc, "Left.on"), Constant(false));
  others = setAt(others, resolve(others, "Right.on"), Constant(false));
  CHECK(farthest(alone, mixed(t, others)) < 1e-6);
  CHECK(mean(alone) > 0);
  CHECK(mean(alone) < mean(plain));
}

TEST_CASE("Baking writes the mix into the lights and leaves the picture as it is", "[balance][truth7]") {
  Document doc = lamps();
  const Traced t = trace(doc, 8);
  const NodeId left = doc.findByName("Left")->id, right = doc.findByName("Right")->id,
               ember = doc.findByName("Ember")->id;
  doc = setBalance(doc, left, "stops", 1.5);
  doc = setBalance(doc, left, "tint", Triple{1, 0.3, 0.6});
  doc = setBalance(doc, right, "tint", Triple{0.5, 1, 0.5});
  doc = setBalance(doc, ember, "stops", -1.0);
  doc = setBalance(doc, ember, "tint", Triple{0.2, 0.4, 1});
  const Document baked = writeBalance(doc);
  CHECK(baked.family("balance").empty());
  CHECK(Params(*baked.find(left), 1).number("power") == 200);
  CHECK(farthest(mixed(t, doc), mixed(t, baked)) < 1e-4);
  // What solo left dark is switched off, and keeps its group: still no ray.
  const Document solo = setBalance(lamps(), left, "solo", true), dark = writeBalance(solo);
  CHECK(farthest(mixed(t, solo), mixed(t, dark)) < 1e-6);
  CHECK_FALSE(Params(*dark.findByName("Right"), 1).flag("on"));
  CHECK_FALSE(Params(*dark.findByName("Ember"), 1).flag("own_light_on"));
  CHECK(Params(*dark.findByName("Ember"), 1).number("own_light") == 300);
}

TEST_CASE("Baking shifts keys too, and says what it cannot write", "[balance]") {
  Document doc = lamps();
  const NodeId left = doc.findByName("Left")->id, ember = doc.findByName("Ember")->id;
  doc = setValue(doc, left, "stops", Keys{{{1, 0.0, KeyShape::Linear}, {9, 2.0, KeyShape::Linear}}});
  const Document baked = writeBalance(setBalance(doc, left, "stops", 1.0));
  for (const double frame : {1.0, 5.0, 9.0})
    CHECK(Params(*baked.find(left), frame).number("stops") ==
          Approx(Params(*doc.find(left), frame).number("stops") + 1));
  NodeId ramp = 0;
  doc = addNode(lamps(), "pattern.ramp", "Fire", {}, &ramp);
  doc = setValue(doc, ember, "own_light_color", PatternUse{{ramp, nullptr}});
  const Document brighter = writeBalance(setBalance(doc, ember, "stops", 1.0));
  CHECK(Params(*brighter.find(ember), 1).number("own_light") ==
        Approx(2 * Params(*doc.find(ember), 1).number("own_light")));
  REQUIRE(Params(*brighter.find(ember), 1).pattern("own_light_color")); // and its colours are as they were
  CHECK(Params(*brighter.find(ember), 1).pattern("own_light_color")->pattern.target == ramp);
  try {
    writeBalance(setBalance(doc, ember, "tint", Triple{1, 0, 0}));
    FAIL("was baked");
  } catch (const Error& e) {
    CHECK(std::string(e.what()).find("Ember.own_light_color") != std::string::npos);
  }
}

TEST_CASE("A twin's share of its original's own light is split and baked into the twin alone", "[balance][twin]") {
  Set s(16, 16);
  s.look("0, 2, 2", "0, 0, 0", "50");
  s.add("material.surface", "Ember", {{"own_light", "300"}});
  s.add("object.sphere", "Coal", {{"radius", "0.2"}, {"material", "Ember"}});
  s.add("object.twin", "Other coal", {{"of", "Coal"}, {"position", "1, 0, 0"}});
  const NodeId ember = s.find("Ember"), coal = s.find("Coal"), other = s.find("Other coal");
  const Document doc = s.take();
  CHECK(objectsByMaterial(doc, 1).at(ember) == std::vector<NodeId>{coal, other});
  const Document baked = writeBalance(setBalance(splitBalance(doc, ember, true), {ember, other}, "stops", -1.0));
  CHECK(baked.family("balance").empty());
  CHECK(luminance(ownLight(baked, wornMaterial(baked, *baked.find(other), 1), 1)) ==
        Approx(0.5 * luminance(ownLight(baked, wornMaterial(baked, *baked.find(coal), 1), 1))));
  CHECK_FALSE(Params(*baked.find(coal), 1).reference("material").with);
}

TEST_CASE("A row that says nothing goes away", "[balance]") {
  const Document doc = lamps();
  const NodeId left = doc.findByName("Left")->id;
  const Document up = setBalance(doc, left, "stops", 1.0);
  REQUIRE(balanceRow(up, left));
  const Document back = setBalance(up, left, "stops", 0.0);
  CHECK_FALSE(balanceRow(back, left));
}

TEST_CASE("The row of a light that is gone says nothing, even if it was solo", "[balance]") {
  const Document doc = lamps();
  const NodeId left = doc.findByName("Left")->id, right = doc.findByName("Right")->id;
  const Document gone = removeNode(setBalance(doc, left, "solo", true), left);
  CHECK_FALSE(Balance(gone, 1).anySolo());
  CHECK(Balance(gone, 1).factor(right) == Color(1.0f));
  CHECK(writeBalance(gone).family("balance").empty());
  CHECK(Params(*writeBalance(gone).find(right), 1).flag("on"));
}

TEST_CASE("A material's row is split by its objects, mixed, baked and joined", "[balance][truth7]") {
  Set s(16, 16);
  s.look("0, 2, 2", "0, 0, 0", "50");
  s.lambert("White", "0.8, 0.8, 0.8");
  s.add("material.surface", "Ember", {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "300"}});
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"material", "White"}});
  s.add("object.sphere", "Left coal", {{"radius", "0.2"}, {"position", "-0.5, 0.2, 0"}, {"material", "Ember"}});
  s.add("object.sphere", "Right coal", {{"radius", "0.2"}, {"position", "0.5, 0.2, 0"}, {"material", "Ember"}});
  const NodeId ember = s.find("Ember"), left = s.find("Left coal"), right = s.find("Right coal");
  const Document doc = s.take();
  CHECK(objectsByMaterial(doc, 1).at(ember) == std::vector<NodeId>{left, right});
  CHECK(trace(doc, 1).scene->groups.size() == 1);
  // What was said of all is said of each when they part.
  const Document split = splitBalance(setBalance(doc, ember, "stops", 1.0), ember, true);
  const Traced t = trace(split, 16);
  REQUIRE(t.scene->groups.size() == 2);
  CHECK(t.scene->groups[0].object == left);
  const auto half = [&](const Document& d, int x) { return mean(mixed(t, d), {x, 0, 8, 16}); };
  const Document without = setBalance(split, {ember, right}, "on", false);
  CHECK(half(without, 8) < 0.25 * half(split, 8));
  CHECK(half(without, 0) > 0.9 * half(split, 0));
  CHECK(mean(mixed(t, setBalance(split, {ember, left}, "stops", 2.0))) > mean(mixed(t, split)));
  // Baked, each object says itself what its row said.
  const Document baked = writeBalance(
      setBalance(setBalance(without, {ember, left}, "stops", -1.0), {ember, left}, "tint", Triple{1, 0.5, 0.2}));
  CHECK(baked.family("balance").empty());
  const auto useOf = [&](NodeId id) { return Params(*baked.find(id), 1).reference("material"); };
  CHECK(Params(*baked.find(ember), 1, useOf(left).with.get()).number("own_light") == Approx(150));
  CHECK_FALSE(Params(*baked.find(ember), 1, useOf(right).with.get()).flag("own_light_on"));
  const Traced after = trace(baked, 16);
  const Document same =
      setBalance(setBalance(without, {ember, left}, "stops", -1.0), {ember, left}, "tint", Triple{1, 0.5, 0.2});
  CHECK(mean(luminances(after)) == Approx(mean(mixed(t, same))).epsilon(0.02));
  // Joined again, or without an object that it spoke of, it is as if it had never been.
  CHECK(splitBalance(without, ember, false).family("balance").empty());
  const Document fewer = removeNode(setBalance(split, {ember, right}, "solo", true), right);
  CHECK_FALSE(Balance(fewer, 1).anySolo());
}

namespace {

// Three beads on a rail, each with its lamp.
Document chain() {
  Set s(24, 16);
  s.look("0, 2, 2", "0, 0, 0", "50");
  s.lambert("White", "0.8, 0.8, 0.8");
  s.add("material.surface", "Ember", {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "300"}});
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"material", "White"}});
  const NodeId bead =
      s.add("object.sphere", "Bead", {{"radius", "0.15"}, {"position", "-0.8, 0.2, 0"}, {"material", "Ember"}});
  s.add("light.point", "Lamp", {{"power", "100"}, {"position", "0, 0.5, 0"}, {"radius", "0.05"}}, {bead, "carries"});
  s.add("modifier.repeat", "Chain", {{"count", "3"}, {"step", "0.8, 0, 0"}}, {bead, "modifiers"});
  return s.take();
}

} // namespace

TEST_CASE("A repeat's lights are one row, split by copies and joined again", "[balance][repeat][truth7]") {
  const Document doc = chain();
  const NodeId lamp = doc.findByName("Lamp")->id, ember = doc.findByName("Ember")->id,
               bead = doc.findByName("Bead")->id;
  const Traced whole = trace(doc, 16);
  CHECK(whole.scene->groups.size() == 2);
  CHECK(whole.scene->copiesOf.at(lamp) == 3);
  const Document split = splitBalance(setBalance(doc, lamp, "stops", 1.0), lamp, true, 3);
  const Traced t = trace(split, 16);
  REQUIRE(t.scene->groups.size() == 4);
  CHECK(t.scene->groups[1].name == "Lamp 2");
  CHECK(t.scene->groups[1].copy == 2);
  // The same light in more heaps: what was said of all is said of each.
  CHECK(farthest(mixed(t, split), luminances(trace(setBalance(doc, lamp, "stops", 1.0), 16))) < 1e-4);
  // One goes off, and its place is darker; it traces no ray.
  const Document without = setBalance(split, {lamp, 0, 3}, "on", false);
  const auto third = [&](const Document& d, int x) { return mean(mixed(t, d), {x, 0, 8, 16}); };
  CHECK(third(without, 16) < 0.7 * third(split, 16));
  CHECK(third(without, 0) > 0.85 * third(split, 0));
  const Document solo = setBalance(split, {lamp, 0, 1}, "solo", true);
  CHECK(third(solo, 0) > 3 * third(solo, 16));
  CHECK(refusal([&] { writeBalance(without); }) ==
        "Lamp: its copies have rows of their own, which cannot be written into it; join them first");
  CHECK(splitBalance(without, lamp, false).family("balance").empty());
  // Own light goes by object first, then by its copies.
  const Document beads = splitBalance(splitBalance(doc, ember, true), {ember, bead}, true, 3);
  const Traced b = trace(beads, 16);
  REQUIRE(b.scene->groups.size() == 4);
  CHECK(b.scene->groups[2].name == "Ember on Bead 2");
  CHECK(farthest(mixed(b, beads), mixed(whole, doc)) < 1e-4);
  const Document dark = setBalance(beads, {ember, bead, 2}, "on", false);
  const auto beadAt = [&](const Document& d, int x) { return mean(mixed(b, d), {x, 7, 2, 2}); };
  CHECK(beadAt(dark, 11) < 0.5 * beadAt(beads, 11));
  const Document joined = splitBalance(dark, {ember, bead}, false);
  CHECK(Balance(joined, 1).isSplit(ember));
  CHECK_FALSE(Balance(joined, 1).isSplit({ember, bead}));
}

TEST_CASE("Copies that are parts sum to the whole, and each is seen where it stands", "[labels][parts][repeat]") {
  const Document doc = chain();
  const NodeId bead = doc.findByName("Bead")->id, ember = doc.findByName("Ember")->id,
               floor = doc.findByName("Floor")->id;
  NodeId one = 0, rest = 0, worn = 0, none = 0, lampOne = 0;
  Document parts = withPart(doc, bead, 1, 0, &one);
  parts = withPart(parts, bead, 2, 0, &rest);
  parts = setValue(parts, rest, "copies", Constant(std::string("2 - 3")));
  parts = withPart(parts, bead, 0, ember, &worn);
  parts = withPart(parts, floor, 0, ember, &none);
  parts = withPart(parts, doc.findByName("Lamp")->id, 1, 0, &lampOne);
  NodeId again = 0;
  CHECK(withPart(parts, bead, 1, 0, &again).nodes().size() == parts.nodes().size());
  CHECK(again == one);
  CHECK(parts.find(one)->name == "Bead 1");
  CompileOptions options;
  const NodeId lampId = doc.findByName("Lamp")->id; // what a bead carries is of its part too
  for (const std::vector<NodeId>& ids :
       {std::vector<NodeId>{bead, lampId}, {one}, {rest}, {worn}, {none}, {lampOne}, {bead}})
    options.queries.push_back({.name = std::to_string(ids[0]), .things = ids});
  SceneCache cache;
  const ScenePtr made = compileScene(parts, options, noAssets(), cache);
  CHECK(made->warnings.empty());
  Traced t{made, Rendering(made)};
  t.rendering.advance(pool(), 16, CancelFlag());
  const Picture whole = luminances(t, 1), first = luminances(t, 2), others = luminances(t, 3),
                glowing = luminances(t, 4), nothing = luminances(t, 5), lamp = luminances(t, 6),
                alone = luminances(t, 7);
  REQUIRE(mean(whole) > 0);
  CHECK(mean(first) + mean(others) == Approx(mean(whole)));
  CHECK(mean(first, {0, 0, 9, 16}) * 9 * 16 == Approx(mean(first) * 24 * 16));
  CHECK(mean(others, {0, 0, 9, 16}) == 0);
  CHECK(mean(glowing) == Approx(mean(alone)));
  CHECK(mean(alone) < mean(whole));
  CHECK(mean(nothing) == 0);
  CHECK(mean(lamp, {0, 0, 9, 16}) > 0);
  CHECK(mean(lamp, {9, 0, 15, 16}) == 0);
  // A list that cannot be read is told, and the picture is made without the part.
  const Document wrong = setValue(parts, one, "copies", Constant(std::string("two")));
  SceneCache fresh;
  const ScenePtr scene = compileScene(wrong, {}, noAssets(), fresh);
  REQUIRE(scene->warnings.size() == 1);
  CHECK(scene->warnings[0] == "Bead 1: \"two\" is not a list of numbers from 1, such as 3 or 1-4, 9");
}

TEST_CASE("Copies of copies are numbered at the thing that is named", "[parts][repeat]") {
  Set s;
  const NodeId group = s.add("object.group", "Row", {}), bead = s.add("object.sphere", "Bead", {}, {group, "objects"});
  s.add("modifier.repeat", "Pairs", {{"count", "2"}}, {bead, "modifiers"});
  s.add("modifier.repeat", "Rows", {{"count", "3"}}, {group, "modifiers"});
  const Document doc = s.take();
  const auto count = [&](const Node& n) { return size_t(n.id == bead ? 2 : n.id == group ? 3 : 0); };
  const Node& b = *doc.find(bead);
  for (uint32_t i = 0; i < 6; ++i) {
    CHECK(copyNumber(doc, b, bead, i, count) == i % 2 + 1);
    CHECK(copyNumber(doc, b, group, i, count) == i / 2 + 1);
  }
  CHECK(parseNumbers(" 3, 7-5 ,9") == std::vector<std::pair<uint32_t, uint32_t>>{{3, 3}, {5, 7}, {9, 9}});
  CHECK(parseNumbers("").empty());
  CHECK_FALSE(refusal([] { parseNumbers("0"); }).empty());
  CHECK_FALSE(refusal([] { parseNumbers("1-"); }).empty());
}
