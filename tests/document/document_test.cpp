#include "core/base/error.h"
#include "core/document/difference.h"
#include "core/document/file.h"
#include "core/document/history.h"
#include "core/document/transplant.h"
#include "tests/support/scene.h"

#include <filesystem>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document small() {
  Set s;
  s.look("0, 1, 4", "0, 0.5, 0");
  s.add("material.surface", "Brass", {{"metalness", "1"}});
  const NodeId group = s.add("object.group", "Rig", {});
  s.add("object.sphere", "Ball", {{"material", "Brass"}}, s.in(group));
  s.add("light.point", "Lamp", {{"power", "800"}}, s.in(group));
  s.add("effect.glow", "Shine", {{"from", "Lamp"}});
  return s.take();
}

NodeId idOf(const Document& d, const char* name) { return d.findByName(name)->id; }

} // namespace

TEST_CASE("An edit returns a new document and leaves the old one alone", "[document]") {
  const Document before = small();
  const Document after = setAt(before, resolve(before, "Lamp.power"), Constant(1200.0));
  CHECK(Params(*before.findByName("Lamp"), 1).number("power") == 800);
  CHECK(Params(*after.findByName("Lamp"), 1).number("power") == 1200);
  // All else is shared, not copied.
  CHECK(before.findByName("Ball") == after.findByName("Ball"));
  CHECK_FALSE(before == after);
}

TEST_CASE("A value equal to the default is not stored", "[document]") {
  const Document d = small();
  const Document back = setAt(d, resolve(d, "Lamp.power"), Constant(800.0));
  CHECK(back.findByName("Lamp")->values.count("power") == 0);
  CHECK(resetValue(setAt(d, resolve(d, "Lamp.power"), Constant(5.0)), idOf(d, "Lamp"), "power") == back);
}

TEST_CASE("Names are unique, and free names count on", "[document]") {
  Document d = small();
  NodeId made = 0;
  d = addNode(d, "light.point", "Lamp", {}, &made);
  CHECK(d.find(made)->name == "Lamp 2");
  d = addNode(d, "light.point", "Lamp 2", {}, &made);
  CHECK(d.find(made)->name == "Lamp 3");
  CHECK(refusal([&] { rename(d, made, "Lamp"); }).find("another thing") != std::string::npos);
  for (const char* bad : {"a.b", "a[1]", "a,b", ""}) CHECK_FALSE(refusal([&] { rename(d, made, bad); }).empty());
  CHECK(d.freeName("x.y[2], z") == "xy2 z");
}

TEST_CASE("Addresses name parameters, children, uses of shared things and entries", "[document][address]") {
  Document d = small();
  CHECK(resolve(d, "Lamp.power").param == "power");
  CHECK(definitionAt(d, resolve(d, "Rig.objects[1].radius")).label == "Radius");
  CHECK(std::get<std::string>(*valueAt(d, resolve(d, "Shine.from[1].name")).constant()) == "Lamp");
  CHECK(setAt(d, resolve(d, "Shine.from[1].name"), Constant(std::string("Sun"))).findByName("Sun"));
  // What this use of the material sets for itself.
  d = setAt(d, resolve(d, "Ball.material.roughness"), Constant(0.9));
  CHECK(std::get<double>(*valueAt(d, resolve(d, "Ball.material.roughness")).constant()) == 0.9);
  CHECK(Params(*d.findByName("Brass"), 1).number("roughness") == 0.5);
  for (const char* bad :
       {"Nobody.power", "Lamp.nothing", "Rig.objects", "Rig.objects[3].radius", "Rig.objects[0].radius",
        "Shine.from[2].power", "Ball.material.nothing", "Rig.objects[x].radius", ""})
    CHECK_FALSE(refusal([&] { resolve(d, bad); }).empty());
}

