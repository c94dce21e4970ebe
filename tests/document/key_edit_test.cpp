#include "core/document/key_edit.h"

#include "core/document/file.h"
#include "core/document/mover.h"
#include "core/document/units.h"
#include "core/effects/effect.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document keyed() {
  Set s(32, 32);
  s.add("light.point", "Lamp", {{"power", "400"}});
  Document doc = s.take();
  const auto put = [&](const char* address, const char* value) {
    const Address a = resolve(doc, address);
    doc = setAt(doc, a, parseValue(doc, definitionAt(doc, a), value));
  };
  put("Lamp.power",
      R"({"keys": [{"frame": 1, "value": 100}, {"frame": 10, "value": 200}, {"frame": 20, "value": 50}]})");
  put("Lamp.position", R"({"value": {"keys": [{"frame": 5, "value": [0, 1, 0]}]}, "movers": [{"kind": "bob"}]})");
  return doc;
}

std::vector<double> frames(const Document& doc, const char* address) {
  std::vector<double> out;
  if (const Keys* k = keysAt(doc, resolve(doc, address)))
    for (const Key& key : k->keys) out.push_back(key.frame);
  return out;
}

using Frames = std::vector<double>;

} // namespace

TEST_CASE("Keys are moved together, and take the place of what stands there", "[keys]") {
  const Document doc = keyed();
  const Address power = resolve(doc, "Lamp.power"), place = resolve(doc, "Lamp.position");
  CHECK(movingValues(doc).size() == 2);
  const auto later = [](double f) { return f + 10; };
  const Document moved = retimed(doc, {{power, 1}, {power, 10}, {place, 5}}, later);
  CHECK(frames(moved, "Lamp.power") == Frames{11, 20});
  CHECK(std::get<double>(keysAt(moved, power)->keys[1].value) == 200);
  CHECK(frames(moved, "Lamp.position") == Frames{15});
  CHECK(valueAt(moved, place).moved()); // its movers stay
  // Past another key and back: nothing but what is named moves, and what is not there is passed over.
  CHECK(frames(retimed(doc, {{power, 1}, {power, 99}}, [](double f) { return f + 14; }), "Lamp.power") ==
        Frames{10, 15, 20});
  CHECK(retimed(doc, {{power, 99}}, later) == doc);
}

TEST_CASE("The last key that goes leaves what it said", "[keys]") {
  const Document doc = keyed();
  const Address power = resolve(doc, "Lamp.power"), place = resolve(doc, "Lamp.position");
  const Document out = withoutKeys(doc, {{power, 1}, {power, 10}, {power, 20}, {place, 5}});
  CHECK(valueAt(out, power) == Value(Constant(100.0)));
  CHECK(std::get<Constant>(valueAt(out, place).moved()->rest) == Constant(Triple{0, 1, 0}));
}

TEST_CASE("Keys are shaped and pasted", "[keys]") {
  const Document doc = keyed();
  const Address power = resolve(doc, "Lamp.power");
  const Document held = shaped(doc, {{power, 1}}, KeyShape::Hold);
  CHECK(Params(*held.findByName("Lamp"), 9).number("power") == 100);
  const Document twice = pasted(doc, doc, {{power, 1}, {power, 10}}, 31);
  CHECK(frames(twice, "Lamp.power") == Frames{1, 10, 20, 31, 40});
  CHECK(Params(*twice.findByName("Lamp"), 40).number("power") == 200);
}

TEST_CASE("What is changed becomes keys, from what it was", "[keys]") {
  const Document before = atFrame(keyed(), 24);
  const Address radius = resolve(before, "Lamp.radius");
  const double was = Params(*before.findByName("Lamp"), 24).number("radius");
  std::vector<Address> which;
  const Document after = keyedChanges(before, setAt(before, radius, Constant(0.3)), 1, &which);
  REQUIRE(which.size() == 1);
  CHECK(frames(after, "Lamp.radius") == Frames{1, 24});
  CHECK(Params(*after.findByName("Lamp"), 1).number("radius") == was);
  CHECK(Params(*after.findByName("Lamp"), 24).number("radius") == Approx(0.3));
  // What has keys is left to setNow(), and what is new is no change.
  CHECK(keyedChanges(before, before, 1) == before);
  const Document more = addNode(before, "light.point", "Second");
  CHECK(keyedChanges(before, more, 1) == more);
}

