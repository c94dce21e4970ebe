#include "core/air/haze.h"
#include "core/effects/route.h"

#include "tests/support/route.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// A spot above a floor with its beam.
Set beamSet() {
  Set s(64, 48);
  s.look("0, 1, 5", "0, 1, 0", "35");
  s.lambert("Stone", "0.3, 0.3, 0.3");
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"material", "Stone"}});
  s.add("light.spot", "Spot", {{"power", "20000"}, {"position", "0, 2.5, 0"}, {"target", "0, 0, 0"}, {"cone", "20"}});
  s.add("air.beam", "Beam", {{"light", "Spot"}, {"reach", "2.6"}, {"density", "0.2"}});
  s.add("effect.shafts", "Shafts", {{"from", "Spot"}, {"through", "Beam"}, {"onto", "Floor"}});
  return s;
}

// The finding that is expected; its first mend takes it away.
void mends(const Document& doc, const char* effect, const char* words) {
  const Route r = measured(doc, effect);
  const auto it = std::find_if(r.findings.begin(), r.findings.end(),
                               [&](const Finding& f) { return f.text.find(words) != std::string::npos; });
  std::string all;
  for (const Finding& f : r.findings) all += f.text + "\n";
  CAPTURE(words, all);
  REQUIRE(it != r.findings.end());
  REQUIRE_FALSE(it->mends.empty());
  for (const Finding& f : measured(applyMend(doc, it->mends.front()), effect).findings) CHECK(f.text != it->text);
}

} // namespace

TEST_CASE("The route of a beam: emitted, into the air, turned there by its optical depth, in sight", "[advise][air]") {
  Set s = beamSet();
  s.set(s.find("Beam"), {{"edge", "0"}, {"fade", "0"}});
  const Route r = measured(s.peek(), "Shafts");
  CHECK(r.emitted == Approx(20000));
  CHECK(station(r, "through").share == Approx(1).epsilon(0.01));
  // 2.5 m of 0.2 a metre, to the floor.
  CHECK(station(r, "scattered").share == Approx(1 - std::exp(-0.51)).epsilon(0.02));
  CHECK(r.seen > 0.8);
  CHECK(r.pictureShare > 0.02);
  CHECK(r.pictureShare < 1);
  for (const Finding& f : r.findings) UNSCOPED_INFO(f.text);
  CHECK(stateWord(r, true) == "works");
  // What absorbs takes its share.
  s.set(s.find("Beam"), {{"color", "0.5, 0.5, 0.5"}});
  const Route half = measured(s.peek(), "Shafts");
  CHECK(station(half, "scattered").share == Approx(0.5 * (1 - std::exp(-0.51))).epsilon(0.02));
}

TEST_CASE("What stands in the way of the light is named with its share", "[advise][air]") {
  Set s = beamSet();
  s.add("object.plane", "Shelf", {{"width", "8"}, {"depth", "4"}, {"position", "4, 2.3, 0"}, {"material", "Stone"}});
  s.set(s.find("Beam"), {{"start", "0.5"}});
  const Route r = measured(s.peek(), "Shafts");
  const Station& in = station(r, "through");
  REQUIRE_FALSE(in.losses.empty());
  CHECK(in.losses.front().by == "Shelf");
  CHECK(in.losses.front().share == Approx(0.5).epsilon(0.05));
  CHECK(in.share == Approx(0.5).epsilon(0.05));
}

TEST_CASE("Troubles of air are found, and mended", "[advise][air]") {
  const auto with = [](std::initializer_list<std::pair<const char*, const char*>> values) {
    Set s = beamSet();
    s.set(s.find("Beam"), values);
    return s.take();
  };
  mends(with({{"density", "40"}}), "Shafts", "Nothing crosses Beam");
  mends(with({{"density", "0"}}), "Shafts", "Beam has a density of 0");
  mends(with({{"shown", "off"}}), "Shafts", "Beam is not shown");
  mends(with({{"reach", "1"}}), "Shafts", "Beam ends 1.5 m before Floor");
  {
    Set s = beamSet();
    s.set(s.find("Spot"), {{"power", "0"}});
    mends(s.take(), "Shafts", "Spot gives no light");
  }
  {
    Set s = beamSet();
    s.set(s.add("object.sphere", "Ball", {{"radius", "0.3"}, {"position", "3, 0.3, 0"}}), {{"shown", "off"}});
    s.add("air.haze", "Haze", {{"fills", "Ball"}});
    s.set(s.find("Shafts"), {{"through", "Haze"}});
    mends(s.take(), "Shafts", "The light of Spot misses Haze");
  }
  {
    Set s = beamSet();
    s.add("air.haze", "Haze", {{"fills", "Floor"}});
    s.set(s.find("Shafts"), {{"through", "Haze"}});
    mends(s.take(), "Shafts", "Haze.fills: Floor is open, so it has no inside");
  }
  {
    Set s = beamSet();
    s.set(s.find("Shafts"), {{"on", "off"}});
    mends(s.take(), "Shafts", "Shafts is off");
  }
}

