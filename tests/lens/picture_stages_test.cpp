// Stages that read the picture elsewhere, or change it in place.
#include "core/compile/compile.h"
#include "core/document/loop.h"
#include "core/document/units.h"
#include "core/lens/queries.h"
#include "tests/support/lens.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document at(const Document& doc, double frame) { return setValue(doc, doc.settings().id, "frame", Constant(frame)); }

Document addPoint(const Document& doc, const char* slot, const char* x, const char* y) {
  NodeId id = 0;
  const Node& stage = *doc.findByName("Stage");
  Document out = addNode(doc, stage.kind->slot(slot)->accepts.front(), "", {stage.id, slot}, &id);
  const std::string name = out.find(id)->name;
  return changed(changed(out, name + ".at", x), name + ".value", y);
}

} // namespace

TEST_CASE("A mirror copy with nothing but the line is the exact reflection", "[lens][mirror_copy][truth32]") {
  const Picture p = speckled(40, 40, 3);
  // Level, at half: below it stands what is above.
  Picture out = worked(stageDocument("lens.mirror_copy", {{"hinge_y", "50 %"}, {"reach", "100 %"}}), p).spread;
  for (int y = 20; y < 40; ++y)
    for (int x = 0; x < 40; ++x)
      for (int k = 0; k < 3; ++k) REQUIRE(out.at(x, y)[k] == p.at(x, 39 - y)[k]);
  for (int x = 0; x < 40; ++x) REQUIRE(out.at(x, 10)[0] == 0);
  // Upright.
  out =
      worked(stageDocument("lens.mirror_copy", {{"hinge_x", "50 %"}, {"angle", "90 °"}, {"reach", "100 %"}}), p).spread;
  for (int y = 0; y < 40; ++y)
    for (int x = 20; x < 40; ++x) REQUIRE(out.at(x, y)[1] == Approx(p.at(39 - x, y)[1]).epsilon(1e-4).margin(1e-4));
  // At 45°: across and down change places.
  out = worked(stageDocument("lens.mirror_copy",
                             {{"hinge_x", "50 %"}, {"hinge_y", "50 %"}, {"angle", "-45 °"}, {"reach", "200 %"}}),
               p)
            .spread;
  for (int y = 0; y < 40; ++y)
    for (int x = 0; x < y; ++x) REQUIRE(out.at(x, y)[2] == Approx(p.at(y, x)[2]).epsilon(1e-4).margin(1e-4));
}

TEST_CASE("A mirror copy thins and leans by its curves, slides, stretches and spreads", "[lens][mirror_copy]") {
  Document doc = stageDocument("lens.mirror_copy", {{"hinge_y", "50 %"}, {"reach", "50 %"}});
  const Picture p = onePixel(80, 80, 40, 20); // 19 pixels above the line
  const auto place = [&](const Document& d) {
    const Picture out = worked(d, p).spread;
    double sx = 0, sy = 0, s = 0;
    for (int y = 0; y < 80; ++y)
      for (int x = 0; x < 80; ++x) {
        sx += double(out.at(x, y)[0]) * x;
        sy += double(out.at(x, y)[0]) * y;
        s += double(out.at(x, y)[0]);
      }
    return std::array{sx / s, sy / s, s};
  };
  CHECK(place(doc)[0] == Approx(40));
  CHECK(place(doc)[1] == Approx(59));
  CHECK(place(doc)[2] == Approx(100));
  CHECK(place(changed(doc, "Stage.slide", "10 %"))[0] == Approx(48));
  CHECK(place(changed(doc, "Stage.gap", "5 %"))[1] == Approx(63));
  const Document close = changed(doc, "Stage.stretch", "2");
  CHECK(place(changed(close, "Stage.reach", "100 %"))[1] == Approx(78.5).margin(0.6));
  CHECK(place(changed(changed(doc, "Stage.spread_along", "10 %"), "Stage.spread_across", "5 %"))[0] ==
        Approx(40).margin(0.5));
  // Half as bright at half the reach.
  const Document thin = addPoint(addPoint(doc, "thinning", "0 %", "100 %"), "thinning", "100 %", "0 %");
  CHECK(place(thin)[2] == Approx(100 * (1 - 19.5 / 40)).epsilon(0.02));
  const Document lean = addPoint(addPoint(doc, "lean", "0 %", "0 %"), "lean", "100 %", "25 %");
  CHECK(place(lean)[0] == Approx(40 + 0.25 * 80 * 19.5 / 40).margin(0.3));
  // In the place of what is there.
  Picture full(80, 80);
  std::fill(full.rgb.begin(), full.rgb.end(), 1.0f);
  CHECK(lensed(changed(changed(doc, "Stage.over", "replaces"), "Stage.amount", "100 %"), full).picture == full);
}

