// The stack: order, sources, blends, and where stages act.
#include "core/compile/compile.h"
#include "core/compile/sight.h"
#include "core/document/units.h"
#include "core/lens/blend.h"
#include "core/lens/develop.h"
#include "core/lens/preset.h"
#include "core/lens/queries.h"
#include "tests/support/lens.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document add(const Document& doc, const char* kind, const char* name,
             std::initializer_list<std::pair<const char*, const char*>> values, const Place& place = {}) {
  Document out = addNode(doc, kind, name, place);
  for (const auto& [param, value] : values) out = changed(out, std::string(name) + "." + param, value);
  return out;
}

NodeId id(const Document& doc, const char* name) { return doc.findByName(name)->id; }

} // namespace

TEST_CASE("Blends are the usual ones up to 1 and go on without a step", "[lens][blend]") {
  CHECK(blended(LensBlend::Add, 0.3f, 0.5f) == Approx(0.8f));
  CHECK(blended(LensBlend::Screen, 0.3f, 0.5f) == Approx(0.65f));
  CHECK(blended(LensBlend::Screen, 0.3f, 5) == 5);
  CHECK(blended(LensBlend::Screen, 7, 5) == 7);
  CHECK(blended(LensBlend::Overlay, 0.25f, 0.5f) == Approx(0.25f));
  CHECK(blended(LensBlend::Overlay, 0.75f, 0.5f) == Approx(0.75f));
  CHECK(blended(LensBlend::Overlay, 4, 0.5f) == 4);
  CHECK(blended(LensBlend::Multiply, 4, 0.5f) == 2);
  CHECK(blended(LensBlend::Lighter, 4, 5) == 5);
  CHECK(blended(LensBlend::Darker, 4, 5) == 4);
  CHECK(blended(LensBlend::Subtract, 4, 5) == -1);
  CHECK(blended(LensBlend::Difference, 4, 5) == 1);
  for (int m = 0; m < int(lensBlendNames().size()); ++m)
    for (const float s : {0.0f, 0.2f, 0.9f, 1.0f, 1.1f, 6.0f})
      for (float b = 0; b < 3; b += 0.01f) {
        const auto mode = LensBlend(m);
        REQUIRE(std::abs(blended(mode, b + 0.01f, s) - blended(mode, b, s)) < 0.1f + 0.02f * s);
        REQUIRE(std::abs(blended(mode, b, s + 0.01f) - blended(mode, b, s)) < 0.1f + 0.02f * b);
      }
}

TEST_CASE("A blend is what the blend says, pixel by pixel, and its shares sum to it", "[lens][blend]") {
  const Picture p = speckled(20, 14, 2);
  for (const std::string& mode : lensBlendNames()) {
    CAPTURE(mode);
    Document doc = stageDocument("lens.streaks", {{"keyed", "off"}, {"amount", "100 %"}, {"length", "5 %"}});
    const LensWork w = worked(doc, p);
    doc = changed(doc, "Stage.blend", mode);
    const LensResult r = lensed(doc, p);
    for (size_t i = 0; i < p.rgb.size(); ++i)
      REQUIRE(r.picture.rgb[i] ==
              Approx(blended(lensBlend(mode), p.rgb[i] - w.taken.rgb[i], w.spread.rgb[i])).epsilon(1e-4).margin(1e-5));
    // Half of it: half the way there.
    const LensResult half = lensed(changed(doc, "Stage.amount", "50 %"), p);
    for (size_t i = 0; i < p.rgb.size(); ++i)
      REQUIRE(half.picture.rgb[i] == Approx(0.5f * (p.rgb[i] + r.picture.rgb[i])).epsilon(1e-4).margin(1e-5));
  }
}

