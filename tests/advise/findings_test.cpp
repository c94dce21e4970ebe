#include "core/advise/findings.h"

#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Set table() {
  Set s;
  s.look("0, 1, 4", "0, 0, 0", "35");
  s.lambert("Stone", "0.5, 0.5, 0.5");
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"position", "0, -1, 0"}, {"material", "Stone"}});
  return s;
}

std::vector<Finding> found(const Document& doc) { return findThings(doc, 1, *trace(doc, 1).scene); }

// The one finding that is expected, and that its first mend mends it.
void mends(const Document& doc, const char* thing, const char* words) {
  const std::vector<Finding> all = found(doc);
  const auto it = std::find_if(all.begin(), all.end(),
                               [&](const Finding& f) { return doc.find(f.thing) && doc.find(f.thing)->name == thing; });
  CAPTURE(thing, words);
  REQUIRE(it != all.end());
  CHECK_THAT(it->text, Catch::Contains(words));
  REQUIRE_FALSE(it->mends.empty());
  const Document mended = applyMend(doc, it->mends.front());
  for (const Finding& f : found(mended)) CHECK(f.text != it->text);
}

} // namespace

TEST_CASE("A sound set has no findings", "[findings]") {
  Set s = table();
  s.add("light.point", "Lamp", {{"power", "4000"}, {"position", "0, 2, 0"}});
  CHECK(found(s.take()).empty());
}

TEST_CASE("A light inside a closed opaque body is found", "[findings]") {
  Set s = table();
  s.add("object.sphere", "Ball", {{"radius", "0.5"}, {"material", "Stone"}});
  s.add("light.point", "Lamp", {{"power", "4000"}, {"radius", "0.05"}, {"position", "0.1, 0, 0"}});
  const Document doc = s.take();
  mends(doc, "Lamp", "inside Ball");
  // In an open pipe, or in glass, it is none.
  Set t = table();
  t.add("object.cylinder", "Pipe", {{"radius", "0.5"}, {"capped", "off"}, {"material", "Stone"}});
  t.add("light.point", "Lamp", {{"power", "4000"}, {"radius", "0.05"}});
  CHECK(found(t.take()).empty());
  Set g = table();
  g.preset("Glass", "Crown glass");
  g.add("object.sphere", "Ball", {{"radius", "0.5"}, {"material", "Glass"}});
  g.add("light.point", "Lamp", {{"power", "4000"}, {"radius", "0.05"}});
  CHECK(found(g.take()).empty());
}

TEST_CASE("Glass that blocks light, is open, or has an index of 1 is found", "[findings]") {
  Set s = table();
  s.preset("Glass", "Crown glass");
  s.add("object.sphere", "Ball", {{"radius", "0.5"}, {"material", "Glass"}, {"light_through", "blocked"}});
  s.add("light.point", "Lamp", {{"power", "4000"}, {"position", "0, 2, 0"}});
  mends(s.take(), "Ball", "do not shine through");
  Set o = table();
  o.preset("Glass", "Crown glass");
  o.add("object.cylinder", "Vase", {{"radius", "0.3"}, {"capped", "off"}, {"material", "Glass"}});
  mends(o.take(), "Vase", "open mesh");
  Set n = table();
  n.preset("Glass", "Crown glass");
  n.set(n.find("Glass"), {{"ior", "1"}});
  n.add("object.sphere", "Ball", {{"radius", "0.5"}, {"material", "Glass"}});
  mends(n.take(), "Glass", "index of refraction of 1");
}

TEST_CASE("A scattering distance out of proportion is found", "[findings]") {
  for (const char* depth : {"2 m", "0.00001"}) {
    Set s = table();
    s.preset("Jade", "Jade");
    s.set(s.find("Jade"), {{"subsurface_depth", depth}});
    s.add("object.sphere", "Moon", {{"radius", "0.5"}, {"material", "Jade"}});
    mends(s.take(), "Jade", "before it scatters");
  }
}