TEST_CASE("An address as text resolves to itself", "[document][address]") {
  Document d = small();
  for (const char* text : {"Lamp.power", "Ball.material.roughness", "Shine.from"})
    CHECK(addressText(d, resolve(d, text)) == text);
}

TEST_CASE("Removing a thing removes its children and all references to them", "[document]") {
  const Document d = removeNode(small(), idOf(small(), "Rig"));
  CHECK_FALSE(d.findByName("Lamp"));
  CHECK_FALSE(d.findByName("Ball"));
  CHECK(Params(*d.findByName("Shine"), 1).references("from").empty());
  CHECK(problems(d).empty());
  CHECK_FALSE(refusal([&] { removeNode(d, d.settings().id); }).empty());
}

TEST_CASE("A thing cannot stand inside itself, nor where its kind does not go", "[document]") {
  Document d = small();
  NodeId inner = 0;
  d = addNode(d, "object.group", "Inner", {idOf(d, "Rig"), "objects", size_t(-1)}, &inner);
  CHECK_FALSE(refusal([&] { moveNode(d, idOf(d, "Rig"), {inner, "objects", 0}); }).empty());
  CHECK_FALSE(refusal([&] { moveNode(d, idOf(d, "Brass"), {inner, "objects", 0}); }).empty());
  const Document moved = moveNode(d, idOf(d, "Ball"), {inner, "objects", 0});
  CHECK(moved.findByName("Ball")->parent == inner);
  CHECK(moved.find(inner)->children.at("objects").size() == 1);
  CHECK(moveNode(moved, idOf(d, "Ball"), {idOf(d, "Rig"), "objects", 0}) == d);
}

TEST_CASE("A duplicate has its own children and the same shared things", "[document]") {
  const Document d = small();
  NodeId copy = 0;
  const Document two = duplicate(d, idOf(d, "Rig"), &copy);
  CHECK(two.find(copy)->children.at("objects").size() == 2);
  const Node* ball = two.findByName("Ball 2");
  REQUIRE(ball);
  CHECK(ball->parent == copy);
  CHECK(Params(*ball, 1).reference("material").target == idOf(d, "Brass"));
}

TEST_CASE("A wrong value is refused with its place", "[document]") {
  const Document d = small();
  const auto wrong = [&](const char* address, const Constant& v) {
    return refusal([&] { setAt(d, resolve(d, address), v); });
  };
  CHECK(wrong("Lamp.power", NAN).find("Lamp.power: not a finite number") == 0);
  CHECK(wrong("Lamp.power", std::string("much")).find("Lamp.power") == 0);
  CHECK(wrong("Picture.samples", 2.5).find("whole number") != std::string::npos);
  CHECK(wrong("Picture.view", std::string("Sepia")).find("ACES SDR") != std::string::npos);
  CHECK(wrong("Ball.material", Reference{idOf(d, "Lamp"), nullptr}).find("does not go here") != std::string::npos);
  CHECK(wrong("Ball.material", Reference{9999, nullptr}).find("does not exist") != std::string::npos);
  CHECK(wrong("Shine.from", std::vector<Reference>{{idOf(d, "Lamp"), nullptr}, {idOf(d, "Lamp"), nullptr}})
            .find("twice") != std::string::npos);
}

