// What effects lay over objects: contact lines and changeovers, by the area that they cover; lit panels.
#include "core/document/file.h"
#include "core/effects/dressing.h"
#include "core/geometry/shape.h"
#include "core/pattern/lines.h"
#include "tests/support/route.h"

#include <fmt/format.h>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// A pool of 4 m² at y = 0, in which a ball of half a metre stands half way.
Document stonePool() {
  Set s(96, 64);
  s.look("0, 3, 3", "0, 0, 0", "40");
  s.lambert("Water", "0.1, 0.1, 0.1");
  s.lambert("Stone", "0.5, 0.5, 0.5");
  s.add("object.plane", "Pool", {{"width", "4"}, {"depth", "4"}, {"material", "Water"}});
  s.add("object.sphere", "Gem", {{"radius", "0.5"}, {"material", "Stone"}});
  s.add("light.point", "Lamp", {{"power", "8000"}, {"position", "1, 4, 2"}});
  return s.take();
}

Document with(const Document& doc, const std::string& address, const char* text) {
  const Address a = resolve(doc, address);
  return setAt(doc, a, parseValue(doc, definitionAt(doc, a), text));
}

Document effectOn(const Document& doc, const char* kind, std::vector<const char*> things, std::string* name,
                  std::vector<std::string>* told = nullptr) {
  std::vector<NodeId> ids;
  for (const char* t : things) ids.push_back(doc.findByName(t)->id);
  NodeId made = 0;
  const Document out = addEffect(doc, kind, ids, &made, told);
  *name = out.find(made)->name;
  return out;
}

std::string wearing(const Document& doc, const char* object) {
  return doc.find(wornMaterial(doc, *doc.findByName(object), 1).target)->name;
}

} // namespace

TEST_CASE("A contact line runs where a gem meets water, and covers the ring that it says", "[effects][route]") {
  std::string name;
  Document doc = effectOn(stonePool(), "effect.contact_line", {"Gem", "Pool"}, &name);
  CHECK(wearing(doc, "Pool") == name + " on Water");
  CHECK(wearing(doc, "Gem") == "Stone");
  // A ring without holes and with a hard edge is as wide as its reach.
  const std::string edge = doc.find(roleOf(doc, *doc.findByName(name), "look").front())->name;
  doc = with(with(with(doc, edge + ".broken", "0"), edge + ".edge", "0"), edge + ".reach", "0.25");
  const Route r = measured(doc, name.c_str(), 4);
  CHECK(stateWord(r, true) == "works");
  // What lies within the gem is covered too: the circle of a place a quarter of a metre off it.
  const double area = 3.14159265 * 0.75 * 0.75;
  REQUIRE(r.stations.size() == 3);
  CHECK(r.stations[1].reading.find(fmt::format("{:.0f} %", 100 * area / 16)) != std::string::npos);
  CHECK(r.seen > 0.3);
  CHECK(r.seen < 0.9); // the gem hides what lies behind it
}

TEST_CASE("A contact line that reaches nothing says how far it is, and is mended", "[effects][finding]") {
  std::string name;
  Document doc = effectOn(stonePool(), "effect.contact_line", {"Gem", "Pool"}, &name);
  doc = with(doc, "Gem.position", "0, 0.8, 0");
  const Route r = measured(doc, name.c_str(), 4);
  REQUIRE(!r.findings.empty());
  CHECK(r.findings.front().text.find("Nothing is within reach") == 0);
  CHECK(r.findings.front().text.find("30 cm") != std::string::npos);
  REQUIRE(!r.findings.front().mends.empty());
  CHECK(stateWord(measured(applyMend(doc, r.findings.front().mends.front()), name.c_str(), 4), true) == "works");
}

TEST_CASE("Objects join a contact line and leave it, and wear again what they wore", "[effects]") {
  std::string name;
  Document doc = addNode(stonePool(), "object.plane", "Table");
  doc = with(doc, "Table.material", "Water");
  doc = effectOn(doc, "effect.contact_line", {"Gem", "Pool"}, &name);
  const NodeId effect = doc.findByName(name)->id, table = doc.findByName("Table")->id;
  const Document joined = fillRoles(doc, effect, {table}, nullptr, "onto");
  CHECK(wearing(joined, "Table") == wearing(joined, "Pool")); // of one material, one layer
  const Document left = leaveRole(joined, effect, "onto", table);
  CHECK(wearing(left, "Table") == "Water");
  CHECK(wearing(left, "Pool") == name + " on Water");
  const Document bare = leaveRole(left, effect, "onto", doc.findByName("Pool")->id);
  CHECK(wearing(bare, "Pool") == "Water");
  CHECK(!bare.findByName(name + " on Water"));
  // Off, nothing of it is left.
  const Route off = measured(with(doc, name + ".on", "off"), name.c_str(), 4);
  CHECK(stateWord(off, false) == "off");
  CHECK(off.stations[1].reading == "nothing covered");
}