TEST_CASE("A constant displacement by whole pixels is an exact shift", "[lens][displace][truth32]") {
  const Picture p = speckled(40, 40, 3);
  for (const auto& [across, down, dx, dy] :
       {std::tuple{"7.5 %", "0", 3, 0}, {"0", "12.5 %", 0, 5}, {"-5 %", "2.5 %", -2, 1}}) {
    const Picture out =
        worked(stageDocument("lens.displace", {{"map", "1"}, {"across", across}, {"down", down}}), p).spread;
    for (int y = 0; y < 40; ++y)
      for (int x = 0; x < 40; ++x) {
        const int fx = x + dx, fy = y + dy;
        const bool inside = fx >= 0 && fy >= 0 && fx < 40 && fy < 40;
        REQUIRE(out.at(x, y)[0] == Approx(inside ? p.at(fx, fy)[0] : 0).epsilon(1e-4).margin(1e-4));
      }
  }
  // Elsewhere within what reading linearly between pixels errs on a smooth picture: its second differences ÷ 8, each
  // way.
  Picture smooth(64, 64);
  for (int y = 0; y < 64; ++y)
    for (int x = 0; x < 64; ++x)
      for (int k = 0; k < 3; ++k) smooth.at(x, y)[k] = 1 + std::sin(0.2f * float(x)) * std::cos(0.15f * float(y));
  const Picture out =
      worked(stageDocument("lens.displace", {{"map", "1"}, {"across", "0.78125 %"}, {"down", "0"}}), smooth)
          .spread; // half a pixel
  for (int y = 8; y < 56; ++y)
    for (int x = 8; x < 56; ++x)
      REQUIRE(std::abs(out.at(x, y)[0] - (1 + std::sin(0.2f * (float(x) + 0.5f)) * std::cos(0.15f * float(y)))) <
              0.2f * 0.2f / 8 + 1e-4f);
}

TEST_CASE("What is read beyond the edge is black, held, mirrored or wrapped", "[lens][displace]") {
  Picture p(8, 8);
  for (int x = 0; x < 8; ++x)
    for (int y = 0; y < 8; ++y) p.at(x, y)[0] = float(x + 1);
  const auto first = [&](const char* edge) {
    return worked(stageDocument("lens.displace", {{"map", "1"}, {"across", "-25 %"}, {"down", "0"}, {"edge", edge}}), p)
        .spread.at(0, 4)[0];
  };
  CHECK(first("black") == 0);
  CHECK(first("held") == Approx(1));
  CHECK(first("mirrored") == Approx(2));
  CHECK(first("wrapped") == Approx(7));
}