TEST_CASE("A key says what the value is there, and movers go on above it", "[keys][mover]") {
  const Document doc = keyed();
  const Address place = resolve(doc, "Lamp.position");
  const ParamDef& def = definitionAt(doc, place);
  const Value before = valueAt(doc, place), more = keyedAt(before, def, 30);
  CHECK(more.anyKeys()->keys.size() == 2);
  for (const double f : {1.0, 12.0, 30.0, 44.0}) CHECK(evaluate(more, def, f) == evaluate(before, def, f));
  CHECK(unkeyed(more, def, 30).anyKeys() == nullptr);
  CHECK(evaluate(unkeyed(more, def, 30), def, 44) == evaluate(before, def, 44));
}

TEST_CASE("35: eased keys are their values at their frames, leave or arrive at rest, and are straight at ease 0",
          "[keys]") {
  const auto at = [](KeyShape shape, double ease, double frame) {
    return std::get<double>(evaluate(Keys{{{0, 10.0, shape, ease}, {10, 30.0}}}, frame));
  };
  for (const KeyShape s : {KeyShape::EaseIn, KeyShape::EaseOut, KeyShape::EaseBoth}) {
    CHECK(at(s, 1, 0) == 10);
    CHECK(at(s, 1, 10) == 30);
    CHECK(at(s, 0, 3) == Approx(16));
    for (double f = 0; f < 10; f += 0.5) CHECK(at(s, 0.7, f + 0.5) > at(s, 0.7, f));
    const double leaves = (at(s, 1, 0.01) - 10) / 0.01, arrives = (30 - at(s, 1, 9.99)) / 0.01;
    CHECK((leaves < 0.05) == (s != KeyShape::EaseOut));
    CHECK((arrives < 0.05) == (s != KeyShape::EaseIn));
  }
}

TEST_CASE("Keys say before and after themselves the same again, to and fro, or go on from where they came to",
          "[keys]") {
  Keys k{{{1, 0.0, KeyShape::Linear}, {6, 10.0, KeyShape::Linear}, {11, 4.0}}};
  const auto at = [&](double f) { return std::get<double>(evaluate(k, f)); };
  k.beyond = BeyondKeys::Repeat;
  for (double f = 1.25; f < 11; f += 0.25) {
    CHECK(at(f + 10) == Approx(at(f)));
    CHECK(at(f - 20) == Approx(at(f)));
  }
  CHECK(at(11) == 4); // a key's value at its frame
  CHECK(periodOf(Value(k)) == 10);
  k.beyond = BeyondKeys::ToAndFro;
  for (double f = 1; f <= 11; f += 0.25) CHECK(at(22 - f) == Approx(at(f)));
  CHECK(at(21.5) == Approx(at(1.5)).margin(1e-9));
  CHECK(periodOf(Value(k)) == 20);
  k.beyond = BeyondKeys::GoOn;
  for (double f = 1; f < 11; f += 0.25) CHECK(at(f + 10) == Approx(at(f) + 4));
  CHECK(periodOf(Value(k)) == 0);
  // Smooth keys that come back to where they began run round without a corner.
  Keys round{{{0, 0.0, KeyShape::Smooth}, {3, 5.0, KeyShape::Smooth}, {6, 2.0, KeyShape::Smooth}, {10, 0.0}}};
  round.beyond = BeyondKeys::Repeat;
  const auto value = [&](double f) { return std::get<double>(evaluate(round, f)); };
  CHECK((value(10) - value(9.999)) == Approx(value(10.001) - value(10)).epsilon(0.02));
}