TEST_CASE("A changeover turns what lies in its zone, from nothing to all by one number", "[effects][route]") {
  std::string name;
  Document doc = effectOn(stonePool(), "effect.changeover", {"Gem"}, &name);
  const std::string zone = name + " zone";
  REQUIRE(doc.findByName(zone));
  // A half-space through the middle, with nothing that breaks its edge.
  for (const Node* n : doc.family("pattern"))
    if (n->kind->id == "pattern.zone") doc = resetValue(doc, n->id, "pushed");
  doc = with(doc, zone + ".form", "half-space");
  doc = with(doc, zone + ".position", "0, 0, 0");
  doc = with(doc, zone + ".size", "1, 1, 1");
  doc = with(doc, zone + ".share", "100 %");
  doc = with(doc, zone + ".edge", "0");
  const auto turned = [&](const Document& d) { return measured(d, name.c_str(), 4).stations[2].reading; };
  CHECK(turned(doc) == "50 % turned, 50 % as it was");
  // A sphere's area goes with its height: a quarter of it lies below a plane a quarter of the way up.
  CHECK(turned(with(doc, zone + ".share", "75 %")) == "25 % turned, 75 % as it was");
  CHECK(turned(with(doc, zone + ".inverted", "on")) == "50 % turned, 50 % as it was");
  CHECK(turned(with(doc, zone + ".share", "0")) == "0 % turned, 100 % as it was");
  const Route begun = measured(with(doc, zone + ".share", "0"), name.c_str(), 4);
  CHECK(stateWord(begun, true) != "works");
  // Off, all is as it was; without the effect too.
  CHECK(turned(with(doc, name + ".on", "off")) == "0 % turned, 100 % as it was");
  const Document gone = withoutEffect(doc, doc.findByName(name)->id);
  CHECK(!gone.findByName(name));
  CHECK(wearing(gone, "Gem") == "Stone");
  // The rim has light of its own, which the lens spreads.
  CHECK(measured(doc, name.c_str(), 4).emitted > 0);
  CHECK(!roleOf(doc, *doc.findByName(name), "lens").empty());
}

TEST_CASE("Every effect that lays a look is made from nothing, whole and showing", "[effects]") {
  for (const char* kind : {"effect.contact_line", "effect.changeover", "effect.lit_panel"}) {
    CAPTURE(kind);
    Set s(96, 64);
    std::string name;
    std::vector<std::string> told;
    const Document doc = effectOn(s.take(), kind, {}, &name, &told);
    CHECK(!told.empty());
    CHECK(problems(doc).empty());
    const Route r = measured(doc, name.c_str(), 8);
    std::string findings;
    for (const Finding& f : r.findings) findings += f.text + "\n";
    CAPTURE(findings);
    CHECK(stateWord(r, true) == "works");
    // Through a file and back it is the same.
    CHECK(fromJson(kinds(), toJson(doc)) == doc);
  }
}

TEST_CASE("A lit panel that is off is dark, with its lamps and its beams", "[effects]") {
  Set s(96, 64);
  std::string name;
  Document doc = effectOn(s.take(), "effect.lit_panel", {}, &name);
  CHECK(mean(luminances(trace(doc, 4))) > 1);
  doc = with(doc, name + ".on", "off");
  CHECK(mean(luminances(trace(doc, 4))) == 0);
}

TEST_CASE("The lines of a pattern say how each stands to the next, and one that is taken out goes alone", "[pattern]") {
  Set s;
  s.add("material.surface", "Brass", {});
  s.add("pattern.noise", "Flecks", {});
  s.add("pattern.stripes", "Bands", {});
  s.add("pattern.noise", "Bent", {});
  const NodeId layers = s.add("pattern.layers", "Wear", {{"below", "pattern Bands"}});
  s.add("coat.layer", "Rust", {{"amount", "pattern Flecks"}}, {layers, "layers"});
  s.set(s.find("Bands"), {{"push", "pattern Bent"}});
  s.set(s.find("Brass"), {{"roughness", "pattern Wear"}});
  const Document doc = s.take();
  const auto lines = patternLines(doc, {layers, nullptr});
  std::string text;
  for (const PatternLine& l : lines)
    text += fmt::format("{}{} {}\n", std::string(size_t(l.depth), '-'), l.words, doc.find(l.node)->name);
  CHECK(text == " Wear\n- Rust\n--only where Flecks\n-on Bands\n--Pushed Bent\n");
  const auto uses = patternUses(doc, doc.findByName("Bent")->id);
  REQUIRE(uses.size() == 1);
  CHECK(addressText(doc, uses.front()) == "Brass.roughness");
  const Document without = withoutLine(doc, lines[3]);
  CHECK(!without.findByName("Bands"));
  CHECK(!without.findByName("Bent"));
  CHECK(without.findByName("Flecks"));
  CHECK(!withoutLine(doc, lines[1]).findByName("Rust"));
}