TEST_CASE("Bands pass the share of light that they are wide, and drift by time", "[lens][bands]") {
  Picture p(100, 100);
  std::fill(p.rgb.begin(), p.rgb.end(), 1.0f);
  for (const char* angle : {"0", "30 °", "90 °"}) {
    const Picture out =
        worked(stageDocument("lens.bands", {{"width", "6 %"}, {"gap", "4 %"}, {"angle", angle}, {"soft", "40 %"}}), p)
            .spread;
    CHECK(sum(out) / 1e4 == Approx(0.6).epsilon(0.04));
  }
  Document doc = stageDocument(
      "lens.bands", {{"width", "10 %"}, {"gap", "10 %"}, {"soft", "0"}, {"drift", "24 %"}}); // a pixel a frame
  const Picture one = worked(at(doc, 0), p).spread, later = worked(at(doc, 4), p).spread;
  for (int y = 10; y < 90; ++y) REQUIRE(later.at(5, y)[0] == Approx(one.at(5, y - 4)[0]).margin(1e-3));
  CHECK(isAnimated(*doc.findByName("Stage")));
  // Made a loop, the picture after the last frame is that of the first.
  doc = setValue(doc, doc.settings().id, "first_frame", Constant(1.0));
  doc = setValue(doc, doc.settings().id, "last_frame", Constant(30.0));
  const NodeId stage = doc.findByName("Stage")->id;
  doc = setValue(doc, stage, "roll_depth", Constant(-0.5));
  REQUIRE(loopBreaks(doc).size() == 2);
  doc = looped(doc);
  CHECK(loopBreaks(doc).empty());
  CHECK(Params(*doc.find(stage), 1).number("drift") == Approx(0.24).epsilon(0.5));
  const Picture begin = worked(at(doc, 1), p).spread, again = worked(at(doc, 31), p).spread,
                middle = worked(at(doc, 14), p).spread;
  float apart = 0, moved = 0;
  for (size_t i = 0; i < begin.rgb.size(); ++i) {
    apart = std::max(apart, std::abs(begin.rgb[i] - again.rgb[i]));
    moved = std::max(moved, std::abs(begin.rgb[i] - middle.rgb[i]));
  }
  CHECK(apart < 5e-3f);
  CHECK(moved > 0.3f);
}

TEST_CASE("A silhouette puts a flat colour where its sources are, as far as they cover", "[lens][silhouette]") {
  const Document doc = stageDocument("lens.silhouette", {{"color", "0.25, 0.25, 0.25"}, {"stops", "1"}});
  const Picture p = speckled(20, 20, 4);
  LensLight light;
  light.layers.push_back({{}, p});
  light.alpha.assign(400, 0.0f);
  light.alpha[210] = 1;
  light.alpha[211] = 0.5f;
  const Picture out = applyLens(LensContext::of(doc, 1, 20, 20, pool()), std::move(light)).picture;
  CHECK(out.rgb[630] == Approx(0.5f));
  CHECK(out.rgb[633] == Approx(0.25f));
  CHECK(out.rgb[0] == Approx(0).margin(1e-6));
}

TEST_CASE("Flicker is the same for the same moment and seed, and never adds light", "[lens][flicker]") {
  const Document doc = stageDocument("lens.flicker", {{"depth", "80 %"}});
  Picture p(4, 4);
  std::fill(p.rgb.begin(), p.rgb.end(), 1.0f);
  float least = 1, most = 0;
  for (int f = 1; f < 60; ++f) {
    const float v = worked(at(doc, f), p).spread.rgb[0];
    CHECK(v == worked(at(doc, f), p).spread.rgb[0]);
    least = std::min(least, v);
    most = std::max(most, v);
  }
  CHECK(most <= 1);
  CHECK(least >= 0.2f - 1e-4f);
  CHECK(most - least > 0.3f);
  // With a loop each frame comes again, drop-outs too; without one it does not.
  const auto differs = [&](const Document& d) {
    float apart = 0;
    for (int f = 1; f <= 48; ++f)
      apart = std::max(apart, std::abs(worked(at(d, f), p).spread.rgb[0] - worked(at(d, f + 48), p).spread.rgb[0]));
    return apart;
  };
  Document drops = setValue(doc, doc.findByName("Stage")->id, "drops", Constant(0.3));
  CHECK(differs(drops) > 0.1f);
  CHECK(loopBreaks(drops).size() == 1);
  drops = setValue(drops, drops.settings().id, "first_frame", Constant(1.0));
  drops = setValue(drops, drops.settings().id, "last_frame", Constant(48.0));
  drops = looped(drops);
  CHECK(loopBreaks(drops).empty());
  CHECK(differs(drops) < 1e-4f);
}

