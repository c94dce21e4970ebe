// Named inputs: what a use sets for itself reaches what it names, through patterns in materials, and nothing else.
#include "core/base/error.h"
#include "core/document/difference.h"
#include "core/document/file.h"
#include "core/document/inputs.h"
#include "core/document/transplant.h"
#include "core/document/units.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

NodeId idOf(const Document& d, const char* name) { return d.findByName(name)->id; }

// Two balls wear one tarnish, whose roughness a noise drives, whose scale a second noise drives in turn; and a pattern
// of layers.
Document tarnished() {
  Set s;
  s.add("pattern.noise", "Fine", {});
  s.add("pattern.noise", "Coarse", {{"scale", "0.2 m"}, {"high", "pattern Fine"}});
  s.add("material.surface", "Tarnish", {{"roughness", "pattern Coarse"}});
  s.add("object.sphere", "Ball", {{"material", "Tarnish"}});
  s.add("object.sphere", "Other", {{"material", "Tarnish"}});
  const NodeId layers = s.add("pattern.layers", "Layers", {});
  s.add("coat.layer", "Upper", {{"amount", "25 %"}}, {layers, "layers"});
  s.add("effect.glow", "Shine", {{"from", "Ball"}});
  return s.take();
}

Params worn(const Document& d, const char* object) {
  static Reference kept;
  kept = Params(*d.findByName(object), 1).reference("material");
  return {*d.find(kept.target), 1, kept.with.get()};
}

double scaleOn(const Document& d, const char* object) {
  const auto use = worn(d, object).pattern("roughness");
  REQUIRE(use);
  return Params(*d.find(use->pattern.target), 1, use->pattern.with.get()).number("scale");
}

} // namespace

TEST_CASE("A use sets an input of the pattern in its material, and the other use does not follow",
          "[document][shared][inputs]") {
  Document d = tarnished();
  d = addInput(d, idOf(d, "Coarse"), "grain", {0, "scale", ""});
  d = addInput(d, idOf(d, "Tarnish"), "size of the grain", {0, "roughness", "grain"});
  const Address a = resolve(d, "Ball.material.size of the grain");
  CHECK(addressText(d, a) == "Ball.material.size of the grain");
  CHECK(definitionAt(d, a).unit == "m");
  CHECK(std::get<double>(*valueAt(d, a).constant()) == 0.2);
  d = setAt(d, a, Constant(0.05));
  CHECK(scaleOn(d, "Ball") == 0.05);
  CHECK(scaleOn(d, "Other") == 0.2);
  CHECK(std::get<double>(*valueAt(d, a).constant()) == 0.05);
  // The shared one, by its own input.
  d = setAt(d, resolve(d, "Tarnish.inputs.size of the grain"), Constant(0.4));
  CHECK(scaleOn(d, "Ball") == 0.05);
  CHECK(scaleOn(d, "Other") == 0.4);
  // Taken back.
  d = setOverride(d, idOf(d, "Ball"), "material", 0, "size of the grain", nullptr);
  CHECK(scaleOn(d, "Ball") == 0.4);
}

TEST_CASE("Paths of parameters are inputs too, as deep as patterns go", "[document][shared][inputs]") {
  Document d = tarnished();
  d = setAt(d, resolve(d, "Ball.material.roughness.high.scale"), Constant(0.01));
  const auto use = worn(d, "Ball").pattern("roughness");
  const auto inner = Params(*d.find(use->pattern.target), 1, use->pattern.with.get()).pattern("high");
  REQUIRE(inner);
  CHECK(Params(*d.find(inner->pattern.target), 1, inner->pattern.with.get()).number("scale") == 0.01);
  CHECK(refusal([&] { resolve(d, "Ball.material.roughness.nothing"); }).find("no input") != std::string::npos);
  CHECK(refusal([&] { setAt(d, resolve(d, "Ball.material.roughness.high.scale"), Constant(-1.0)); }).find("below") !=
        std::string::npos);
}