TEST_CASE("An effect is linked to another object: looks are shared, what names it is its own", "[effects][linked]") {
  Set s;
  s.look("0, 1, 4", "0, 0, 0", "35");
  for (const char* name : {"Ball", "Block", "Floor", "Pond"}) s.add("object.box", name, {});
  s.add("light.point", "Lamp", {{"position", "0, 3, 2"}});
  NodeId line = s.effect("effect.contact_line", "Foam", {"Floor", "Ball"});
  Document doc = s.take();
  const NodeId pond = doc.findByName("Pond")->id, block = doc.findByName("Block")->id;
  const std::vector<std::string> roles = rolesFor(doc, *doc.find(line), pond);
  REQUIRE(roles.size() >= 2);
  NodeId made = 0;
  const Document linked = linkedEffect(doc, line, roles.front(), pond, &made);
  CHECK(problems(linked).empty());
  const Node &first = *linked.find(line), &second = *linked.find(made);
  CHECK(second.name == "Foam on Pond");
  CHECK(roleOf(linked, second, roles.front()) == std::vector<NodeId>{pond});
  CHECK(roleOf(linked, first, roles.front()) == roleOf(doc, *doc.find(line), roles.front()));
  CHECK(roleOf(linked, second, roles[1]) == roleOf(linked, first, roles[1]));
  // The foam is the same material, the mask is another.
  const auto looks = roleOf(linked, first, "look"), others = roleOf(linked, second, "look");
  REQUIRE(looks.size() == others.size());
  int shared = 0, own = 0;
  for (const NodeId id : others) (std::find(looks.begin(), looks.end(), id) != looks.end() ? shared : own) += 1;
  CHECK(shared >= 1);
  CHECK(own == 1);
  // The pond wears it now, and the other things are as they were.
  CHECK(wornMaterial(linked, *linked.find(pond), 1).target != wornMaterial(doc, *doc.find(pond), 1).target);
  CHECK(wornMaterial(linked, *linked.find(block), 1).target == wornMaterial(doc, *doc.find(block), 1).target);
  CHECK_THROWS_WITH(linkedEffect(doc, line, roles.front(), doc.findByName("Lamp")->id),
                    Catch::Contains("does not fit"));
}

TEST_CASE("What is see-through by its opacity stays so in both looks of a changeover",
          "[effects][changeover][openings]") {
  Set s(48, 48);
  s.look("0, 0, 4", "0, 0, 0", "50");
  s.add("pattern.stripes", "Holes", {{"pitch", "0.25"}, {"edge", "0"}, {"low", "0"}, {"high", "1"}});
  s.lambert("Lattice", "0.2, 0.2, 0.2");
  s.set(s.find("Lattice"), {{"opacity", "pattern Holes"}});
  s.add("object.box", "Panel", {{"width", "1"}, {"height", "1"}, {"depth", "0.01"}, {"material", "Lattice"}});
  s.add("light.point", "Lamp", {{"position", "0, 2, 3"}});
  s.effect("effect.changeover", "Turn", {"Panel"});
  const Document doc = s.take();
  const NodeId layer = wornMaterial(doc, *doc.findByName("Panel"), 1).target;
  REQUIRE(doc.find(layer)->kind->id == "material.layer");
  // As much of the panel is open, whichever look it has: by the alpha of the picture.
  const auto open = [&](double mask, bool keeps) {
    Document now = doc;
    for (NodeId l = layer; l && doc.find(l)->kind->id == "material.layer";
         l = Params(*doc.find(l), 1).reference("below").target) {
      now = setValue(now, l, "mask", Constant(mask));
      now = setValue(now, l, "keeps_openings", Constant(keeps));
    }
    const Traced t = trace(now, 16);
    double closed = 0;
    for (size_t i = 0; i < 48 * 48; ++i) closed += double(t.film().alpha(i)) / (48 * 48);
    return closed;
  };
  const double before = open(0, true);
  CHECK(open(1, true) == Approx(before).margin(0.01));
  CHECK(open(1, false) > 1.5 * before);
}