TEST_CASE("Trails lie on the way that their anchor has come, and faster means fainter", "[lens][trails]") {
  Set s(64, 64);
  s.look("0, 0, 4", "0, 0, 0");
  s.add("light.point", "Spark", {});
  s.add("lens.trails", "Stage", {{"anchor_by", "thing"}, {"anchor_at", "Spark"}, {"frames", "10"}, {"fade", "100 %"}});
  Document doc = s.take();
  doc = setValue(doc, doc.findByName("Spark")->id, "position",
                 Value(Keys{{{0, Triple{-1, 0, 0}, KeyShape::Linear}, {20, Triple{1, 0, 0}, KeyShape::Linear}}}));
  doc = at(doc, 10);
  SceneCache cache;
  const ScenePtr scene = compileScene(doc, {.frame = 10, .queries = lensQueries(doc)}, noAssets(), cache);
  LensContext c = LensContext::of(doc, 10, 64, 64, pool());
  c.anchor = [&](NodeId, const V3f&, double frame) { return Anchor{{float(32 + 2 * (frame - 10)), 32}, 1, 4}; };
  const Picture p = onePixel(64, 64, 32, 32, Color(10.0f));
  const Node& stage = *doc.findByName("Stage");
  const Picture out = stageOf(stage).prepare(Params(stage, 10), p, c).apply(p).spread;
  CHECK(sum(out) == Approx(100).epsilon(0.02)); // ten frames' light
  CHECK(out.at(20, 32)[0] > 1);                 // along the way back
  CHECK(out.at(45, 32)[0] == 0);                // nothing ahead
  CHECK(out.at(5, 32)[0] == 0);                 // not farther than ten frames
  // Twice as fast: half as bright a pixel.
  c.anchor = [&](NodeId, const V3f&, double frame) { return Anchor{{float(32 + 3 * (frame - 10)), 32}, 1, 4}; };
  const Picture fast = stageOf(stage).prepare(Params(stage, 10), p, c).apply(p).spread;
  CHECK(fast.at(20, 32)[0] == Approx(out.at(20, 32)[0] * 2 / 3).epsilon(0.15));
}

TEST_CASE("A direction that follows leads to what it follows, and its angle counts from there", "[lens][anchor]") {
  const Picture p = onePixel(81, 81, 40, 40, Color(10.0f));
  // Where most of what was sent out of the middle has gone, seen from there.
  const auto way = [&](const char* kind, std::initializer_list<std::pair<const char*, const char*>> values,
                       const V2f& thing) {
    Set s(64, 64);
    s.look("0, 0, 4", "0, 0, 0");
    s.add("light.point", "Spark", {});
    const NodeId stage = s.add(kind, "Stage", values);
    s.set(stage, {{"aim_by", "thing"}, {"aim_at", "Spark"}});
    const Document doc = s.take();
    LensContext c = LensContext::of(doc, 1, 81, 81, pool());
    c.anchor = [&](NodeId, const V3f&, double) { return Anchor{thing, 1, 4}; };
    const Picture out = stageOf(*doc.find(stage)).prepare(Params(*doc.find(stage), 1), p, c).apply(p).spread;
    V2f sum(0, 0);
    for (int y = 0; y < 81; ++y)
      for (int x = 0; x < 81; ++x) sum += V2f(float(x - 40), float(40 - y)) * out.at(x, y)[1];
    return std::atan2(sum.y, sum.x) * 180 / pi;
  };
  const V2f right(79, 40.5f), up(40.5f, 2), upRight(70.5f, 10.5f);
  for (const auto& [thing, angle] : {std::pair{right, 0.0}, {up, 90.0}, {upRight, 45.0}}) {
    CAPTURE(angle);
    CHECK(way("lens.streaks", {{"rays", "1"}, {"angle", "0 °"}, {"keyed", "off"}, {"length", "20 %"}}, thing) ==
          Approx(angle).margin(1));
    CHECK(way("lens.smear", {{"by", "angle"}, {"angle", "0 °"}, {"reach", "40 %"}, {"centre", "0 %"}}, thing) ==
          Approx(angle).margin(1));
  }
  CHECK(way("lens.streaks", {{"rays", "1"}, {"angle", "30 °"}, {"keyed", "off"}, {"length", "20 %"}}, up) ==
        Approx(120).margin(1));
  // Bands lie along it: upright, where it leads up.
  Set s(64, 64);
  s.add("light.point", "Spark", {});
  s.add("lens.bands", "Stage", {{"width", "6 %"}, {"gap", "6 %"}, {"aim_by", "thing"}, {"aim_at", "Spark"}});
  const Document doc = s.take();
  LensContext c = LensContext::of(doc, 1, 81, 81, pool());
  c.anchor = [&](NodeId, const V3f&, double) { return Anchor{up, 1, 4}; };
  Picture full(81, 81);
  std::fill(full.rgb.begin(), full.rgb.end(), 1.0f);
  const Node& bands = *doc.findByName("Stage");
  const Picture out = stageOf(bands).prepare(Params(bands, 1), full, c).apply(full).spread;
  for (int y = 1; y < 81; ++y)
    for (int x = 0; x < 81; ++x) REQUIRE(out.at(x, y)[0] == Approx(out.at(x, 0)[0]).margin(1e-4));
  CHECK(*std::max_element(out.rgb.begin(), out.rgb.end()) > 2 * *std::min_element(out.rgb.begin(), out.rgb.end()));
}