TEST_CASE("A key's value at its frame is the key's value; hold holds, linear is linear, smooth has equal tangents",
          "[document][keys][truth35]") {
  const auto at = [](const Keys& k, double f) { return std::get<double>(evaluate(k, f)); };
  Keys k{{{1, 2.0, KeyShape::Hold},
          {5, 10.0, KeyShape::Linear},
          {9, 4.0, KeyShape::Smooth},
          {20, 8.0, KeyShape::Smooth},
          {24, 1.0, KeyShape::Linear}}};
  for (const Key& key : k.keys) CHECK(at(k, key.frame) == std::get<double>(key.value));
  CHECK(at(k, 4.99) == 2);
  CHECK(at(k, 7) == Approx(7));
  CHECK(at(k, -50) == 2);
  CHECK(at(k, 99) == 1);
  // Between smooth segments the slope is the same on both sides of a key.
  const double e = 1e-4, before = (at(k, 20) - at(k, 20 - e)) / e, after = (at(k, 20 + e) - at(k, 20)) / e;
  CHECK(before == Approx(after).epsilon(1e-2));
  const Keys colours{{{0, Triple{0, 1, 2}, KeyShape::Linear}, {10, Triple{10, 1, 0}, KeyShape::Linear}}};
  CHECK(std::get<Triple>(evaluate(colours, 5)) == Triple{5, 1, 1});
  const Keys words{{{0, std::string("a"), KeyShape::Smooth}, {10, std::string("b"), KeyShape::Smooth}}};
  CHECK(std::get<std::string>(evaluate(words, 9)) == "a");
}

TEST_CASE("Keys drive a parameter, and bad keys are refused", "[document][keys]") {
  const Document d = small();
  const Keys k{{{1, 100.0, KeyShape::Linear}, {11, 200.0, KeyShape::Linear}}};
  const Document keyed = setAt(d, resolve(d, "Lamp.power"), k);
  CHECK(Params(*keyed.findByName("Lamp"), 6).number("power") == Approx(150));
  CHECK(isAnimated(*keyed.findByName("Lamp")));
  CHECK_FALSE(refusal([&] { setAt(d, resolve(d, "Lamp.power"), Keys{}); }).empty());
  CHECK_FALSE(refusal([&] { setAt(d, resolve(d, "Lamp.power"), Keys{{{5, 1.0, {}}, {5, 2.0, {}}}}); }).empty());
  CHECK_FALSE(refusal([&] { setAt(d, resolve(d, "Picture.samples"), k); }).empty());
}

TEST_CASE("Undo and redo walk through labelled steps; a gesture is one", "[document][history]") {
  History h(small());
  const Document start = h.current();
  const auto power = [&](double v) { return setAt(h.current(), resolve(h.current(), "Lamp.power"), Constant(v)); };
  h.commit(power(1), "one");
  for (double v = 2; v < 9; ++v) h.commit(power(v), "drag", 42);
  h.commit(power(20), "last");
  CHECK(h.undoLabel() == "last");
  h.undo();
  CHECK(h.undoLabel() == "drag");
  h.undo();
  CHECK(Params(*h.current().findByName("Lamp"), 1).number("power") == 1);
  CHECK(h.redoLabel() == "drag");
  h.undo();
  CHECK(h.current() == start);
  CHECK_FALSE(h.canUndo());
  h.redo();
  h.redo();
  CHECK(Params(*h.current().findByName("Lamp"), 1).number("power") == 8);
  h.commit(power(30), "new branch");
  CHECK_FALSE(h.canRedo());
}

TEST_CASE("Differences say what changed, and carrying each over makes the documents equal", "[document][difference]") {
  const Document a = small();
  Document b = setAt(a, resolve(a, "Lamp.power"), Constant(1200.0));
  b = rename(b, idOf(b, "Ball"), "Planet");
  b = addNode(b, "lens.glow", "Halo");
  b = setAt(b, resolve(b, "Halo.amount"), Constant(0.5));
  b = removeNode(b, idOf(b, "Shine"));
  b = moveNode(b, idOf(b, "Planet"), {0, "", size_t(-1)});
  const auto all = differences(a, b);
  std::string text;
  for (const Difference& d : all) text += describe(d) + "\n";
  CHECK(text.find("Lamp.power: 800 lm → 1200 lm") != std::string::npos);
  CHECK(text.find("Ball: renamed to Planet") != std::string::npos);
  CHECK(text.find("Halo: added") != std::string::npos);
  CHECK(text.find("Shine: removed") != std::string::npos);
  Document c = a;
  for (const Difference& d : all) c = carryOver(c, b, d);
  for (const Difference& d : differences(c, b)) INFO(describe(d));
  std::string left;
  for (const Difference& d : differences(c, b)) left += describe(d) + "\n";
  CHECK(left.empty());
  CHECK(differences(a, a).empty());
  bool changed = true;
  CHECK(invalidationOf(a, a, &changed) == Invalidation::Display);
  CHECK_FALSE(changed);
}

