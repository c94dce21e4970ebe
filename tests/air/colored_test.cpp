// Air whose colour, tint, own light and anisotropy differ from place to place.
#include "core/compile/camera.h"
#include "core/compile/compile.h"
#include "core/exchange/assets.h"
#include "core/scene/media.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

constexpr double pi64 = 3.14159265358979323846;

// A ramp between two keys along a world axis, `from` at -1 and `to` at 1.
void addSlope(Set& s, const char* name, const char* axis, const char* from, const char* to) {
  const NodeId ramp = s.add("pattern.ramp", name,
                            {{"along", "line"},
                             {"start", axis == std::string("x")   ? "-1, 0, 0"
                                       : axis == std::string("y") ? "0, -1, 0"
                                                                  : "0, 0, -1"},
                             {"end", axis == std::string("x")   ? "1, 0, 0"
                                     : axis == std::string("y") ? "0, 1, 0"
                                                                : "0, 0, 1"},
                             {"space", "world"}});
  s.add("ramp.key", "", {{"place", "0"}, {"color", from}}, {ramp, "keys"});
  s.add("ramp.key", "", {{"place", "1"}, {"color", to}}, {ramp, "keys"});
}

void addBox(Set& s) {
  s.set(s.add("object.box", "Box", {{"width", "2"}, {"height", "2"}, {"depth", "2"}}), {{"shown", "off"}});
}

} // namespace

TEST_CASE("Where its tint at a depth varies, what comes through air is the integral of what it takes",
          "[air][colored]") {
  for (const char* amount : {"100 %", "pattern Half"}) {
    CAPTURE(amount);
    Set s;
    addBox(s);
    addSlope(s, "Tint", "x", "1, 1, 1", "0.2, 0.2, 0.2");
    addSlope(s, "Half", "y", "0, 0, 0", "1, 1, 1");
    s.add("air.haze", "Haze",
          {{"fills", "Box"},
           {"density", "0.4"},
           {"amount", amount},
           {"attenuation_color", "pattern Tint"},
           {"attenuation_depth", "1.5"}});
    SceneCache cache;
    const ScenePtr scene = compileScene(s.peek(), {}, noAssets(), cache);
    REQUIRE(scene->warnings.empty());
    REQUIRE(scene->media);
    const double much = amount[0] == '1' ? 1 : 0.5;
    const auto through = [&](const V3f& o, const V3f& d, float far) {
      std::vector<double> values;
      RandomStream random(5);
      for (int i = 0; i < 40000; ++i) {
        RayMedia way;
        scene->media->along(o, d, far, way);
        values.push_back(double(scene->media->transmittance(way, o, d, far, random).x));
      }
      return estimateOf(values);
    };
    // Half way up, where the amount is a half too. ∫ -ln(1 - 0.8 u) du from 0 to 1 = 1 + 0.25 ln 0.2.
    CHECK(through({-3, 0, 0.2f}, {1, 0, 0}, 10).agrees(std::exp(-much * (0.8 + 2 / 1.5 * (1 + 0.25 * std::log(0.2))))));
    // Across, all of one tint.
    for (const float x : {-0.8f, 0.1f, 0.9f})
      CHECK(through({x, 0, 3}, {0, 0, -1}, 10)
                .agrees(std::exp(-much * (0.8 - 2 / 1.5 * std::log(1 - 0.4 * (double(x) + 1))))));
  }
}

TEST_CASE("The air-light of a lamp is that of each place's colour and anisotropy", "[air][colored][truth20]") {
  for (const bool turned : {false, true}) {
    CAPTURE(turned);
    Set s(2, 2);
    s.look("0, 0, 4", "0, 0, 0", "4800");
    addSlope(s, "Slope", "z", "0, 0, 0", "0.8, 0.8, 0.8");
    s.add("light.point", "Lamp", {{"power", "1000"}, {"position", "0.3, 0.4, 1"}, {"radius", "0"}, {"seen", "off"}});
    s.add("air.haze", "Haze",
          {{"density", "0.25"},
           {turned ? "anisotropy" : "color", "pattern Slope"},
           {turned ? "color" : "anisotropy", turned ? "0.8, 0.8, 0.8" : "0.4"}});
    double truth = 0;
    const double sigma = 0.25, h = 0.5, at = 3, intensity = 1000 / (4 * pi64);
    constexpr int n = 400000;
    for (int i = 0; i < n; ++i) {
      const double t = 60.0 * (i + 0.5) / n, x = at - t, r = std::sqrt(h * h + x * x),
                   here = 0.8 * std::clamp((4 - t + 1) / 2, 0.0, 1.0); // of the slope, at z = 4 - t
      truth += 60.0 / n * (turned ? 0.8 : here) * sigma * double(phase(float(x / r), turned ? float(here) : 0.4f)) *
               intensity / (r * r) * std::exp(-sigma * (t + r));
    }
    const Estimate e = estimate(s.peek(), 512);
    CAPTURE(e.mean, e.se, truth);
    CHECK(e.agrees(truth, 2e-3));
    CHECK(e.se < 0.01 * truth);
  }
}