TEST_CASE("The order of stages matters: what comes later works on what came before", "[lens][stack]") {
  Document doc = stageDocument("lens.glow", {{"amount", "80 %"}, {"size", "8 %"}});
  doc = add(doc, "lens.bands", "Lines", {{"width", "6 %"}, {"gap", "6 %"}, {"soft", "0"}});
  const Picture p = onePixel(64, 64, 32, 35, Color(1000.0f));
  const Picture cut = lensed(doc, p).picture; // glow, then bands: the glow is cut
  const Document other = moveNode(doc, id(doc, "Lines"), {0, "", 0});
  REQUIRE(lensStages(other).front()->name == "Lines");
  const Picture soft = lensed(other, p).picture; // bands, then glow: it goes over the gaps
  int dark = 0, darkToo = 0;
  for (int y = 20; y < 44; ++y) {
    dark += cut.at(20, y)[0] == 0;
    darkToo += soft.at(20, y)[0] == 0;
  }
  CHECK(dark >= 8);
  CHECK(darkToo == 0);
}

TEST_CASE("A stage's light goes on as light of its sources: later stages that name them take it, others do not",
          "[lens][stack][labels]") {
  Set s(64, 64);
  s.look("0, 0, 3", "0, 0, 0");
  s.add("light.point", "One", {});
  s.add("light.point", "Two", {});
  s.add("lens.glow", "Halo", {{"sources", "One"}, {"amount", "100 %"}, {"size", "6 %"}});
  s.add("lens.grade", "Gone", {{"sources", "One"}, {"exposure", "-40 stops"}});
  const Document doc = s.take();
  const auto picture = [&](const Document& d) {
    LensLight light;
    const LayerQuery one = sourceQuery(d, *d.findByName("Halo")), two = sourceQuery(d, *d.findByName("Gone"));
    light.layers.push_back({{one, two}, onePixel(64, 64, 20, 32)});
    light.layers.push_back({{}, onePixel(64, 64, 44, 32)});
    // What both light: in neither alone.
    return applyLens(LensContext::of(d, 1, 64, 64, pool()), std::move(light)).picture;
  };
  // All of the first light is gone, its halo too; the second is untouched.
  const Picture p = picture(doc);
  CHECK(p.at(44, 32)[0] == 100);
  double rest = 0;
  for (size_t i = 0; i < p.rgb.size(); ++i) rest += double(std::abs(p.rgb[i]));
  CHECK(rest == Approx(300).epsilon(1e-5));
}

TEST_CASE("Light that some stages have in common is passed on to each of them", "[lens][stack][labels]") {
  Set s(96, 64);
  s.look("0, 0.6, 4", "0, 0.6, 0", "26");
  s.add("light.point", "Left", {{"power", "700"}, {"radius", "0.15"}, {"position", "-1.8, 0.6, 0"}});
  s.add("light.point", "Middle", {{"power", "700"}, {"radius", "0.15"}, {"position", "0, 0.6, 0"}});
  s.add("light.point", "Right", {{"power", "700"}, {"radius", "0.15"}, {"position", "1.8, 0.6, 0"}});
  s.add("lens.glow", "A", {{"sources", "Left, Middle"}, {"amount", "50 %"}, {"size", "5 %"}});
  s.add("lens.grade", "B", {{"sources", "Middle, Right"}, {"exposure", "-40 stops"}});
  const Document doc = s.take();
  const Traced t = trace(doc, 8);
  CHECK(t.scene->table.cells() == 4); // either alone, both, neither
  // The film answers every question still.
  for (int q = 0; q < int(t.scene->queries.size()); ++q) {
    Picture sum(96, 64);
    for (int c = 0; c < t.scene->table.cells(); ++c)
      if (t.scene->table.layers(q) >> c & 1)
        sum = plus(sum, collectLayers(t.film(), 1u << c, t.scene->groupScales, 1, pool()));
    CHECK(farthest(sum, collect(t.film(), q, t.scene->groupScales, 1, pool())) < 1e-5);
  }
  const Picture p = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool()).picture;
  CHECK(mean(p, {0, 0, 32, 64}) > 1e-3);
  CHECK(mean(p, {64, 0, 32, 64}) <
        1e-3 * mean(p, {0, 0, 32, 64})); // right: gone; of the middle's halo nothing is left either
  // Without the second stage all three are there.
  const Document one = changed(doc, "B.on", "off");
  const Picture all = develop(one, 1, *t.scene, t.film(), t.scene->groupScales, pool()).picture;
  CHECK(mean(all, {64, 0, 32, 64}) > 0.5 * mean(all, {0, 0, 32, 64}));
  // And the shares by light sum to the picture.
  Picture sum(96, 64);
  for (const Picture& share : lightShares(doc, 1, *t.scene, t.film(), t.scene->groupScales, {0, 1, 2}, pool()))
    sum = plus(sum, share);
  CHECK(farthest(sum, p) < 1e-4);
}