TEST_CASE("A change's stage is the dearest of all that consume it", "[document][difference]") {
  Document d = small();
  const auto stage = [&](const char* address, Constant v) {
    return invalidationOf(d, setAt(d, resolve(d, address), v));
  };
  CHECK(stage("Picture.view", std::string("Plain sRGB")) == Invalidation::Display);
  CHECK(stage("Camera.ev100", 9.0) == Invalidation::Lens);
  CHECK(stage("Lamp.power", 5.0) == Invalidation::Mix);
  CHECK(stage("Brass.roughness", 0.1) == Invalidation::Shading);
  CHECK(stage("Ball.position", Triple{1, 0, 0}) == Invalidation::Placement);
  CHECK(stage("Ball.radius", 0.7) == Invalidation::Geometry);
  // A pattern counts as the parameters that it drives.
  NodeId image = 0;
  d = addNode(d, "pattern.image", "Scratches", {}, &image);
  CHECK(stage("Scratches.gain", Triple{2, 2, 2}) == Invalidation::Display);
  Document driven = setAt(d, resolve(d, "Brass.roughness"), PatternUse{{image, nullptr}});
  CHECK(invalidationOf(driven, setAt(driven, resolve(driven, "Scratches.gain"), Constant(Triple{2, 2, 2}))) ==
        Invalidation::Shading);
}

TEST_CASE("Typed numbers take units, arithmetic and stops", "[document][units]") {
  const Document d = small();
  const auto typed = [&](const char* address, const char* text) {
    const Address a = resolve(d, address);
    const Value present = valueAt(d, a);
    return std::get<double>(*parseValue(d, definitionAt(d, a), text, &present).constant());
  };
  CHECK(typed("Ball.radius", "20mm") == Approx(0.02));
  CHECK(typed("Ball.radius", "2 * 1.5 cm") == Approx(0.03));
  CHECK(typed("Ball.radius", "3/4") == Approx(0.75));
  CHECK(typed("Ball.radius", "1 ft") == Approx(0.3048));
  CHECK(typed("Lamp.power", "+1 stop") == Approx(1600));
  CHECK(typed("Lamp.power", "-2 stops") == Approx(200));
  CHECK(typed("Lamp.power", "1.2 klm") == Approx(1200));
  for (const char* bad : {"", "much", "3 apples", "1/0", "20 lm lm", "2 kg"})
    CHECK_FALSE(refusal([&] { typed("Ball.radius", bad); }).empty());
  const Value v = parseValue(d, definitionAt(d, resolve(d, "Lamp.color")), "#ff8000");
  CHECK(std::get<Triple>(*v.constant())[0] == Approx(1));
  CHECK(std::get<Triple>(*v.constant())[1] == Approx(0.2159).epsilon(1e-3));
}

TEST_CASE("What is shown can be typed again", "[document][units]") {
  const Document d = small();
  for (const auto& [address, value] : {std::pair{"Ball.radius", 0.0123},
                                       {"Ball.radius", 12.5},
                                       {"Lamp.power", 123456.0},
                                       {"Camera.focal_length", 85.0},
                                       {"Lamp.stops", -1.5}}) {
    const Address a = resolve(d, address);
    std::string text = formatNumber(definitionAt(d, a), value);
    for (size_t at; (at = text.find("\u2009")) != std::string::npos;) text.erase(at, 3);
    CHECK(std::get<double>(*parseValue(d, definitionAt(d, a), text).constant()) == Approx(value).epsilon(1e-3));
  }
}