TEST_CASE("What is set beyond keys that come again is set in the round that they have", "[keys]") {
  Document doc = keyed();
  const Address power = resolve(doc, "Lamp.power");
  doc = withBeyond(doc, power, BeyondKeys::Repeat);
  const Document set = setNow(atFrame(doc, 34), power, Constant(77.0));
  CHECK(frames(set, "Lamp.power") == Frames{1, 10, 15, 20});
  CHECK(Params(*set.findByName("Lamp"), 34).number("power") == 77);
  CHECK(Params(*set.findByName("Lamp"), 15).number("power") == 77);
  CHECK_THROWS(withBeyond(doc, resolve(doc, "Lamp.radius"), BeyondKeys::Repeat));
  // Moved, shaped and through the file they still do.
  const Document back = fromJson(kinds(), toJson(shaped(doc, {{power, 10}}, KeyShape::EaseOut)));
  CHECK(keysAt(back, power)->beyond == BeyondKeys::Repeat);
  CHECK(keysAt(back, power)->keys[1].shape == KeyShape::EaseOut);
  const Document half = eased(back, {{power, 10}}, 0.4);
  CHECK(keysAt(fromJson(kinds(), toJson(half)), power)->keys[1].ease == 0.4);
  CHECK_THROWS(valueFromJson(doc, definitionAt(doc, power), R"({"keys":[{"frame":1,"value":1,"ease":2}]})"));
  CHECK_THROWS(valueFromJson(doc, definitionAt(doc, power), R"({"keys":[{"frame":1,"value":1}],"beyond":"never"})"));
}

TEST_CASE("Keys that are mirrored in time run backwards, eases too", "[keys]") {
  Document doc = keyed();
  const Address power = resolve(doc, "Lamp.power");
  doc = shaped(doc, {{power, 1}}, KeyShape::EaseIn);
  const KeyPlaces all = {{power, 1}, {power, 10}, {power, 20}};
  const Document back = mirrored(doc, all);
  for (double f = 1; f <= 20; f += 0.5)
    CHECK(Params(*back.findByName("Lamp"), 21 - f).number("power") ==
          Approx(Params(*doc.findByName("Lamp"), f).number("power")));
  CHECK(mirrored(back, {{power, 1}, {power, 11}, {power, 20}}) == doc);
}

TEST_CASE("What a use of a material sets for itself has keys like any other", "[keys]") {
  Set s(32, 32);
  const NodeId brass = s.add("material.surface", "Brass", {{"roughness", "0.2"}});
  s.add("object.sphere", "Ball", {{"material", "Brass"}});
  Document doc = s.take();
  const Address rough = resolve(doc, "Ball.material.roughness"), color = resolve(doc, "Ball.material.base_color");
  doc = setAt(doc, rough, Keys{{{1, 0.1, KeyShape::Linear}, {11, 0.6, KeyShape::Linear}}});
  CHECK(movingValues(doc) == std::vector<Address>{rough});
  REQUIRE(keysAt(doc, rough));
  CHECK_FALSE(keysAt(doc, color));
  CHECK_FALSE(keysAt(doc, {rough.node, "material", 3, "roughness"}));
  const auto at = [&](const Document& d, double f) {
    return std::get<double>(*evaluate(valueAt(d, rough), definitionAt(d, rough), f));
  };
  CHECK(at(doc, 6) == Approx(0.35));
  const Document later = retimed(doc, {{rough, 11}}, [](double f) { return f + 10; });
  CHECK(frames(later, "Ball.material.roughness") == Frames{1, 21});
  CHECK(at(later, 11) == Approx(0.35));
  // Copies go where the same use is; where something else is used there is nothing to take them.
  CHECK(frames(pasted(doc, doc, {{rough, 11}}, 31), "Ball.material.roughness") == Frames{1, 11, 31});
  const Document bare = setValue(doc, rough.node, "material", Constant(Reference{}));
  CHECK(pasted(bare, doc, {{rough, 11}}, 31) == bare);
  // Without keys left it keeps what the first said, for this use alone.
  const Document held = withoutKeys(doc, {{rough, 1}, {rough, 11}});
  CHECK(movingValues(held).empty());
  CHECK(at(held, 50) == Approx(0.1));
  CHECK(Params(*held.find(brass), 1).number("roughness") == Approx(0.2));
  CHECK(frames(fromJson(kinds(), toJson(doc)), "Ball.material.roughness") == Frames{1, 11});
}