TEST_CASE("A stage is confined to shapes drawn in the picture", "[lens][area]") {
  Document doc = stageDocument("lens.grade", {{"exposure", "1 stops"}});
  const NodeId stage = id(doc, "Stage");
  Picture p(60, 60);
  std::fill(p.rgb.begin(), p.rgb.end(), 1.0f);
  doc = add(doc, "area.ellipse", "Round", {{"width", "50 %"}, {"height", "50 %"}, {"soft", "0"}}, {stage, "areas"});
  Picture out = lensed(doc, p).picture;
  CHECK(out.at(30, 30)[0] == Approx(2));
  CHECK(out.at(2, 2)[0] == 1);
  // Its area is that of the ellipse.
  double inside = 0;
  for (size_t i = 0; i < out.pixels(); ++i) inside += double(out.rgb[3 * i]) - 1;
  CHECK(inside == Approx(M_PI * 15 * 15).epsilon(0.02));
  CHECK(lensed(changed(doc, "Stage.acts_elsewhere", "on"), p).picture.at(2, 2)[0] == Approx(2));
  out = lensed(changed(doc, "Round.cuts", "on"), p).picture;
  CHECK(out.at(30, 30)[0] == Approx(1));
  CHECK(out.at(2, 2)[0] == Approx(2));
  doc = add(doc, "area.rectangle", "Bar", {{"width", "100 %"}, {"height", "10 %"}, {"centre_y", "10 %"}, {"soft", "0"}},
            {stage, "areas"});
  out = lensed(doc, p).picture;
  CHECK(out.at(2, 5)[0] == Approx(2));
  CHECK(out.at(2, 20)[0] == Approx(1));
  doc = add(doc, "area.gradient", "Down", {{"centre_y", "0 %"}, {"end_y", "100 %"}, {"cuts", "on"}}, {stage, "areas"});
  out = lensed(doc, p).picture;
  CHECK(out.at(2, 5)[0] > 1.8f);
  CHECK(out.at(30, 44)[0] < out.at(30, 20)[0]);
}

TEST_CASE("A stage acts on what is seen, where and how it is seen", "[lens][stack][labels]") {
  Set s(96, 64);
  s.look("0, 0.6, 4", "0, 0.3, 0", "26");
  s.add("material.surface", "Mirror", {{"base_color", "1, 1, 1"}, {"metalness", "1"}, {"roughness", "0"}});
  s.lambert("Stone", "0.5, 0.5, 0.5");
  s.add("light.sky", "Sky", {{"power", "1"}});
  s.add("object.box", "Water", {{"width", "6"}, {"height", "0.02"}, {"depth", "8"}, {"material", "Mirror"}});
  s.add("object.sphere", "Ball", {{"radius", "0.4"}, {"position", "0, 0.7, 0"}, {"material", "Stone"}});
  s.add("lens.grade", "Lit", {{"exposure", "3 stops"}, {"acts_on", "Ball"}});
  const Document doc = s.take();
  const auto gain = [&](const Document& d) {
    const Traced t = trace(d, 16);
    Picture with = develop(d, 1, *t.scene, t.film(), t.scene->groupScales, pool()).picture;
    const Picture without = develop(d, 1, *t.scene, t.film(), t.scene->groupScales, pool(), {.on = false}).picture;
    for (size_t i = 0; i < with.rgb.size(); ++i) with.rgb[i] = without.rgb[i] > 0 ? with.rgb[i] / without.rgb[i] : 1;
    return with;
  };
  Picture g = gain(doc);
  const auto at = [&](int x, int y) { return g.at(x, y)[0]; };
  CHECK(at(48, 20) == Approx(8).epsilon(0.01)); // the ball
  CHECK(at(48, 50) == Approx(8).epsilon(0.05)); // and its image in the water
  CHECK(at(5, 20) == Approx(1));
  g = gain(changed(doc, "Lit.acts_direct", "off")); // the reflection alone
  CHECK(at(48, 20) == Approx(1));
  CHECK(at(48, 50) == Approx(8).epsilon(0.05));
  g = gain(changed(doc, "Lit.acts_in", "Water")); // the same by where it is seen
  CHECK(at(48, 20) == Approx(1));
  CHECK(at(48, 50) == Approx(8).epsilon(0.05));
  g = gain(changed(doc, "Lit.acts_mirrored", "off"));
  CHECK(at(48, 20) == Approx(8).epsilon(0.01));
  CHECK(at(48, 50) == Approx(1).epsilon(0.05));
}