TEST_CASE("One input sets several parameters, those of layers inside it too", "[document][shared][inputs]") {
  Document d = tarnished();
  const NodeId upper = idOf(d, "Upper"), layers = idOf(d, "Layers");
  d = addInput(d, layers, "much", {upper, "amount", ""});
  const Overrides with{{"much", Constant(0.75)}};
  const Params p(*d.find(layers), 1, &with);
  CHECK(p.inside(*d.find(upper)).number("amount") == 0.75);
  CHECK(Params(*d.find(upper), 1).number("amount") == 0.25);
  // What is of another kind cannot share one number.
  CHECK(refusal([&] { addInput(d, layers, "much", {upper, "mode", ""}); }).find("one kind") != std::string::npos);
  // A copy's inputs lead into the copy.
  NodeId copy = 0;
  const Document twice = duplicate(d, layers, &copy);
  REQUIRE(twice.find(copy)->inputs.size() == 1);
  const NodeId inside = twice.find(copy)->children.at("layers").front();
  CHECK(twice.find(copy)->inputs[0].sets[0].node == inside);
  // Into another document too.
  NodeId made = 0;
  const Document other = transplant(Document::create(d.sharedKinds()), d, layers, &made);
  CHECK(other.find(made)->inputs[0].sets[0].node == other.find(made)->children.at("layers").front());
  // Without the layer there is nothing that it sets.
  CHECK(removeNode(d, upper).find(layers)->inputs.empty());
}

TEST_CASE("An effect's input stands for parameters of what is in its roles", "[document][shared][inputs]") {
  Document d = tarnished();
  d = addInput(d, idOf(d, "Shine"), "size", {idOf(d, "Ball"), "radius", ""});
  d = setAt(d, resolve(d, "Shine.inputs.size"), Constant(0.7));
  CHECK(Params(*d.findByName("Ball"), 1).number("radius") == 0.7);
  CHECK(addressText(d, resolve(d, "Shine.inputs.size")) == "Shine.inputs.size");
  CHECK(refusal([&] { resolve(d, "Shine.inputs.siez"); }).find("nearest is \"size\"") != std::string::npos);
}

TEST_CASE("Inputs are offered by the thing, what uses it, and effects that name that", "[document][shared][inputs]") {
  Document d = tarnished();
  const auto owners = [&](const char* address) {
    std::set<std::string> out;
    for (const InputPlace& p : inputPlaces(d, resolve(d, address))) out.insert(d.find(p.owner)->name);
    return out;
  };
  CHECK(owners("Coarse.scale") == std::set<std::string>{"Coarse", "Tarnish"});
  CHECK(owners("Fine.scale") == std::set<std::string>{"Fine", "Coarse", "Tarnish"});
  CHECK(owners("Upper.amount") == std::set<std::string>{"Layers"});
  CHECK(owners("Ball.radius") == std::set<std::string>{"Shine"});
  CHECK(owners("Other.radius").empty());
  // What is offered can be done, and works.
  for (const InputPlace& p : inputPlaces(d, resolve(d, "Fine.scale"))) d = addInput(d, p.owner, "fine", p.target);
  d = setAt(d, resolve(d, "Ball.material.fine"), Constant(0.003));
  CHECK(std::get<double>(*valueAt(d, resolve(d, "Ball.material.roughness.high.scale")).constant()) == 0.003);
}

