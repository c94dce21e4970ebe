#include "core/document/key_edit.h"

#include "core/document/mover.h"
#include "core/document/units.h"
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