TEST_CASE("A displacement of what the water shows moves the reflection and never the thing itself",
          "[lens][stack][labels]") {
  Set s(96, 64);
  s.look("0, 0.6, 4", "0, 0.3, 0", "26");
  s.add("material.surface", "Mirror", {{"base_color", "1, 1, 1"}, {"metalness", "1"}, {"roughness", "0"}});
  s.add("material.surface", "Lit", {{"base_color", "0, 0, 0"}, {"own_light", "10"}});
  s.add("object.box", "Water", {{"width", "6"}, {"height", "0.02"}, {"depth", "8"}, {"material", "Mirror"}});
  s.add("object.sphere", "Ball", {{"radius", "0.4"}, {"position", "0, 0.7, 0"}, {"material", "Lit"}});
  s.add("lens.displace", "Ripples",
        {{"sources", "Ball"},
         {"seen_in", "Water"},
         {"direct", "off"},
         {"map", "1"},
         {"across", "12.5 %"},
         {"down", "0"}});
  const Document doc = s.take();
  const Traced t = trace(doc, 16);
  const Picture with = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool()).picture,
                without = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool(), {.on = false}).picture;
  const Picture all = collect(t.film(), 0, t.scene->groupScales, t.scene->exposure, pool());
  double above = 0, below = 0;
  for (int y = 0; y < 64; ++y)
    for (int x = 0; x < 96; ++x) (y < 34 ? above : below) += double(std::abs(with.at(x, y)[0] - without.at(x, y)[0]));
  CHECK(above == 0);
  CHECK(below > 1);
  CHECK(without == all);
  // By 8 pixels: the eighth of the height, to the bit.
  const Picture ball = collect(t.film(), layerIndex(*t.scene, sourceQuery(doc, *doc.findByName("Ripples"))),
                               t.scene->groupScales, t.scene->exposure, pool());
  for (int y = 40; y < 64; ++y)
    for (int x = 20; x < 70; ++x)
      REQUIRE(with.at(x, y)[0] == Approx(all.at(x, y)[0] - ball.at(x, y)[0] + ball.at(x + 8, y)[0]).margin(1e-6));
}

