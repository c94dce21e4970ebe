// The measured route of gathered light, what it finds, what mends it, and what is made where a set lacks something.
#include "core/document/edit.h"
#include "core/effects/caustics_route.h"
#include "core/effects/effect.h"
#include "tests/support/route.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Route measure(const Document& doc, const char* effect = "Caustics", uint32_t samples = 4) {
  return measured(doc, effect, samples);
}

Set table() {
  Set s(64, 48);
  s.look("0, 1.4, 1.4", "0, 0, 0", "50");
  s.lambert("Grey", "0.5, 0.5, 0.5");
  s.preset("Glass", "Crown glass");
  s.add("object.plane", "Table", {{"width", "6"}, {"depth", "6"}, {"material", "Grey"}});
  s.add("object.sphere", "Ball", {{"radius", "0.15"}, {"position", "0, 0.2, 0"}, {"material", "Glass"}});
  s.add("light.point", "Lamp", {{"power", "3000"}, {"position", "-0.5, 1.2, -0.5"}, {"radius", "0.01"}});
  s.add("effect.caustics", "Caustics", {{"from", "Lamp"}, {"through", "Ball"}, {"onto", "Table"}});
  return s;
}

void mends(const Document& doc, const char* words, size_t least = 1) { checkMends(doc, "Caustics", 4, words, least); }

} // namespace

TEST_CASE("The route of gathered light: met by glass, landed on the table, in sight", "[caustics][route]") {
  const Set s = table();
  const Route r = measure(s.peek());
  for (const Finding& f : r.findings) UNSCOPED_INFO(f.text);
  CHECK(stateWord(r, true) == "works");
  CHECK(r.emitted == Approx(3000).epsilon(0.01));
  // The ball's share of the sphere of directions, seen from the lamp.
  const double d2 = 0.25 + 0.25 + 1, share = 0.5 * (1 - std::sqrt(1 - 0.0225 / d2));
  CHECK(station(r, "through").share == Approx(share).epsilon(0.04));
  CHECK(station(r, "onto").share > 0.8 * share);
  CHECK(station(r, "onto").share < share);
  CHECK(r.seen > 0.5);
  CHECK(r.pictureShare > 0.01);
  // What passes the glass by is no light that something blocks.
  for (const Loss& l : station(r, "through").losses) CHECK(l.by == "misses it");
}

TEST_CASE("Rough but narrow glass and metal are followed by the route too", "[caustics][route]") {
  Set s = table();
  s.set(s.find("Glass"), {{"roughness", "0.15"}, {"abbe", "0"}});
  for (const char* metalness : {"0", "1"}) {
    CAPTURE(metalness);
    s.set(s.find("Glass"), {{"metalness", metalness}});
    const Route r = measure(s.peek());
    for (const Finding& f : r.findings) UNSCOPED_INFO(f.text);
    CHECK(stateWord(r, true) != "nothing shows"); // weak beside other light, but there
    for (const Loss& l : station(r, "through").losses) CHECK(l.by == "misses it");
    for (const Loss& l : station(r, "onto").losses) CHECK(l.by != "Ball");
    CHECK(station(r, "onto").share > 0.05 * station(r, "through").share);
  }
}

TEST_CASE("Where the air alone is lit, the route tells what is turned there", "[caustics][route][air]") {
  Set s = table();
  s.add("air.haze", "Haze", {{"density", "0.4"}});
  s.set(s.find("Caustics"), {{"onto", "Haze"}});
  const Route r = measure(s.peek());
  for (const Finding& f : r.findings) UNSCOPED_INFO(f.text);
  CHECK_FALSE(find(r, "misses"));
  CHECK(station(r, "onto").reading.find("turned in the air") != std::string::npos);
  CHECK(station(r, "onto").share > 0);
  CHECK(r.seen > 0.3);
}