TEST_CASE("A closed opening is found with what stands in it", "[advise][air]") {
  Set s = beamSet();
  const NodeId hole = s.add("object.path", "Hole", {{"closed", "on"}, {"thickness", "0"}});
  for (const char* p : {"-0.3, 1.5, -0.3", "0.3, 1.5, -0.3", "0.3, 1.5, 0.3", "-0.3, 1.5, 0.3"})
    s.add("path.point", "Corner", {{"place", p}, {"sharp", "on"}}, {hole, "points"});
  s.set(s.find("Beam"), {{"opening", "Hole"}});
  CHECK(stateWord(measured(s.peek(), "Shafts"), true) == "works");
  s.add("object.box", "Lid",
        {{"width", "2"}, {"depth", "2"}, {"height", "0.05"}, {"position", "0, 1.54, 0"}, {"material", "Stone"}});
  mends(s.take(), "Shafts", "The opening of Beam is closed: Lid stands in it");
}

TEST_CASE("Air that scatters less than the noise shows is found, and denser it shows", "[advise][air]") {
  Set s = beamSet();
  // A lamp that lights the floor with hard-won light: noise all over.
  s.add("light.area", "Window",
        {{"power", "4000000"}, {"position", "-3, 4, 3"}, {"target", "0, 0, 0"}, {"width", "4"}, {"height", "4"}});
  s.add("object.box", "Lattice",
        {{"width", "0.1"}, {"height", "3"}, {"depth", "6"}, {"position", "-1.5, 2, 1.5"}, {"material", "Stone"}});
  s.set(s.find("Beam"), {{"density", "0.0002"}});
  const Document doc = s.take();
  const Route r = measured(doc, "Shafts", 16);
  const auto it = std::find_if(r.findings.begin(), r.findings.end(), [](const Finding& f) {
    return f.text.starts_with("Beam scatters less than the noise shows");
  });
  REQUIRE(it != r.findings.end());
  REQUIRE_FALSE(it->mends.empty());
  CHECK(it->mends.front().text.starts_with("Raise the density"));
  CHECK(measured(applyMend(doc, it->mends.front()), "Shafts", 16).pictureShare > 5 * r.pictureShare);
}

TEST_CASE("An effect whose air is gone says so, though other air is there", "[advise][air]") {
  Set s = beamSet();
  s.set(s.find("Shafts"), {{"through", ""}});
  const Route r = measured(s.take(), "Shafts");
  REQUIRE_FALSE(r.findings.empty());
  CHECK(r.findings.front().text == "Through is empty: no air shows the light");
  CHECK(stateWord(r, true) == "nothing shows");
}

TEST_CASE("The camera inside its haze is a note, not a fault", "[advise][air]") {
  Set s = beamSet();
  s.set(s.add("object.box", "Room", {{"width", "16"}, {"height", "6"}, {"depth", "16"}, {"position", "0, 3, 0"}}),
        {{"shown", "off"}});
  s.add("air.haze", "Haze", {{"fills", "Room"}, {"density", "0.05"}});
  s.set(s.find("Shafts"), {{"through", "Haze"}});
  const Route r = measured(s.peek(), "Shafts");
  REQUIRE_FALSE(r.findings.empty());
  CHECK(r.findings.back().text == "The camera is inside Haze");
  CHECK(r.findings.back().weight == Finding::Weight::Note);
}

TEST_CASE("Every effect of the air makes what it needs in an empty set, and shows", "[advise][air][effect]") {
  for (const char* kind : {"effect.shafts", "effect.lamp_in_mist", "effect.projector_beam", "effect.mist",
                           "effect.nebula", "effect.air_glow"}) {
    CAPTURE(kind);
    Set s(64, 48);
    s.look("0, 1, 5", "0, 1, 0", "35");
    s.lambert("Stone", "0.3, 0.3, 0.3");
    s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"material", "Stone"}});
    if (std::string(kind) == "effect.mist")
      s.add("light.area", "Window", {{"power", "60000"}, {"position", "-3, 4, 3"}, {"target", "0, 0, 0"}});
    NodeId made = 0;
    std::vector<std::string> told;
    const Document doc = addEffect(s.peek(), kind, {}, &made, &told);
    CHECK(problems(doc).empty());
    CHECK_FALSE(told.empty());
    const Route r = measured(doc, doc.find(made)->name.c_str(), 16);
    for (const Finding& f : r.findings) UNSCOPED_INFO(f.text);
    CHECK(stateWord(r, true) == "works");
    CHECK(r.pictureShare > 0.002);
    // And off, its air is not there.
    CHECK(trace(setValue(doc, made, "on", Constant(false)), 1).scene->media == nullptr);
  }
}

TEST_CASE("An effect takes the light and the opening that are selected", "[advise][air][effect]") {
  Set s(64, 48);
  s.look("0, 1, 5", "0, 1, 0", "35");
  s.add("light.sun", "Sun", {});
  const NodeId hole = s.add("object.path", "Hole", {{"closed", "on"}});
  for (const char* p : {"-1, 0.5, 0", "-1, 1.5, 0", "1, 1.5, 0", "1, 0.5, 0"})
    s.add("path.point", "Corner", {{"place", p}, {"sharp", "on"}}, {hole, "points"});
  NodeId made = 0;
  const Document doc = addEffect(s.peek(), "effect.shafts", {s.find("Sun"), hole}, &made, nullptr);
  const std::vector<NodeId> air = roleOf(doc, *doc.find(made), "through");
  REQUIRE(air.size() == 1);
  const Params beam(*doc.find(air.front()), 1);
  CHECK(beam.node().kind->id == "air.beam");
  CHECK(beam.reference("opening").target == hole);
  CHECK(beam.reference("light").target == s.find("Sun"));
  CHECK(roleOf(doc, *doc.find(made), "onto").empty());
}