TEST_CASE("A renamed input keeps what its uses set; one that is taken away takes that along",
          "[document][shared][inputs]") {
  Document d = tarnished();
  d = addInput(d, idOf(d, "Coarse"), "grain", {0, "scale", ""});
  d = addInput(d, idOf(d, "Tarnish"), "size", {0, "roughness", "grain"});
  d = setAt(d, resolve(d, "Ball.material.size"), Constant(0.05));
  d = setAt(d, resolve(d, "Tarnish.roughness.grain"), Constant(0.3));
  d = renameInput(d, idOf(d, "Coarse"), "grain", "width");
  d = renameInput(d, idOf(d, "Tarnish"), "size", "extent");
  CHECK(scaleOn(d, "Ball") == 0.05);
  CHECK(scaleOn(d, "Other") == 0.3);
  CHECK(std::get<double>(*valueAt(d, resolve(d, "Ball.material.extent")).constant()) == 0.05);
  CHECK_FALSE(refusal([&] { renameInput(d, idOf(d, "Tarnish"), "extent", "a.b"); }).empty());
  d = renameInput(d, idOf(d, "Coarse"), "width", "");
  CHECK(d.findByName("Tarnish")->inputs.empty()); // it led there
  CHECK(scaleOn(d, "Other") == 0.2);
  CHECK(problems(d).empty());
}

TEST_CASE("What no longer fits rests, and is there again when it fits", "[document][shared][inputs]") {
  Document d = tarnished();
  d = setAt(d, resolve(d, "Ball.material.roughness.scale"), Constant(0.05));
  Document smooth = setAt(d, resolve(d, "Tarnish.roughness"), Constant(0.3));
  CHECK(worn(smooth, "Ball").number("roughness") == 0.3);
  CHECK(problems(smooth).empty());
  CHECK(fromJson(kinds(), toJson(smooth)) == smooth);
  smooth = setAt(smooth, resolve(smooth, "Tarnish.roughness"), PatternUse{{idOf(d, "Coarse"), nullptr}});
  CHECK(scaleOn(smooth, "Ball") == 0.05);
}

TEST_CASE("Inputs and overrides come back from a file", "[document][shared][inputs][file]") {
  Document d = tarnished();
  d = addInput(d, idOf(d, "Coarse"), "grain", {0, "scale", ""});
  d = addInput(d, idOf(d, "Tarnish"), "size", {0, "roughness", "grain"});
  d = addInput(d, idOf(d, "Layers"), "much", {idOf(d, "Upper"), "amount", ""});
  d = setAt(d, resolve(d, "Ball.material.size"), Constant(0.05));
  d = setAt(d, resolve(d, "Ball.material.roughness.high.scale"), Constant(0.01));
  const Document again = fromJson(kinds(), toJson(d));
  CHECK(again == d);
  CHECK(scaleOn(again, "Ball") == 0.05);
}

TEST_CASE("An own copy takes what its use sets, and joins again", "[document][shared][inputs]") {
  Document d = tarnished();
  d = addInput(d, idOf(d, "Tarnish"), "size", {0, "roughness", "scale"});
  d = setAt(d, resolve(d, "Ball.material.size"), Constant(0.05));
  NodeId copy = 0;
  const Document own = ownCopy(d, idOf(d, "Ball"), "material", &copy);
  CHECK(scaleOn(own, "Ball") == 0.05);
  CHECK(scaleOn(own, "Other") == 0.2);
  CHECK_FALSE(Params(*own.findByName("Ball"), 1).reference("material").with);
  const Document joined = joinAgain(own, idOf(own, "Ball"), "material");
  CHECK(scaleOn(joined, "Ball") == 0.2);
  CHECK_FALSE(joined.find(copy));
  // Of a pattern that drives a parameter too.
  const Document ownPattern = ownCopy(d, idOf(d, "Tarnish"), "roughness", &copy);
  CHECK(ownPattern.findByName("Tarnish")->find("roughness")->pattern()->pattern.target == copy);
  CHECK(joinAgain(ownPattern, idOf(d, "Tarnish"), "roughness") == d);
}

TEST_CASE("A pattern that only an override uses goes without a trace", "[document][shared][inputs]") {
  Document d = tarnished();
  const NodeId own = idOf(d, "Fine");
  d = setAt(d, resolve(d, "Ball.material.base_color"), PatternUse{{own, nullptr}});
  d = setAt(d, resolve(d, "Tarnish.roughness.low"), PatternUse{{own, nullptr}});
  CHECK(isUsed(d, own));
  CHECK(drivenAt(d, own).size() == 3);
  const Document without = removeNode(d, own);
  CHECK(problems(without).empty());
  CHECK_FALSE(isUsed(without, own));
  CHECK(fromJson(kinds(), toJson(without)) == without);
  CHECK(without.findByName("Tarnish")->find("roughness")->pattern());
}

