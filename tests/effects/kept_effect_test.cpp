// Effects as looks in files of their own.
#include "core/effects/kept_effect.h"

#include "core/document/edit.h"
#include "core/document/file.h"
#include "core/document/inputs.h"
#include "core/effects/effect.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document scene(const char* ball, const char* radius) {
  Set s;
  s.look("0, 1, 4", "0, 0.5, 0");
  s.lambert("Grey", "0.5, 0.5, 0.5");
  s.add("object.plane", "Floor", {{"width", "8"}, {"depth", "8"}, {"material", "Grey"}});
  s.add("object.sphere", ball, {{"radius", radius}, {"position", "0, 0.5, 0"}, {"material", "Grey"}});
  s.add("light.point", "Lamp", {{"position", "1, 3, 1"}});
  return s.take();
}

// The file of a kept effect, written and read again.
Document read(const Document& kept) { return fromJson(kept.sharedKinds(), toJson(kept)); }

} // namespace

TEST_CASE("Every effect that is kept as it was made is made again as it is", "[effects][kept]") {
  for (const EffectKind& k : allEffects()) {
    CAPTURE(k.kind.id);
    const Document one = scene("Ball", "0.5"), other = scene("Ball", "0.5");
    NodeId effect = 0, again = 0;
    const Document with = addEffect(one, k.kind.id, {one.findByName("Ball")->id}, &effect, nullptr);
    const Document kept = read(effectCutting(with, effect));
    // No body goes along, and nothing is left that names what is not there.
    for (const NodePtr& n : kept.nodes()) CHECK(n->kind->family() != "object");
    const std::vector<NodeId> ball = {other.findByName("Ball")->id};
    const Document out = addKeptEffect(other, kept, ball, &again, nullptr);
    NodeId plain = 0;
    Document expected = addEffect(other, k.kind.id, ball, &plain, nullptr);
    if (k.dress) expected = k.dress(expected, plain); // as often
    CHECK(toJson(out) == toJson(expected));
  }
}

TEST_CASE("A kept effect brings its numbers, patterns and stages, and changes nothing that was there",
          "[effects][kept]") {
  const Document one = scene("Ball", "0.5");
  NodeId effect = 0, stage = 0, noise = 0;
  Document with = addEffect(one, "effect.glow", {one.findByName("Lamp")->id}, &effect, nullptr);
  const NodeId glow = roleOf(with, *with.find(effect), "lens").front();
  with = setValue(with, glow, "amount", Constant(0.37));
  with = addNode(with, "pattern.noise", "Fog on the glass", {}, &noise);
  with = setValue(with, noise, "scale", Constant(0.123));
  with = setValue(with, glow, "acts_share", PatternUse{{noise, nullptr}});
  with = addInput(with, noise, "grain", {0, "scale", ""});
  with = setAt(with, {glow, "acts_share", 0, "grain"}, Constant(0.456));
  with = addInput(with, effect, "strength", {glow, "amount", ""});
  with = addNode(with, "lens.streaks", "Needles", {}, &stage);
  with = setValue(with, stage, "sources", Constant(std::vector<Reference>{{effect, nullptr}}));
  with = setValue(with, effect, "lens", Constant(std::vector<Reference>{{glow, nullptr}, {stage, nullptr}}));
  with = setValue(with, with.findByName("Lamp")->id, "power", Constant(4321.0));
  const Document kept = read(effectCutting(with, effect));

  const Document other = scene("Moon", "0.2");
  NodeId made = 0;
  const Document out = addKeptEffect(other, kept, {other.findByName("Lamp")->id}, &made, nullptr);
  const std::vector<NodeId> stages = roleOf(out, *out.find(made), "lens");
  REQUIRE(stages.size() == 2);
  const Params p(*out.find(stages[0]), 1);
  CHECK(p.number("amount") == 0.37);
  REQUIRE(p.pattern("acts_share"));
  CHECK(Params(*out.find(p.pattern("acts_share")->pattern.target), 1).number("scale") == 0.123);
  for (const NodeId id : stages) {
    const auto sources = Params(*out.find(id), 1).references("sources");
    REQUIRE(sources.size() == 1);
    CHECK(sources[0].target == made);
  }
  CHECK(out.find(stages[1])->kind->id == "lens.streaks");
  // Its inputs, and what the use of the pattern sets for itself.
  CHECK(std::get<double>(*valueAt(out, {stages[0], "acts_share", 0, "grain"}).constant()) == 0.456);
  const NamedInput* strength = namedInput(*out.find(made), "strength");
  REQUIRE(strength);
  REQUIRE(strength->sets.size() == 1);
  CHECK(strength->sets[0].node == stages[0]);
  for (const NodePtr& n : other.nodes()) CHECK(out.find(n->id)->values == n->values);
  CHECK(Params(*out.findByName("Lamp"), 1).number("power") != 4321);
  CHECK_THROWS_WITH(addKeptEffect(other, scene("A", "1"), {}, nullptr, nullptr), Catch::Contains("holds no effect"));
}

TEST_CASE("A kept changeover dresses another object in its looks", "[effects][kept]") {
  const Document one = scene("Ball", "0.5");
  NodeId effect = 0;
  Document with = addEffect(one, "effect.changeover", {one.findByName("Ball")->id}, &effect, nullptr);
  // Its second look made green, and its zone soft.
  NodeId look = 0, zone = 0;
  for (const NodePtr& n : with.nodes()) {
    if (one.find(n->id)) continue;
    if (n->kind->family() == "zone") zone = n->id;
    if (n->kind->id == "material.surface" && n->name.find("look") != std::string::npos) look = n->id;
  }
  REQUIRE(look);
  REQUIRE(zone);
  with = setValue(
      with, effect, "onto",
      Constant(std::vector<Reference>{{one.findByName("Ball")->id, nullptr}, {one.findByName("Floor")->id, nullptr}}));
  with = setValue(with, look, "roughness", Constant(0.77));
  with = setValue(with, zone, "edge", Constant(0.0123));
  const Document other = scene("Moon", "0.2");
  NodeId made = 0;
  const NodeId moon = other.findByName("Moon")->id;
  const Document out = addKeptEffect(other, read(effectCutting(with, effect)), {moon}, &made, nullptr);
  int soft = 0, rough = 0;
  for (const NodePtr& n : out.nodes()) {
    soft += n->kind->family() == "zone" && Params(*n, 1).number("edge") == 0.0123;
    rough += n->kind->id == "material.surface" && Params(*n, 1).number("roughness") == 0.77;
  }
  CHECK(soft == 1);
  CHECK(rough == 1);
  // It is worn.
  const Reference worn = Params(*out.find(moon), 1).reference("material");
  CHECK(out.find(worn.target)->kind->id == "material.layer");
}