TEST_CASE("Numbers are shown as a person writes them", "[document][units]") {
  const Document d = small();
  const auto shown = [&](const char* address, double v) {
    return formatNumber(definitionAt(d, resolve(d, address)), v);
  };
  CHECK(shown("Ball.radius", 0.05) == "50 mm");
  CHECK(shown("Ball.radius", 0.5) == "0.5 m");
  CHECK(shown("Ball.radius", 0) == "0 m");
  CHECK(shown("Lamp.power", 1234567) == "1\u2009234\u2009567 lm");
  CHECK(shown("Lamp.power", 1600) == "1600 lm");
  CHECK(shown("Lamp.stops", -0.5) == "-0.5 stops");
  CHECK(shown("Camera.focal_length", 50) == "50 mm");
  CHECK(shown("Rig.turn", 30) == "30°");
}

TEST_CASE("Switches, choices, colours and references are typed as words", "[document][units]") {
  const Document d = small();
  const auto typed = [&](const char* address, const char* text) {
    const Address a = resolve(d, address);
    return formatValue(d, definitionAt(d, a), parseValue(d, definitionAt(d, a), text));
  };
  CHECK(typed("Lamp.on", "no") == "off");
  CHECK(typed("Picture.view", "Plain sRGB") == "Plain sRGB");
  CHECK(typed("Ball.material", "Brass") == "Brass");
  CHECK(typed("Shine.from", "Lamp, Ball") == "Lamp, Ball");
  CHECK(typed("Shine.from", "none") == "none");
  CHECK(typed("Ball.position", "1, 2cm, 3/4") == "1 m, 20 mm, 0.75 m");
  for (const auto& [address, text] : {std::pair{"Lamp.on", "perhaps"},
                                      {"Picture.view", "Sepia"},
                                      {"Ball.material", "Lamp"},
                                      {"Ball.position", "1, 2"},
                                      {"Shine.from", "Nobody"}})
    CHECK_FALSE(refusal([&] { typed(address, text); }).empty());
}

TEST_CASE("Every parameter of every kind has a label, a help line and a default that is allowed", "[document][kinds]") {
  const Document d = small();
  for (const Kind& k : kinds()->all()) {
    CHECK_FALSE(k.helpText.empty());
    for (const ParamDef& p : k.params) {
      CAPTURE(k.id, p.name);
      CHECK_FALSE(p.label.empty());
      CHECK_FALSE(p.helpText.empty());
      CHECK(refusal([&] { checkValue(d, p, p.initial, p.name); }).empty());
      CHECK(p.softMin <= p.softMax);
      CHECK(p.hardMin <= p.softMin);
    }
  }
}

TEST_CASE("A material goes into another document with all that it uses", "[document][transplant]") {
  Set s;
  s.add("pattern.noise", "Clouds", {{"scale", "0.2"}});
  s.add("pattern.ramp", "Sky ramp", {});
  s.add("ramp.key", "Key", {{"place", "0.3"}, {"color", "pattern Clouds"}}, {s.find("Sky ramp"), "keys", size_t(-1)});
  s.add("material.surface", "Enamel", {{"base_color", "pattern Sky ramp"}, {"roughness", "0.2"}});
  s.add("object.sphere", "Ball", {{"material", "Enamel"}});
  const Document from = s.take();
  const Document alone = cutting(from, from.findByName("Enamel")->id);
  CHECK(problems(alone).empty());
  CHECK(alone.findByName("Enamel"));
  CHECK(alone.findByName("Clouds"));
  CHECK_FALSE(alone.findByName("Ball"));
  Set t;
  t.add("material.surface", "Enamel", {});
  NodeId made = 0;
  const Document to = transplant(t.take(), alone, alone.findByName("Enamel")->id, &made);
  CHECK(problems(to).empty());
  REQUIRE(to.find(made));
  CHECK(to.find(made)->name == "Enamel 2");
  const PatternUse* ramp = to.find(made)->find("base_color")->pattern();
  REQUIRE(ramp);
  REQUIRE(to.find(ramp->pattern.target)->children.at("keys").size() == 1);
  const Node* key = to.find(to.find(ramp->pattern.target)->children.at("keys")[0]);
  CHECK(to.find(key->find("color")->pattern()->pattern.target)->name == "Clouds");
}