TEST_CASE("A mirror copy alone is a source and a place to act: what it copies keeps its light", "[lens][stack]") {
  // A lit pixel above the hinge at 32, whose copy lies below it.
  Document doc = stageDocument("lens.mirror_copy", {{"amount", "50 %"}, {"hinge_y", "50 %"}, {"reach", "100 %"}});
  const Picture p = onePixel(64, 64, 32, 21, Color(100.0f));
  constexpr int x = 32, y = 21, copied = 42;
  const auto at = [&](const Document& d, int row, const LensOptions& options = {}) {
    return lensed(d, p, options).picture.at(x, row)[1];
  };
  REQUIRE(at(doc, copied) == Approx(50).epsilon(1e-3));

  SECTION("as a source") {
    doc = add(doc, "lens.grade", "Gone", {{"sources", "Stage"}, {"exposure", "-40 stops"}});
    CHECK(at(doc, y) == 100);
    CHECK(at(doc, copied) == Approx(0).margin(1e-4));
    // Its light is still light of what it copies: who takes all light takes both, before and after.
    const Document all = add(doc, "lens.grade", "Half", {{"exposure", "-1 stops"}});
    CHECK(at(all, y) == Approx(50));
    const Document halfGone =
        add(changed(doc, "Gone.exposure", "-1 stops"), "lens.grade", "Half", {{"exposure", "-1 stops"}});
    CHECK(at(halfGone, copied) == Approx(12.5).epsilon(1e-3));
  }
  SECTION("as a place to act") {
    doc = add(doc, "lens.grade", "Gone", {{"acts_on", "Stage"}, {"exposure", "-40 stops"}});
    CHECK(at(doc, y) == 100);
    CHECK(at(doc, copied) == Approx(25).epsilon(1e-3)); // the copy covers a half
    CHECK(at(changed(doc, "Gone.acts_elsewhere", "on"), y) == Approx(0).margin(1e-4));
  }
  SECTION("whatever its blend, and alone with the stage that asks for it") {
    for (const char* blend : {"screen", "lighter"}) {
      CAPTURE(blend);
      const Document with =
          add(changed(doc, "Stage.blend", blend), "lens.streaks", "Streaks", {{"sources", "Stage"}, {"keyed", "off"}});
      LensOptions alone;
      alone.solo = id(with, "Streaks");
      const LensResult all = lensed(with, p), solo = lensed(with, p, alone);
      CHECK(all.picture.at(x, y)[1] == 100);
      CHECK(all.picture.rgb == solo.picture.rgb);
      CHECK(all.stages.back().idle.empty());
      CHECK(all.picture.at(x + 4, copied)[1] > 0);
      CHECK(all.picture.at(x + 4, y)[1] == 0);
    }
  }
  SECTION("shares by light sum to the picture") {
    doc = add(doc, "lens.streaks", "Streaks", {{"sources", "Stage"}, {"keyed", "off"}});
    LensLight light;
    light.layers.push_back({{}, onePixel(64, 64, 32, 21), false, 1});
    light.layers.push_back({{}, onePixel(64, 64, 20, 25), false, 2});
    const LensResult r = applyLens(LensContext::of(doc, 1, 64, 64, pool()), std::move(light));
    REQUIRE(r.shares.size() == 2);
    for (size_t i = 0; i < r.picture.rgb.size(); ++i)
      REQUIRE(r.shares[0].second.rgb[i] + r.shares[1].second.rgb[i] == Approx(r.picture.rgb[i]).margin(1e-5));
    CHECK(r.shares[0].second.at(36, copied)[1] > 0);
    CHECK(r.shares[1].second.at(24, 38)[1] > 0);
  }
  SECTION("a copy that is not there yet says so") {
    doc = add(doc, "lens.grade", "Gone", {{"sources", "Stage"}, {"exposure", "-40 stops"}});
    const Document before = moveNode(doc, id(doc, "Gone"), {0, "", 0});
    REQUIRE(lensStages(before).front()->name == "Gone");
    const LensResult r = lensed(before, p);
    CHECK(r.stages.front().idle == "there is no copy of Stage yet: it is off, does nothing or stands after it");
    CHECK(r.picture.at(x, copied)[1] == Approx(50).epsilon(1e-3));
    CHECK(lensQueries(before).size() == 1); // asking traces no ray
  }
}