TEST_CASE("A smear keeps the light and lies about its centre", "[lens][smear]") {
  const Document doc = stageDocument("lens.smear", {{"by", "angle"}, {"angle", "0"}, {"reach", "20 %"}});
  const Picture out = worked(doc, onePixel(100, 100, 50, 50)).spread;
  CHECK(sum(out) == Approx(100).epsilon(1e-3));
  CHECK(out.at(44, 50)[0] > 1);
  CHECK(out.at(56, 50)[0] > 1);
  CHECK(out.at(64, 50)[0] == 0);
  CHECK(worked(changed(doc, "Stage.centre", "0"), onePixel(100, 100, 50, 50)).spread.at(64, 50)[0] > 1);
}

TEST_CASE("Blurs keep the light; a disc is as wide as it says", "[lens][blur]") {
  for (const char* shape : {"soft", "disc", "blades"}) {
    const Picture out =
        worked(stageDocument("lens.blur", {{"size", "8 %"}, {"shape", shape}}), onePixel(121, 121, 60, 60)).spread;
    CHECK(sum(out) == Approx(100).epsilon(2e-3));
  }
  const Picture disc =
      worked(stageDocument("lens.blur", {{"size", "10 %"}, {"shape", "disc"}}), onePixel(100, 100, 50, 50)).spread;
  CHECK(disc.at(50, 50)[0] == Approx(100 / (M_PI * 100)).epsilon(0.02));
  CHECK(disc.at(58, 50)[0] == Approx(100 / (M_PI * 100)).epsilon(0.05));
  CHECK(std::abs(disc.at(62, 50)[0]) < 1e-3f);
}

TEST_CASE("A fringe draws red larger than blue and leaves green as it is", "[lens][fringe]") {
  const Document doc = stageDocument("lens.fringe", {{"across", "10 %"}, {"around", "0"}, {"blue_soft", "0"}});
  Picture p(101, 101);
  for (int y = 30; y < 71; ++y)
    for (int x = 30; x < 71; ++x)
      for (int k = 0; k < 3; ++k) p.at(x, y)[k] = 1;
  const Picture out = worked(doc, p).spread;
  CHECK(sum(out, 0) > 1.1 * sum(out, 1));
  CHECK(sum(out, 2) < 0.9 * sum(out, 1));
  for (size_t i = 1; i < p.rgb.size(); i += 3) REQUIRE(out.rgb[i] == p.rgb[i]);
}