TEST_CASE("A pattern is given to a parameter by its name, and named again when shown", "[document][units]") {
  Set s;
  s.add("pattern.noise", "Soft clouds", {});
  const NodeId m = s.add("material.surface", "Stone", {{"base_color", "pattern Soft clouds"}});
  const Document doc = s.take();
  const Node& n = *doc.find(m);
  REQUIRE(n.find("base_color"));
  REQUIRE(n.find("base_color")->pattern());
  CHECK(n.find("base_color")->pattern()->pattern.target == doc.findByName("Soft clouds")->id);
  const ParamDef& color = *n.kind->param("base_color");
  CHECK(formatValue(doc, color, *n.find("base_color")) == "pattern Soft clouds");
  CHECK(parseValue(doc, color, formatValue(doc, color, *n.find("base_color"))) == *n.find("base_color"));
  CHECK_THROWS_WITH(parseValue(doc, color, "pattern Hard clouds"), Catch::Contains("Hard clouds"));
  CHECK_THROWS_WITH(parseValue(doc, color, "pattern Stone"), Catch::Contains("Stone")); // no pattern
  // Where no pattern may drive a value the word is no value either.
  CHECK_THROWS_AS(parseValue(doc, *n.kind->param("priority"), "pattern Soft clouds"), Error);
}

TEST_CASE("What uses things of the set cannot be cut out of it", "[document][transplant]") {
  Set s;
  s.add("material.surface", "Enamel", {});
  s.add("object.sphere", "Ball", {{"material", "Enamel"}});
  s.add("light.point", "Lamp", {{"links", "only these"}, {"linked", "Ball"}});
  const Document doc = s.take();
  CHECK_THROWS_WITH(cutting(doc, doc.findByName("Lamp")->id), Catch::Contains("Ball"));
  CHECK_THROWS_AS(cutting(doc, 9999), Error);
  // An object goes with its material.
  const Document ball = cutting(doc, doc.findByName("Ball")->id);
  CHECK(problems(ball).empty());
  CHECK(ball.findByName("Enamel"));
  CHECK_FALSE(ball.findByName("Lamp"));
}

TEST_CASE("What is taken from a document in another folder still finds its files", "[document][transplant]") {
  const TemporaryFolder folder;
  namespace fs = std::filesystem;
  fs::create_directories(folder / "library");
  fs::create_directories(folder / "scenes/night");
  const auto kinds = allKinds();
  NodeId chart = 0;
  Document kept = addNode(Document::create(kinds), "pattern.image", "Chart", {}, &chart);
  kept = writeDocument(kept, folder / "library/chart.ilum");
  kept = setValue(kept, chart, "file", Constant(std::string("pictures/chart.png")));
  const Document scene = writeDocument(Document::create(kinds), folder / "scenes/night/scene.ilum");
  const auto file = [](const Document& d) { return Params(*d.findByName("Chart"), 0).text("file"); };
  CHECK(file(transplant(scene, kept, chart)) == "../../library/pictures/chart.png");
  CHECK(file(merged(scene, kept)) == "../../library/pictures/chart.png");
  // Into one that is no file yet, and from what is none: a cutting on the clipboard.
  const Document fresh = Document::create(kinds);
  CHECK(fs::weakly_canonical(fs::current_path() / file(transplant(fresh, kept, chart))) ==
        fs::weakly_canonical(folder / "library/pictures/chart.png"));
  const Document clipped = fromJson(kinds, toJson(cutting(kept, chart)));
  CHECK(file(transplant(scene, clipped, clipped.findByName("Chart")->id)) == "pictures/chart.png");
}