TEST_CASE("A displacement takes its map from the light of other things, as it stands before it",
          "[lens][stack][labels]") {
  Set s(64, 48);
  s.look("0, 0, 4", "0, 0, 0", "40");
  s.add("light.point", "Moved", {{"power", "80"}, {"radius", "0.08"}, {"position", "-0.6, 0, 0"}});
  s.add("light.point", "Pusher", {{"power", "8000"}, {"radius", "0.3"}, {"position", "0.5, 0, 0"}});
  s.add("lens.glow", "Wide halo", {{"sources", "Pusher"}, {"amount", "100 %"}, {"size", "60 %"}, {"falloff", "0.6"}});
  s.add("lens.displace", "Push",
        {{"sources", "Moved"},
         {"map_from", "layer"},
         {"map_of", "Pusher"},
         {"across", "10 %"},
         {"down", "0 %"},
         {"middle", "0"}});
  const Document doc = s.take();
  const auto placeOf = [](const Document& d) {
    const Traced t = trace(d, 64);
    const LensResult r = develop(d, 1, *t.scene, t.film(), t.scene->groupScales, pool());
    const StageResult& push = r.stages.back();
    CHECK(push.idle.empty() == (r.stages.size() > 1));
    double x = 0, all = 0;
    for (int j = 0; j < 48; ++j)
      for (int i = 0; i < 64; ++i) {
        all += double(push.work.spread.at(i, j)[1]);
        x += i * double(push.work.spread.at(i, j)[1]);
      }
    return x / all;
  };
  // The halo has come to where the small lamp is: it is read to the right of itself, so that it moves to the left.
  // Without the halo it stays.
  const double pushed = placeOf(doc), still = placeOf(changed(doc, "Wide halo.on", "off"));
  CHECK(pushed < still - 1);
  CHECK(lensQueries(doc).size() == 3); // all light, and the two lamps
  // A map of nothing is told.
  CHECK(lensed(changed(changed(doc, "Push.map_of", ""), "Push.sources", ""), speckled(64, 48, 1),
               {.solo = id(doc, "Push")})
            .stages[0]
            .idle.find("its map is of nothing") == 0);
}

TEST_CASE("A mask by a pattern is laid over the picture", "[lens][stack]") {
  Document doc = stageDocument("lens.grade", {{"exposure", "1 stops"}});
  doc = addNode(doc, "pattern.constant", "Half");
  doc = changed(doc, "Half.value", "0.5");
  doc = setAt(doc, resolve(doc, "Stage.acts_share"), Value(PatternUse{{id(doc, "Half"), nullptr}}));
  Picture p(8, 8);
  std::fill(p.rgb.begin(), p.rgb.end(), 1.0f);
  LensContext c = LensContext::of(doc, 1, 8, 8, pool());
  const TestAssets files;
  c.assets = &files;
  LensLight light;
  light.layers.push_back({{}, p});
  CHECK(applyLens(c, std::move(light)).picture.at(3, 3)[0] == Approx(1.5f));
}

TEST_CASE("One stage alone, up to one stage, and before it", "[lens][stack]") {
  Document doc = stageDocument("lens.grade", {{"exposure", "1 stops"}});
  doc = add(doc, "lens.grade", "Next", {{"exposure", "2 stops"}});
  doc = add(doc, "lens.grade", "Last", {{"exposure", "3 stops"}});
  const Picture p = speckled(9, 7, 1);
  const auto gain = [&](const LensOptions& o) { return double(lensed(doc, p, o).picture.rgb[30] / p.rgb[30]); };
  CHECK(gain({}) == Approx(64));
  CHECK(gain({.on = false}) == 1);
  CHECK(gain({.solo = id(doc, "Next")}) == Approx(4));
  CHECK(gain({.until = id(doc, "Next")}) == Approx(8));
  CHECK(gain({.until = id(doc, "Next"), .before = true}) == Approx(2));
}

TEST_CASE("A group that is followed is all that it holds: what it holds does not hide it", "[lens][anchor]") {
  Set s(48, 48);
  s.look("0, 0, 4", "0, 0, 0");
  const NodeId lantern = s.add("object.group", "Lantern", {{"position", "0.5, 0, 0"}});
  s.add("object.sphere", "Front", {{"radius", "0.2"}, {"position", "0, 0, 0.5"}}, s.in(lantern));
  s.add("object.sphere", "Back", {{"radius", "0.2"}, {"position", "0, 0, -0.5"}}, s.in(lantern));
  const Document doc = s.take();
  const Traced t = trace(doc, 1);
  const SeenAt seen = seenAt(doc, *t.scene, lantern, {}, 1);
  CHECK(seen.share == 1);
  CHECK(seen.at.x > 24);
  CHECK(heldBy(doc, lantern).size() == 3);
}