TEST_CASE("What keeps light from being gathered is found and mended", "[caustics][route][finding]") {
  Set s = table();
  const auto changed = [&](const char* node, const char* param, const char* value) {
    const NodeId id = s.find(node);
    return setValue(s.peek(), id, param, parseValue(s.peek(), *s.peek().find(id)->kind->param(param), value));
  };
  CHECK(find(measure(changed("Caustics", "from", "none")), "From is empty"));
  CHECK(find(measure(changed("Caustics", "through", "none")), "Through is empty"));
  mends(changed("Lamp", "on", "off"), "gives no light");
  mends(changed("Ball", "shown", "off"), "is not shown");
  mends(changed("Ball", "light_through", "blocked"), "lets no light of lamps through");
  mends(changed("Ball", "casts_shadow", "off"), "casts no shadow");
  mends(changed("Ball", "material", "Grey"), "its surface is matte", 2);
  mends(changed("Lamp", "caustics", "off"), "switched off for caustics");
  mends(changed("Lamp", "clear_shadows", "straight"), "goes straight through clear things");
  mends(changed("Lamp", "clear_shadows", "blocked"), "blocked by all clear things");
  mends(changed("Grey", "base_color", "0.01, 0.01, 0.01"), "too dark");
  Document sharp = changed("Caustics", "photons", "400");
  sharp = setValue(sharp, s.find("Caustics"), "edge", Constant(1.0));
  mends(sharp, "Too few photons", 2);
  // No more than one pass in all.
  Document few = changed("Caustics", "photons", "20000");
  few = setValue(setValue(few, s.find("Caustics"), "edge", Constant(0.9)), s.find("Caustics"), "all_photons",
                 Constant(0.02));
  CHECK(find(measure(few), "Too few photons"));
  CHECK(find(measure(changed("Caustics", "strength", "2")), "Beyond physics: strength 2"));
  CHECK(find(measure(changed("Caustics", "carry", "60 %")), "carry 60 %"));
  CHECK(find(measure(changed("Camera", "target", "0, 3, 5")), "out of sight"));
}

TEST_CASE("What stands before the glass is named, and moved out of the light's way", "[caustics][route][finding]") {
  Set s = table();
  s.add("object.sphere", "Lid", {{"radius", "0.17"}, {"position", "-0.25, 0.7, -0.25"}, {"material", "Grey"}});
  const Route r = measure(s.peek());
  REQUIRE(station(r, "through").losses.size() >= 1);
  CHECK(std::any_of(station(r, "through").losses.begin(), station(r, "through").losses.end(),
                    [](const Loss& l) { return l.by == "Lid"; }));
  mends(s.peek(), "Lid keeps the light of Lamp from Ball");
}

TEST_CASE("Light that lands elsewhere, or on a mirror, is told", "[caustics][route][finding]") {
  Set s = table();
  s.add("object.plane", "Shelf", {{"width", "0.2"}, {"depth", "0.2"}, {"position", "2, 1, 0"}, {"material", "Grey"}});
  s.set(s.find("Caustics"), {{"onto", "Shelf"}});
  mends(s.peek(), "The light misses Shelf: it lands on Table");
  Set m = table();
  m.preset("Silvering", "Quicksilver");
  m.set(m.find("Table"), {{"material", "Silvering"}});
  mends(m.peek(), "Table is a mirror");
}

TEST_CASE("A focus away from the surface is told with its distance", "[caustics][route][finding]") {
  // Parallel light through a ball of index 1.5 crosses at 1.5 radii from its middle, the outer rays nearer.
  Set s(48, 48);
  s.look("0, 1.5, 3", "0, 0.3, 0", "35");
  s.lambert("Grey", "0.5, 0.5, 0.5");
  s.add("material.surface", "Glass",
        {{"base_color", "1, 1, 1"}, {"roughness", "0"}, {"ior", "1.5"}, {"transmission", "1"}});
  s.add("object.plane", "Table", {{"width", "8"}, {"depth", "8"}, {"material", "Grey"}});
  s.add("object.sphere", "Ball", {{"radius", "0.2"}, {"position", "0, 1.1, 0"}, {"material", "Glass"}});
  s.add("light.sun", "Sun", {{"power", "20000"}, {"height", "90"}});
  s.add("effect.caustics", "Caustics", {{"from", "Sun"}, {"through", "Ball"}, {"onto", "Table"}});
  const Route r = measure(s.peek());
  const Finding* f = find(r, "The focus lies");
  REQUIRE(f);
  CHECK(f->weight == Finding::Weight::Note);
  const double height = std::stod(f->text.substr(f->text.find("lies ") + 5));
  CHECK(f->text.find("before the surface") != std::string::npos);
  CHECK(height ==
        Approx(f->text.find(" cm") != std::string::npos ? 83 : 0.83).epsilon(0.06)); // 1.1 m less 1.2 to 1.5 radii
  // With the ball near the table it is on it.
  s.set(s.find("Ball"), {{"position", "0, 0.28, 0"}});
  CHECK_FALSE(find(measure(s.peek()), "The focus lies"));
}

