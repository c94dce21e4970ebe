// What a stage shows when it is new, and what it leaves of the picture behind.
#include "core/base/colorspace.h"
#include "core/lens/develop.h"
#include "tests/support/lens.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Picture shadowed(const Document& doc, int n) {
  Picture even(n, n);
  std::fill(even.rgb.begin(), even.rgb.end(), 1.0f);
  LensLight light;
  light.layers.push_back({{}, even});
  light.alpha.assign(size_t(n) * size_t(n), 0.0f);
  for (int y = n / 3; y < 2 * n / 3; ++y)
    for (int x = n / 3; x < n / 2; ++x) light.alpha[size_t(y * n + x)] = 1;
  return applyLens(LensContext::of(doc, 1, n, n, pool()), std::move(light)).picture;
}

} // namespace

TEST_CASE("Shadow rays have the hue of their tint, and what throws them is not darkened", "[lens][shafts]") {
  const auto doc = [](const char* tint, const char* gather, const char* contrast) {
    return stageDocument("lens.screen_shafts", {{"rays_of", "shadow"},
                                                {"centre_x", "5 %"},
                                                {"centre_y", "50 %"},
                                                {"length", "70 %"},
                                                {"fade", "100 %"},
                                                {"tint", tint},
                                                {"gather", gather},
                                                {"contrast", contrast},
                                                {"amount", "100 %"}});
  };
  for (const char* gather : {"0 %", "100 %"})
    for (const char* contrast : {"1", "2"}) {
      CAPTURE(gather, contrast);
      const Picture warm = shadowed(doc("1, 0.5, 0.1", gather, contrast), 60),
                    black = shadowed(doc("1, 1, 1", gather, contrast), 60);
      // Behind the shape: darker, and warm.
      const Color behind = warm.color(45, 30), plain = black.color(45, 30);
      CHECK(behind.x < 0.999f);
      CHECK(behind.x > behind.y + 0.02f);
      CHECK(behind.y > behind.z + 0.02f);
      CHECK(plain.x == Approx(plain.y).epsilon(1e-3));
      CHECK(plain.x < 0.95f);
      // The shape itself stays.
      CHECK(black.color(25, 30).x == Approx(1).margin(1e-4));
    }
}

TEST_CASE("The amount of a new stage fits the light that is there", "[lens][amount]") {
  for (const char* kind : {"lens.ghosts", "lens.screen_shafts"})
    for (const char* candelas : {"4000", "20000", "2000000"}) {
      Set s(96, 64);
      s.look("0, 0, 3", "0, 0, 0", "35");
      s.add("material.surface", "Own", {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", candelas}});
      s.add("object.sphere", "Bulb", {{"radius", "0.08"}, {"position", "-0.4, 0.25, 0"}, {"material", "Own"}});
      const NodeId stage = s.add(kind, "Stage", {{"sources", "Bulb"}});
      const Document doc = s.take();
      const Traced t = trace(doc, 8);
      const auto brightest = [&](const Document& d) {
        const LensResult r = develop(d, 1, *t.scene, t.film(), t.scene->groupScales, pool());
        std::vector<float> all;
        for (size_t i = 0; i < r.stages.at(0).work.spread.pixels(); ++i)
          all.push_back(luminance({r.stages[0].work.spread.rgb[3 * i], r.stages[0].work.spread.rgb[3 * i + 1],
                                   r.stages[0].work.spread.rgb[3 * i + 2]}));
        std::sort(all.begin(), all.end());
        return double(all[all.size() - 1 - all.size() / 1000]);
      };
      const auto amount = fittingAmount(doc, stage, 1, *t.scene, t.film(), t.scene->groupScales, pool());
      const double level = double(stageOf(*doc.find(stage)).level),
                   shown = brightest(amount ? setValue(doc, stage, "amount", Constant(*amount)) : doc);
      CAPTURE(kind, candelas, amount ? *amount : -1.0, shown, brightest(doc));
      // By channel it was chosen, by luminance it is looked at here.
      CHECK(shown > 0.1 * level);
      CHECK(shown < 3.5 * level);
    }
}

TEST_CASE("Where a named thing is displaced over a plate the plate is seen, and covered where it comes to be",
          "[lens][displace][plate]") {
  Set s(64, 48);
  s.look("0, 0, 3", "0, 0, 0", "35");
  s.add("material.surface", "Own", {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "2000"}});
  s.add("object.box", "Block", {{"width", "0.5"}, {"height", "0.5"}, {"depth", "0.1"}, {"material", "Own"}});
  s.add("plate.picture", "Sky", {{"shows", "colour"}, {"color", "0.2, 0.3, 0.4"}});
  // A constant map: everything of the block is read from 14 pixels to the left.
  s.add("lens.displace", "Push",
        {{"sources", "Block"}, {"map", "1"}, {"middle", "0.5"}, {"across", "-29.2 %"}, {"down", "0"}});
  const Document doc = s.take();
  const Traced t = trace(doc, 16);
  const LensResult r = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool());
  const LensResult before = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool(), {.on = false});
  const Color plate = r.picture.color(2, 2);
  CHECK(plate.y > 0.05f);
  // Where the block was there is the plate; where it went the block covers it.
  CHECK(luminance(before.picture.color(28, 24)) > 2 * luminance(plate));
  const auto isPlate = [&](int x) {
    return std::abs(luminance(r.picture.color(x, 24)) / luminance(plate) - 1) < 0.03f;
  };
  CHECK(isPlate(28));
  float darkest = 1e9f;
  for (int x = 2; x < 62; ++x) darkest = std::min(darkest, luminance(r.picture.color(x, 24)));
  CHECK(darkest > 0.9f * luminance(plate));
}

TEST_CASE(
    "Patterns on a plate are as wide as high, whatever the frame's shape, unless they are to be stretched with it",
    "[plate][pattern]") {
  // A disc about the middle, three tenths of the frame's height in radius.
  const auto extent = [](const char* scale) {
    Set s(120, 40);
    s.look("0, 0, 3", "0, 0, 0");
    s.add("pattern.ramp", "Disc",
          {{"along", "ball"}, {"space", "camera"}, {"start", "0.5, 0.5, 0"}, {"end", "0.8, 0.5, 0"}});
    s.add("plate.picture", "Sheet", {{"shows", "colour"}, {"color", "pattern Disc"}, {"pattern_scale", scale}});
    const Document doc = s.take();
    const Traced t = trace(doc, 1);
    const Picture p = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool()).picture;
    const float rim = 0.5f * (luminance(p.color(60, 20)) + luminance(p.color(2, 2)));
    const bool dark = luminance(p.color(60, 20)) < rim;
    int wide = 0, high = 0;
    for (int x = 0; x < 120; ++x) wide += (luminance(p.color(x, 20)) < rim) == dark;
    for (int y = 0; y < 40; ++y) high += (luminance(p.color(60, y)) < rim) == dark;
    return std::pair(wide, high);
  };
  const auto [wide, high] = extent("even");
  CHECK(high > 4);
  CHECK(std::abs(wide - high) <= 2);
  const auto [stretchedWide, stretchedHigh] = extent("with the frame");
  CHECK(stretchedHigh == high);
  CHECK(std::abs(stretchedWide - 3 * high) <= 4);
}