TEST_CASE("A preset keeps a stage's values, curves and elements, and nothing of its set", "[lens][preset]") {
  Set s(32, 32);
  s.look("0, 0, 3", "0, 0, 0");
  s.add("light.point", "Lamp", {});
  s.add("lens.mirror_copy", "Copy", {{"sources", "Lamp"}, {"stretch", "2"}, {"amount", "30 %"}});
  Document doc = s.take();
  doc = add(doc, "curve.thinning", "Thin", {{"at", "50 %"}, {"value", "25 %"}}, {id(doc, "Copy"), "thinning"});
  const Document preset = stagePreset(doc, id(doc, "Copy"));
  REQUIRE(preset.family("lens").size() == 1);
  CHECK(preset.family("light").empty());
  // Into another document.
  Document other = stageDocument("lens.mirror_copy", {{"gap", "3 %"}});
  other = withPreset(other, id(other, "Stage"), preset);
  const Params p(*other.findByName("Stage"), 1);
  CHECK(p.number("stretch") == 2);
  CHECK(p.number("amount") == Approx(0.3));
  CHECK(p.number("gap") == 0); // as in the preset
  CHECK(other.family("lens").size() == 1);
  REQUIRE(other.findByName("Stage")->children.at("thinning").size() == 1);
  std::vector<NodeId> made;
  const Document more = addPreset(other, preset, &made);
  CHECK(more.family("lens").size() == 2);
  CHECK(made.size() == 1);
  CHECK(problems(more).empty());
  CHECK(refusal([&] {
          withPreset(stageDocument("lens.glow"), id(stageDocument("lens.glow"), "Stage"), preset);
        }).find("no stage of the kind Glow") != std::string::npos);
  // What a stage takes of another of the preset it takes of it here.
  Document pair = stageDocument("lens.mirror_copy");
  pair = add(pair, "lens.glow", "On the copy", {{"sources", "Stage"}, {"acts_on", "Stage"}});
  const Document both = addPreset(addNode(other, "lens.grade", "Stage"), pair, &made);
  const Node& glow = *both.find(made.back());
  CHECK(glow.kind->id == "lens.glow");
  for (const char* list : {"sources", "acts_on"}) {
    REQUIRE(namedBy(both, glow, list).size() == 1);
    CHECK(both.find(namedBy(both, glow, list).front())->kind->id == "lens.mirror_copy");
  }
  CHECK(refusal([&] { addPreset(other, Document::create(kinds())); }).find("no lens stage") != std::string::npos);
}

TEST_CASE("A look leaves alone where a stage's light comes from and where it acts", "[lens][preset]") {
  Set s(32, 32);
  s.look("0, 0, 3", "0, 0, 0");
  s.add("light.point", "Lamp", {});
  s.add("lens.glow", "Stage",
        {{"sources", "Lamp"}, {"on", "off"}, {"acts_share", "40 %"}, {"falloff", "3"}, {"size", "1 %"}});
  const Document doc = s.take();
  const Document with = withLook(doc, id(doc, "Stage"), stageOf(*doc.findByName("Stage")).looks.front());
  const Params p(*with.findByName("Stage"), 1);
  CHECK(p.number("size") == Approx(0.25));
  CHECK(p.number("falloff") == Approx(0.7));
  CHECK(p.number("acts_share") == Approx(0.4));
  CHECK_FALSE(p.flag("on"));
  CHECK(p.references("sources").size() == 1);
}