TEST_CASE("What a use of a material sets for itself is keyed as it is changed", "[keys]") {
  Set s(32, 32);
  s.add("material.surface", "Brass", {{"roughness", "0.2"}});
  s.add("object.sphere", "Ball", {{"material", "Brass"}});
  const Document doc = atFrame(s.take(), 1);
  const Address rough = resolve(doc, "Ball.material.roughness");
  const Document changed = setNow(atFrame(doc, 25), rough, 0.7);
  std::vector<Address> which;
  const Document out = keyedChanges(doc, changed, 1, &which);
  CHECK(which == std::vector<Address>{rough});
  CHECK(frames(out, "Ball.material.roughness") == Frames{1, 25});
  CHECK(std::get<double>(keysAt(out, rough)->keys[0].value) == Approx(0.2)); // as the material has it
  // Another material is for all frames, with what is set of it.
  const Document other = addNode(doc, "material.surface", "Slate", {});
  const Address use = resolve(other, "Ball.material");
  const Document swapped =
      setAt(setAt(atFrame(other, 25), use, Constant(Reference{other.findByName("Slate")->id, nullptr})), rough,
            Constant(0.9));
  CHECK(movingValues(keyedChanges(other, swapped, 1)).empty());
}

TEST_CASE("Who is in a role holds from key to key", "[keys][roles]") {
  Set s(32, 32);
  s.add("light.point", "Lamp", {{"power", "400"}});
  s.add("light.point", "Other", {{"power", "400"}});
  s.add("effect.glow", "Shine", {{"from", "Lamp"}});
  const NodeId lamp = s.find("Lamp"), other = s.find("Other"), shine = s.find("Shine");
  const Document doc = s.take();
  const Address from{shine, "from", 0, {}};
  using List = std::vector<Reference>;
  const auto named = [&](const Document& d, double frame) {
    std::vector<NodeId> out;
    for (const Reference& r : Params(*d.find(shine), frame).references("from")) out.push_back(r.target);
    return out;
  };
  // Keyed at the first frame; what joins at another is a key there.
  Document keyed = setAt(doc, from, keyedAt(valueAt(doc, from), definitionAt(doc, from), 1));
  keyed = fillRoles(atFrame(keyed, 12), shine, {other}, nullptr, "from");
  keyed = leaveRole(atFrame(keyed, 20), shine, "from", lamp);
  CHECK(frames(keyed, "Shine.from") == Frames{1, 12, 20});
  CHECK(named(keyed, 11.9) == std::vector<NodeId>{lamp});
  CHECK(named(keyed, 12) == std::vector<NodeId>{lamp, other});
  CHECK(named(keyed, 30) == std::vector<NodeId>{other});
  CHECK(roleOf(atFrame(keyed, 1), *keyed.find(shine), "from") == std::vector<NodeId>{lamp});
  CHECK(movingValues(keyed) == std::vector<Address>{from});
  // In files as it is.
  CHECK(fromJson(keyed.sharedKinds(), toJson(keyed)) == keyed);
  // One that goes is in none of the keys any more; a list that is empty at a key still says so.
  const Document gone = removeNode(keyed, other);
  CHECK(named(gone, 12) == std::vector<NodeId>{lamp});
  CHECK(named(gone, 30).empty());
  CHECK(problems(gone).empty());
  CHECK_FALSE(removeNode(gone, lamp).find(shine)->find("from"));
  // What is changed with keys on becomes keys.
  const Document before = atFrame(doc, 24);
  const Document after = keyedChanges(before, setAt(before, from, Constant(List{{other, nullptr}})), 1);
  CHECK(frames(after, "Shine.from") == Frames{1, 24});
  CHECK(named(after, 23) == std::vector<NodeId>{lamp});
  CHECK(named(after, 24) == std::vector<NodeId>{other});
  // What it names twice, or what does not fit, is refused at its key.
  CHECK_THROWS_WITH(setAt(doc, from, Keys{{{1, List{{lamp, nullptr}}}, {2, List{{lamp, nullptr}, {lamp, nullptr}}}}}),
                    Catch::Contains("key 2") && Catch::Contains("twice"));
  CHECK_THROWS_WITH(setAt(doc, {shine, "lens", 0, {}}, Keys{{{1, List{}}}}), Catch::Contains("cannot have keys"));
}