TEST_CASE("A power of 0, or one far too small, is found", "[findings]") {
  for (const char* power : {"0", "0.0001"}) {
    Set s = table();
    s.add("light.point", "Lamp", {{"power", power}, {"position", "0, 2, 0"}});
    mends(s.take(), "Lamp", "power");
  }
  // A lamp that is off on purpose is left alone.
  Set s = table();
  s.add("light.point", "Lamp", {{"on", "off"}, {"power", "0"}});
  CHECK(found(s.take()).empty());
}

TEST_CASE("A pattern that gives more than its parameter takes is found, and fitted", "[findings][pattern]") {
  Set s = table();
  s.add("light.point", "Lamp", {{"power", "4000"}, {"position", "0, 2, 0"}});
  s.add("pattern.noise", "Cloud", {{"scale", "0.3"}, {"high", "3, 3, 3"}});
  s.add("material.surface", "Jade", {{"roughness", "pattern Cloud"}});
  s.add("object.sphere", "Ball", {{"radius", "0.5"}, {"material", "Jade"}});
  const Document doc = s.take();
  mends(doc, "Jade", "Roughness of Jade takes 0 to 1; Cloud gives 0");
  // What stays within is none.
  const Document within = setValue(setValue(doc, doc.findByName("Cloud")->id, "low", Constant(Triple{0, 0, 0})),
                                   doc.findByName("Cloud")->id, "high", Constant(Triple{1, 1, 1}));
  CHECK(found(within).empty());
}

TEST_CASE("A pattern out of proportion to what wears it is found", "[findings][pattern]") {
  for (const char* scale : {"40", "0.00001"}) {
    Set s = table();
    s.add("light.point", "Lamp", {{"power", "4000"}, {"position", "0, 2, 0"}});
    s.add("pattern.noise", "Cloud", {{"scale", scale}});
    s.add("material.surface", "Jade", {{"roughness", "pattern Cloud"}});
    s.add("object.sphere", "Ball", {{"radius", "0.5"}, {"material", "Jade"}});
    mends(s.take(), "Cloud", *scale == '4' ? "40 times as much as Ball is long" : "far finer");
  }
}

TEST_CASE("Texture coordinates that are missing, and seams in them, are found", "[findings][pattern]") {
  const auto with = [](const char* object, Set::Values values) {
    Set s = table();
    s.add("light.point", "Lamp", {{"power", "4000"}, {"position", "0, 2, 0"}});
    s.add("pattern.noise", "Cloud", {{"scale", "0.2"}, {"space", "texture"}});
    s.add("material.surface", "Jade", {{"roughness", "pattern Cloud"}});
    const NodeId id = s.add(object, "Thing", {{"material", "Jade"}});
    s.set(id, values);
    return s.take();
  };
  mends(with("object.sphere", {}), "Cloud", "a seam shows");
  const Document plain = with("object.box", {}); // made wires, it loses them
  mends(addNode(plain, "modifier.cage", "Wires", {plain.findByName("Thing")->id, "modifiers", 0}), "Cloud",
        "Thing has none");
  // Checks that come out even have no seam.
  Document even = with("object.sphere", {});
  NodeId made = 0;
  even = addNode(even, "pattern.stripes", "Rings", {}, &made);
  even = setValue(even, made, "space", Constant(std::string("texture")));
  even = setValue(even, made, "pitch", Constant(0.25));
  even = setValue(even, even.findByName("Jade")->id, "roughness", PatternUse{{made, nullptr}});
  CHECK(found(even).empty());
}

TEST_CASE("Edges that a body does not have are told", "[findings][pattern]") {
  const auto with = [](const char* object) {
    Set s = table();
    s.add("light.point", "Lamp", {{"power", "4000"}, {"position", "0, 2, 0"}});
    s.add("pattern.edges", "Wear", {{"reach", "0.05"}});
    s.add("material.surface", "Jade", {{"roughness", "pattern Wear"}});
    s.add(object, "Thing", {{"material", "Jade"}});
    return found(s.take());
  };
  const std::vector<Finding> ball = with("object.sphere");
  REQUIRE(ball.size() == 1);
  CHECK_THAT(ball[0].text, Catch::Contains("Wear finds nothing on Thing"));
  CHECK(with("object.box").empty());
}