TEST_CASE("Stages follow what they are anchored to through the camera, and fade as it is hidden", "[lens][anchor]") {
  Set s(96, 64);
  s.look("0, 0, 5", "0, 0, 0");
  s.lambert("Stone", "0.5, 0.5, 0.5");
  s.add("light.point", "Lamp", {{"radius", "0.2"}, {"position", "1, 0, 0"}});
  s.add("object.sphere", "Ball", {{"radius", "0.3"}, {"position", "-1, 0.5, 0"}, {"material", "Stone"}});
  s.add("object.box", "Wall",
        {{"width", "1"}, {"height", "1"}, {"depth", "0.1"}, {"position", "1.3, 0, 1"}, {"material", "Stone"}});
  const Document doc = s.take();
  SceneCache cache;
  const ScenePtr scene = compileScene(doc, {.frame = 1, .queries = {}}, noAssets(), cache);
  float x, y;
  REQUIRE(scene->camera.project({-1, 0.5f, 0}, x, y));
  const SeenAt ball = seenAt(doc, *scene, id(doc, "Ball"), {}, 1);
  CHECK(ball.at.x == Approx(x).margin(0.1));
  CHECK(ball.at.y == Approx(y).margin(0.1));
  CHECK(ball.share == 1);
  CHECK(ball.depth == Approx(5));
  // The wall's edge stands before the lamp's middle, as the camera sees it: half of it is hidden.
  const SeenAt lamp = seenAt(doc, *scene, id(doc, "Lamp"), {}, 1);
  CHECK(lamp.share > 0.2f);
  CHECK(lamp.share < 0.8f);
  const Document covered = changed(doc, "Wall.position", "0.8, 0, 1");
  CHECK(seenAt(covered, *compileScene(covered, {.frame = 1, .queries = {}}, noAssets(), cache), id(doc, "Lamp"), {}, 1)
            .share == 0);
  // A place of the set; and behind the camera nothing is seen.
  CHECK(seenAt(doc, *scene, 0, {0, 0, 0}, 1).at.x == Approx(48).margin(0.1));
  CHECK(seenAt(doc, *scene, 0, {0, 0, 9}, 1).share == 0);
  // Through a stage: its area is where the ball is.
  Document graded = addNode(doc, "lens.grade", "Stage");
  graded = changed(graded, "Stage.exposure", "1 stops");
  graded = add(graded, "area.ellipse", "Spot",
               {{"centre_by", "thing"}, {"centre_at", "Ball"}, {"width", "20 %"}, {"height", "20 %"}, {"soft", "0"}},
               {id(graded, "Stage"), "areas"});
  graded = addNode(graded, "light.sky", "Sky");
  const Traced t = trace(graded, 2);
  const Picture with = develop(graded, 1, *t.scene, t.film(), t.scene->groupScales, pool()).picture,
                without = develop(graded, 1, *t.scene, t.film(), t.scene->groupScales, pool(), {.on = false}).picture;
  CHECK(with.at(int(x), int(y))[0] == Approx(2 * without.at(int(x), int(y))[0]).epsilon(1e-3));
  CHECK(with.at(90, 60)[0] == without.at(90, 60)[0]);
}

TEST_CASE("Effects are sources by what they stand for, and switch what they name", "[lens][stack]") {
  Document doc = stageDocument("lens.glow", {});
  const std::vector<std::string>& accepts = doc.findByName("Stage")->kind->param("sources")->accepts;
  CHECK(accepted(accepts, "effect.glow"));
  CHECK(std::find(accepts.begin(), accepts.end(), standIns) == accepts.end()); // written out
  doc = add(doc, "light.point", "Lamp", {});
  doc = add(doc, "effect.glow", "One", {{"from", "Lamp"}});
  doc = add(doc, "effect.glow", "Two", {{"from", "Lamp"}, {"lens", "Stage"}});
  doc = changed(doc, "Stage.sources", "One");
  CHECK(sourcesOfStage(doc, *doc.findByName("Stage")) == std::vector<NodeId>{id(doc, "Lamp")});
  const auto acts = [](const Document& d) { return stageActs(d, *d.findByName("Stage"), 1); };
  CHECK(acts(doc));
  CHECK_FALSE(acts(changed(doc, "Two.on", "off")));
  CHECK(acts(changed(doc, "One.on", "off"))); // it does not name the stage
  const Document both = changed(changed(doc, "One.lens", "Stage"), "Two.on", "off");
  CHECK(acts(both)); // one of them is on
}