TEST_CASE("A light that washes the pattern out is told with the ratio, and dimmed", "[caustics][route][finding]") {
  Set s = table();
  s.add("light.sky", "Noon sky", {{"power", "3000000"}});
  const Route r = measure(s.peek());
  const Finding* f = find(r, "washes it out");
  REQUIRE(f);
  CHECK(f->text.find('%') != std::string::npos);
  mends(s.peek(), "washes it out");
}

TEST_CASE("Smooth normals on a coarse shape are told where they bend the light", "[caustics][route][finding]") {
  Set s = table();
  s.add(
      "object.cylinder", "Tumbler",
      {{"radius", "0.1"}, {"height", "0.2"}, {"segments", "12"}, {"position", "0.4, 0.11, 0"}, {"material", "Glass"}});
  s.set(s.find("Caustics"), {{"through", "Ball, Tumbler"}});
  CHECK(find(measure(s.peek()), "The smooth normals of Tumbler"));
  s.set(s.find("Tumbler"), {{"segments", "256"}});
  CHECK_FALSE(find(measure(s.peek()), "The smooth normals"));
}

TEST_CASE("From an empty set to a caustic on a table: what is missing is made and told", "[caustics][effect]") {
  Set s(96, 64);
  s.look("0, 0.9, 2.2", "0, 0.2, 0", "40");
  NodeId made = 0;
  std::vector<std::string> told;
  const Document doc = addEffect(s.peek(), "effect.caustics", {}, &made, &told);
  CHECK(problems(doc).empty());
  CHECK(told.size() >= 3); // a ball, a table, a lamp
  const Route r = measure(doc, doc.find(made)->name.c_str(), 16);
  for (const Finding& f : r.findings) UNSCOPED_INFO(f.text);
  CHECK(stateWord(r, true) == "works");
  CHECK(r.pictureShare > 0.01);
  CHECK(r.seen > 0.5);
}

TEST_CASE("What is selected is what the light goes through; a bright sky steps back", "[caustics][effect]") {
  Set s = table();
  s.add("light.sky", "Noon sky", {{"power", "20000"}});
  const Document before = [&] {
    Document d = s.peek();
    return removeNode(d, s.find("Caustics"));
  }();
  NodeId made = 0;
  std::vector<std::string> told;
  const Document doc = addEffect(before, "effect.caustics", {s.find("Ball")}, &made, &told);
  CHECK(roleOf(doc, *doc.find(made), "through") == std::vector<NodeId>{s.find("Ball")});
  CHECK(roleOf(doc, *doc.find(made), "from") == std::vector<NodeId>{s.find("Lamp")});
  CHECK(Params(*doc.find(s.find("Noon sky")), 1).number("stops") < -1);
  CHECK(std::any_of(told.begin(), told.end(),
                    [](const std::string& t) { return t.find("Noon sky") != std::string::npos; }));
}

TEST_CASE("The before and after of the effect differ where the pattern is, and nowhere else", "[caustics][effect]") {
  Set s = table();
  const auto picture = [&](const char* on) {
    s.set(s.find("Caustics"), {{"on", on}});
    return luminances(trace(s.peek(), 64));
  };
  const Picture after = picture("on"), before = picture("off");
  // Far from the ball nothing has changed but grain.
  CHECK(mean(after, {0, 40, 12, 8}) == Approx(mean(before, {0, 40, 12, 8})).epsilon(0.02));
  double most = 0;
  for (size_t i = 0; i < after.rgb.size(); ++i) most = std::max(most, double(after.rgb[i] - before.rgb[i]));
  CHECK(most > 3 * mean(before));
}