TEST_CASE("Turning light more or less from place to place loses none", "[air][colored][truth23]") {
  Set s(8, 8);
  s.look("0, 0, 3", "0, 0, 0", "50");
  s.set(s.add("object.sphere", "Body", {{"radius", "0.7"}}), {{"shown", "off"}});
  s.add("light.sky", "Sky", {{"power", "100"}});
  addSlope(s, "Slope", "y", "0, 0, 0", "1, 1, 1");
  s.add("pattern.remap", "Turning", {{"value", "pattern Slope"}, {"low", "-0.6"}, {"high", "0.9"}});
  s.add("air.haze", "Haze",
        {{"fills", "Body"}, {"density", "5"}, {"anisotropy", "pattern Turning"}, {"scatterings", "1000"}});
  const Estimate e = estimate(s.peek(), 512);
  CAPTURE(e.mean, e.se);
  CHECK(e.agrees(100, 0.005));
  CHECK(e.se < 0.3);
}

TEST_CASE("A gas glows as its pattern says, in a shape and without end", "[air][colored]") {
  for (const bool endless : {false, true}) {
    CAPTURE(endless);
    Set s(2, 2);
    s.look("-3, 0, 0", "0, 0, 0", "4800");
    addBox(s);
    addSlope(s, "Slope", "x", "0, 0, 0", "1, 1, 1");
    s.add("air.haze", "Gas",
          {{"fills", endless ? "" : "Box"},
           {"density", endless ? "0.6" : "0"},
           {"color", "0, 0, 0"},
           {"own_light", "40"},
           {"own_light_color", "pattern Slope"}});
    // In the box ∫ (x + 1) / 2 = 1. Without end, from -1 on at 2 m: e^{-2σ} (∫ u/2 e^{-σu} du over 2 m + e^{-2σ} / σ).
    const double k = 0.6, e2 = std::exp(-2 * k);
    const double truth = endless ? 40 * e2 * (0.5 * ((1 - e2) / (k * k) - 2 * e2 / k) + e2 / k) : 40;
    const Estimate e = estimate(s.peek(), 4096);
    CAPTURE(e.mean, e.se, truth);
    CHECK(e.agrees(truth, 2e-3));
    CHECK(e.se < 0.02 * truth);
  }
}

TEST_CASE("A colour of air that its pattern says the same of everywhere is that colour", "[air][colored]") {
  Set s;
  addBox(s);
  s.add("pattern.constant", "Plain", {{"value", "0.5, 0.25, 1"}});
  s.add("air.haze", "Haze",
        {{"fills", "Box"},
         {"density", "2"},
         {"color", "pattern Plain"},
         {"attenuation_color", "pattern Plain"},
         {"attenuation_depth", "1"}});
  const auto haze = [&] {
    SceneCache cache;
    const ScenePtr scene = compileScene(s.peek(), {}, noAssets(), cache);
    REQUIRE(scene->warnings.empty());
    REQUIRE(scene->media);
    CHECK_FALSE((*scene->media)[0].places[0].tint);
    CHECK_FALSE((*scene->media)[0].places[0].dark);
    return (*scene->media)[0].haze;
  };
  const Haze driven = haze();
  s.set(s.find("Haze"), {{"color", "0.5, 0.25, 1"}, {"attenuation_color", "0.5, 0.25, 1"}});
  const Haze plain = haze();
  for (int c = 0; c < 3; ++c) {
    CHECK(driven.scattering[c] == Approx(double(plain.scattering[c])));
    CHECK(driven.extinction[c] == Approx(double(plain.extinction[c])));
  }
}
