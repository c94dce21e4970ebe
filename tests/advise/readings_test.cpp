// Readings against pictures whose measures are known.
#include "core/advise/readings.h"

#include "core/document/edit.h"
#include "core/document/units.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// A disc of light with a halo that falls off by a power, on a ground; in a picture of this size.
struct Lit {
  double core = 16, ground = 0.02, halo = 0.5, falls = 2, radius = 0.01;
  Color hue{1.0f, 0.7f, 0.4f};
};
Picture lit(const Lit& l, int width = 320, int height = 200) {
  Picture p(width, height);
  const double scale = 1 / double(luminance(l.hue)), r0 = l.radius * height;
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x) {
      const double d = std::hypot(x - width / 2, y - height / 2);
      const double v = d <= r0 ? l.core : l.ground + l.halo * std::pow(d / r0, -l.falls);
      for (int c = 0; c < 3; ++c) p.at(x, y)[c] = float(v * scale) * l.hue[c];
    }
  return p;
}

Document plain() {
  Set s(320, 200);
  s.look("0, 0, 4", "0, 0, 0", "50");
  return s.take();
}

Readings taken(const Picture& p, const Document& doc = plain(), Region region = {}) {
  return takeReadings({.doc = doc, .frame = 1, .picture = p, .region = region});
}

bool says(const Readings& r, const std::string& words) {
  for (const Finding& f : r.lines)
    if (f.text.find(words) != std::string::npos) return true;
  return false;
}

} // namespace

TEST_CASE("A halo's core, width, fall and surround are read as they were drawn", "[advise][readings]") {
  for (const double falls : {1.5, 2.0, 3.0}) {
    CAPTURE(falls);
    Lit l;
    l.falls = falls;
    l.ground = 0.001;
    const Readings r = taken(lit(l, 640, 400));
    REQUIRE(r.halo.size() == 1);
    const HaloReading& h = r.halo.front();
    CHECK(double(h.centre.x) == Approx(320).margin(1));
    CHECK(double(h.centre.y) == Approx(200).margin(1));
    CHECK(h.core == Approx(4).margin(0.05));
    CHECK(h.radius == Approx(0.01).epsilon(0.3));
    CHECK(h.falls == Approx(falls).epsilon(0.12));
    // Half of what it is at the rim (a hundredth outside the core) is 2^(1/falls) times as far out.
    CHECK(h.halfWidth == Approx((h.radius + 0.01) * std::pow(2, 1 / falls)).epsilon(0.15));
    CHECK(r.verdict == "Reads as a light");
    CHECK(r.reads);
  }
}

TEST_CASE("Whether it reads as light is judged by its core, its surround and its rim", "[advise][readings]") {
  Lit l;
  CHECK(taken(lit(l)).reads);
  Lit paint = l;
  paint.core = 0.9;
  paint.halo = 0.1;
  CHECK_FALSE(taken(lit(paint)).reads);
  CHECK(says(taken(lit(paint)), "no brighter than a lit surface"));
  Lit washed = l;
  washed.ground = 4;
  washed.halo = 1;
  CHECK(says(taken(lit(washed)), "above its surround"));
  CHECK_FALSE(taken(lit(washed)).reads);
  Lit hard = l;
  hard.halo = 0;
  CHECK(says(taken(lit(hard)), "nothing of it is spread"));
  CHECK_FALSE(taken(lit(hard)).reads);
  Picture grey(64, 40);
  std::fill(grey.rgb.begin(), grey.rgb.end(), 0.5f);
  CHECK(taken(grey).verdict == "Reads as a surface, not as a light");
  CHECK(taken(Picture(64, 40)).verdict == "All is black");
  CHECK(takeReadings({.doc = plain(), .frame = 1, .picture = Picture()}).lines.empty());
}

TEST_CASE("Exposure that loses everything is found, and mended by the stops that it takes", "[advise][readings]") {
  const Document doc = plain();
  Picture dark(64, 40);
  std::fill(dark.rgb.begin(), dark.rgb.end(), 0.01f);
  const Readings d = taken(dark);
  REQUIRE(says(d, "Nothing lies above middle grey"));
  const Mend mend = d.lines.front().mends.at(0);
  const double before = Params(*doc.findByName("Camera"), 1).number("ev100"),
               after = Params(*applyMend(doc, mend).findByName("Camera"), 1).number("ev100");
  CHECK(before - after == Approx(std::log2(100)).margin(0.26)); // to white, to half a stop
  Picture bright(64, 40);
  std::fill(bright.rgb.begin(), bright.rgb.end(), 9.0f);
  CHECK(says(taken(bright), "Everything lies above white"));
  CHECK(taken(bright).clipped[0] == 1);
}

TEST_CASE("Clipping is told by channel, the histogram by stops, and a region by itself", "[advise][readings]") {
  Picture p(100, 10);
  for (int y = 0; y < 10; ++y)
    for (int x = 0; x < 100; ++x) {
      p.at(x, y)[0] = x < 20 ? 1.5f : 0.2f;
      p.at(x, y)[1] = p.at(x, y)[2] = 0.2f;
    }
  const Readings r = taken(p);
  CHECK(r.clipped[0] == Approx(0.2));
  CHECK(r.clipped[1] == 0);
  CHECK(r.anyClipped == Approx(0.2));
  CHECK(says(r, "Red alone is cut off in 20 %"));
  double all = 0;
  for (const double h : r.histogram) all += h;
  CHECK(all == Approx(1));
  CHECK(r.histogram[size_t(-3 - Readings::lowest)] == Approx(0.8)); // 0.2 is 2.3 stops below white
  CHECK(taken(p, plain(), {50, 0, 50, 10}).anyClipped == 0);
}

TEST_CASE("Up to where a hue is kept is where the display cuts off its strongest channel and goes on",
          "[advise][readings]") {
  Lit l;
  l.hue = {1.0f, 0.5f, 0.25f};
  const Readings r = taken(lit(l));
  REQUIRE(r.halo.size() == 1);
  // Cut off at 1: saturation (1 - 0.25 k) of what it was, 0.75, is halved where the least channel is 0.625.
  const double luminous = double(luminance(l.hue)), stops = std::log2(0.625 / 0.25 * luminous);
  CHECK(r.halo.front().keepsHue == Approx(stops).margin(0.25));
  Lit white = l;
  white.hue = Color(1.0f);
  CHECK(taken(lit(white)).halo.front().keepsHue > 99);
}

TEST_CASE("Readings of two pictures are compared in sentences, the largest first", "[advise][readings]") {
  Lit a, b;
  a.falls = 3;
  b.falls = 1.5;
  a.ground = b.ground = 0.001;
  const auto apart = compareReadings(taken(lit(a, 640, 400)), taken(lit(b, 640, 400)), "Proof 3");
  REQUIRE(!apart.empty());
  bool fast = false;
  for (const std::string& s : apart) fast |= s.find("Falls off") == 0 && s.find("fast as Proof 3") != std::string::npos;
  CHECK(fast);
  CHECK(compareReadings(taken(lit(a)), taken(lit(a)), "x").empty());
  Lit bright = a;
  bright.core *= 4;
  CHECK(compareReadings(taken(lit(bright)), taken(lit(a)), "x").front().find("Core 2.0 stops brighter") == 0);
}