TEST_CASE("A natural vignette is the fourth power of the cosine of the angle on the film", "[lens][vignette]") {
  const Document doc = stageDocument("lens.vignette", {{"shape", "natural"}});
  Picture p(201, 201);
  std::fill(p.rgb.begin(), p.rgb.end(), 1.0f);
  const Picture out = worked(doc, p).spread;
  CHECK(out.at(100, 100)[0] == Approx(1));
  const double angle = std::atan(100 * 36.0 / 201 / 50); // of the frame's edge, before a lens of 50 mm
  CHECK(out.at(200, 100)[0] == Approx(std::pow(std::cos(angle), 4)).epsilon(1e-3));
}

TEST_CASE("Grain has no mean, grows with the root of the light, and is another in each frame", "[lens][grain]") {
  Document doc = stageDocument("lens.grain", {{"strength", "50 %"}, {"shadows", "0"}, {"size", "0"}, {"color", "0"}});
  const auto spread = [&](const Document& d, float level) {
    Picture p(200, 200);
    std::fill(p.rgb.begin(), p.rgb.end(), level);
    const Picture out = lensed(d, p).picture;
    double s = 0, s2 = 0;
    for (size_t i = 0; i < out.pixels(); ++i) {
      const double d0 = double(out.rgb[3 * i]) - double(level);
      s += d0;
      s2 += d0 * d0;
    }
    return std::pair{s / double(out.pixels()), std::sqrt(s2 / double(out.pixels()))};
  };
  const auto [m1, s1] = spread(doc, 1);
  const auto [m4, s4] = spread(doc, 4);
  CHECK(std::abs(m1) < 4 * s1 / 200);
  CHECK(s1 == Approx(0.125).epsilon(0.03));
  CHECK(s4 == Approx(2 * s1).epsilon(0.03));
  const auto [mc, coarse] = spread(changed(doc, "Stage.size", "2 %"), 1);
  CHECK(coarse == Approx(s1).epsilon(0.1)); // as strong where it is coarser
  const Picture p = speckled(20, 20, 1);
  CHECK_FALSE(lensed(at(doc, 2), p).picture == lensed(doc, p).picture);
  const Document still = changed(doc, "Stage.moves", "off");
  CHECK(lensed(at(still, 2), p).picture == lensed(still, p).picture);
}

TEST_CASE("Grades are what they say", "[lens][grade]") {
  Picture p(1, 1);
  p.rgb = {0.36f, 0.18f, 0.09f};
  const auto graded = [&](std::initializer_list<std::pair<const char*, const char*>> values) {
    return lensed(stageDocument("lens.grade", values), p).picture.rgb;
  };
  CHECK(graded({{"exposure", "2 stops"}})[0] == Approx(1.44f));
  const auto steep = graded({{"contrast", "2"}});
  CHECK(steep[0] == Approx(0.72f));
  CHECK(steep[1] == Approx(0.18f)); // the pivot
  CHECK(steep[2] == Approx(0.045f));
  const auto grey = graded({{"saturation", "0"}});
  CHECK(grey[0] == Approx(grey[2]));
  CHECK(grey[0] == Approx(luminance({0.36f, 0.18f, 0.09f})));
  CHECK(graded({{"black", "0.09"}, {"white", "0.36"}})[1] == Approx(1.0 / 3));
  CHECK(graded({{"lift", "0.1"}})[0] == Approx(0.1 + 0.9 * 0.36));
  CHECK(graded({{"gamma", "2"}})[1] == Approx(std::sqrt(0.18)));
  // A curve through three points, over stops; beyond its ends its slope goes on.
  Document doc = stageDocument("lens.grade");
  for (const auto& [x, y] : {std::pair{"-4", "-3"}, {"-2", "-2"}, {"0", "-1"}}) doc = addPoint(doc, "brightness", x, y);
  Picture grays(3, 1);
  grays.rgb = {0.25f, 0.25f, 0.25f, 1, 1, 1, 4, 4, 4};
  const Picture out = lensed(doc, grays).picture;
  CHECK(out.rgb[0] == Approx(0.25));
  CHECK(out.rgb[3] == Approx(0.5));
  CHECK(out.rgb[6] == Approx(1));
}