TEST_CASE("Inputs that lead in circles end, and say that there is none", "[document][shared][inputs]") {
  Document d = tarnished();
  Node coarse = *d.findByName("Coarse"), fine = *d.findByName("Fine");
  fine.values["high"] = PatternUse{{coarse.id, nullptr}};
  coarse.inputs = {{"x", {{0, "high", "y"}, {0, "high", "y"}, {0, "high", "y"}}}};
  fine.inputs = {{"y", {{0, "high", "x"}, {0, "high", "x"}, {0, "high", "x"}}}};
  DocumentBuilder b(d);
  b.put(coarse);
  b.put(fine);
  d = b.take();
  CHECK_FALSE(inputDefinition(d, *d.findByName("Coarse"), "x"));
  CHECK_FALSE(refusal([&] { setAt(d, resolve(d, "Tarnish.roughness.x"), Constant(1.0)); }).empty());
  CHECK(inputPlaces(d, resolve(d, "Fine.scale")).size() >= 2);
  // With a way out, too.
  fine.inputs[0].sets.push_back({0, "scale", ""});
  DocumentBuilder out(d);
  out.put(fine);
  d = out.take();
  for (const char* name : {"Coarse", "Fine"})
    if (const Node* n = d.findByName(name); inputDefinition(d, *n, n->inputs[0].name))
      refusal([&] { inputValue(d, *n, nullptr, n->inputs[0].name); });
}

TEST_CASE("What an effect's input set and what stays behind is forgotten by the copy", "[document][shared][inputs]") {
  Document d = tarnished();
  d = addInput(d, idOf(d, "Shine"), "size", {idOf(d, "Ball"), "radius", ""});
  d = addInput(d, idOf(d, "Shine"), "grain", {idOf(d, "Coarse"), "scale", ""});
  const Document other = merged(Document::create(d.sharedKinds()), d);
  const Node& shine = *other.findByName("Shine");
  REQUIRE(shine.inputs.size() == 2);
  CHECK(shine.inputs[0].sets[0].node == other.findByName("Ball")->id);
  CHECK(shine.inputs[1].sets[0].node == other.findByName("Coarse")->id);
}

TEST_CASE("An input that rests stands in nobody's way, and can be named and taken away", "[document][shared][inputs]") {
  Document d = tarnished();
  d = addInput(d, idOf(d, "Tarnish"), "grain", {0, "roughness", "scale"});
  d = setAt(d, resolve(d, "Tarnish.roughness"), Constant(0.3)); // the pattern is gone
  CHECK_FALSE(inputDefinition(d, *d.findByName("Tarnish"), "grain"));
  d = addInput(d, idOf(d, "Tarnish"), "tint", {0, "base_color", ""});
  CHECK(d.findByName("Tarnish")->inputs.size() == 2);
  const Document named = renameInput(d, idOf(d, "Tarnish"), "grain", "size");
  CHECK(named.findByName("Tarnish")->inputs[0].name == "size");
  CHECK_FALSE(refusal([&] { renameInput(d, idOf(d, "Tarnish"), "grain", "tint"); }).empty());
  CHECK(renameInput(d, idOf(d, "Tarnish"), "grain", "").findByName("Tarnish")->inputs.size() == 1);
  CHECK_FALSE(refusal([&] { addInput(d, idOf(d, "Tarnish"), "other", {0, "roughness", "scale"}); }).empty());
  // What it set is there again.
  d = setAt(d, resolve(d, "Tarnish.roughness"), PatternUse{{idOf(d, "Coarse"), nullptr}});
  CHECK(inputDefinition(d, *d.findByName("Tarnish"), "grain"));
}
