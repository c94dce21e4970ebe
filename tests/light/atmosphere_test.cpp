// The air against quadratures of its own, and against what is measured of days.
#include "core/light/atmosphere.h"

#include "core/base/spectrum.h"
#include "core/light/sky_map.h"
#include "core/light/sun_disc.h"

#include <catch2/catch.hpp>
#include <cmath>

using namespace ilumbra;

namespace {

constexpr double pi64 = 3.14159265358979323846;

// Air mass of a round earth (Kasten and Young 1989).
double airMass(double height) {
  return 1 / (std::sin(height * pi64 / 180) + 0.50572 * std::pow(height + 6.07995, -1.6364));
}

double hue(const Color& c) { return double(c.z / c.x); }

} // namespace

TEST_CASE("The sun above the air gives some 128 000 lux, and the air takes its share by Beer and Lambert",
          "[light][atmosphere]") {
  // Without aerosols, straight down: Rayleigh's optical depth at 555 nm is 0.094, ozone's 0.03; the eye's mean is near
  // it.
  const double noon = double(luminance(Atmosphere(90, 1, 0.2f).sun()));
  CAPTURE(noon);
  CHECK(noon == Approx(128000 * std::exp(-0.094 - 0.03)).epsilon(0.04));
  // Through more air: by its mass, as long as the sun is well up.
  for (const double height : {60.0, 30.0, 15.0}) {
    const double there = double(luminance(Atmosphere(float(height), 1, 0.2f).sun()));
    CAPTURE(height, there);
    CHECK(there == Approx(noon * std::exp(-(0.094 + 0.03) * (airMass(height) - 1))).epsilon(0.06));
  }
}

TEST_CASE("Haze takes from the sun, and gives to the sky around it", "[light][atmosphere]") {
  const Atmosphere clear(35, 2, 0.2f), hazy(35, 8, 0.2f);
  CHECK(luminance(hazy.sun()) < 0.75f * luminance(clear.sun()));
  // Aerosols of turbidity T have (T - 1) times the air's vertical depth at 550 nm.
  const double depth = 0.0977 * 6 * airMass(35);
  CHECK(double(luminance(hazy.sun()) / luminance(clear.sun())) == Approx(std::exp(-depth)).epsilon(0.06));
  CHECK(luminance(hazy.sky(35, 8)) > 1.5f * luminance(clear.sky(35, 8)));
  CHECK(luminance(hazy.skyIlluminance()) > luminance(clear.skyIlluminance()));
  // And it pales the blue.
  CHECK(hue(hazy.sky(70, 120)) < hue(clear.sky(70, 120)));
}

TEST_CASE("What comes down is never more than what came in", "[light][atmosphere]") {
  for (const float height : {5.0f, 20.0f, 50.0f, 85.0f})
    for (const float turbidity : {1.0f, 3.0f, 10.0f}) {
      const Atmosphere air(height, turbidity, 0.3f);
      const double level = double(luminance(air.sun())) * std::sin(double(height) * pi64 / 180) +
                           double(luminance(air.skyIlluminance()));
      CAPTURE(height, turbidity, level);
      // A bright ground sends some of it up and down again: a twentieth at most.
      CHECK(level < 1.05 * 130000 * std::sin(double(height) * pi64 / 180) + 1500);
      CHECK(level > 0);
      for (const float e : {0.0f, 10.0f, 45.0f, 90.0f})
        for (const float a : {0.0f, 60.0f, 180.0f}) REQUIRE(minComponent(air.sky(e, a)) >= 0);
    }
}

TEST_CASE("The low sun is red, the day's sky blue, and night comes", "[light][atmosphere]") {
  const Atmosphere noon(70, 2.5f, 0.2f), evening(2, 2.5f, 0.2f), dusk(-5, 2.5f, 0.2f), night(-17, 2.5f, 0.2f);
  CHECK(hue(noon.sun()) == Approx(hue(blackbody(5300))).epsilon(0.12)); // direct sunlight has 5 000 to 5 500 K
  CHECK(hue(evening.sun()) < 0.35 * hue(noon.sun()));
  CHECK(hue(noon.sky(60, 90)) > 1.4);
  CHECK(isBlack(dusk.sun()));
  CHECK(luminance(dusk.skyIlluminance()) > 0);
  CHECK(luminance(dusk.skyIlluminance()) < 0.02f * luminance(noon.skyIlluminance()));
  CHECK(luminance(night.skyIlluminance()) < 0.05f * luminance(dusk.skyIlluminance()));
  // At dusk the sky is brightest above where the sun went down.
  CHECK(luminance(dusk.sky(4, 0)) > 2 * luminance(dusk.sky(4, 180)));
}

TEST_CASE("The sky's illuminance is the integral of its luminance", "[light][atmosphere]") {
  const Atmosphere air(40, 2.5f, 0.2f);
  double sum = 0;
  constexpr int n = 400;
  for (int i = 0; i < n; ++i)
    for (int j = 0; j < n; ++j) {
      const double e = 0.5 * pi64 * (i + 0.5) / n, a = 180 * (j + 0.5) / n;
      sum += double(luminance(air.sky(float(e * 180 / pi64), float(a)))) * std::sin(e) * std::cos(e) *
             (0.5 * pi64 / n) * (2 * pi64 / n);
    }
  CHECK(double(luminance(air.skyIlluminance())) == Approx(sum).epsilon(0.01));
}

TEST_CASE("A disc in the sky holds what it samples, and its radiance integrates to one lux", "[light][sun]") {
  for (const float diameter : {0.05f, 0.53f, 8.0f, 60.0f}) {
    const SunDisc disc(skyBody(35, 20), diameter);
    double lux = 0;
    constexpr int n = 2000;
    for (int i = 0; i < n; ++i) {
      const V3f d = disc.sample({(float(i) + 0.5f) / n, std::fmod(float(i) * 0.618034f, 1.0f)});
      REQUIRE(length(d) == Approx(1).epsilon(1e-5));
      lux += double(disc.radiance() * dot(d, skyBody(35, 20)) / disc.pdf()) / n;
    }
    CAPTURE(diameter);
    CHECK(lux == Approx(1).epsilon(2e-3));
    const double half = 0.5 * double(diameter);
    CHECK(disc.holds(skyBody(float(35 + 0.98 * half), 20)));
    CHECK_FALSE(disc.holds(skyBody(float(35 + 1.02 * half), 20)));
  }
}

TEST_CASE("Places in a sky and directions are each other's inverse", "[light][sky]") {
  for (const V2f& p : {V2f(0.1f, 0.3f), V2f(0.5f, 0.5f), V2f(0.93f, 0.8f)}) {
    const V2f back = skyPlace(skyDirection(p));
    CHECK(back.x == Approx(p.x).margin(1e-5));
    CHECK(back.y == Approx(p.y).margin(1e-5));
  }
  // 0 stands behind the set, and a quarter on towards +x; the zenith is the first row.
  CHECK(skyDirection({0, 0.5f}).z == Approx(-1));
  CHECK(skyDirection({0.25f, 0.5f}).x == Approx(1));
  CHECK(skyDirection({0.4f, 0}).y == Approx(1));
  CHECK(dot(skyBody(0, 0), skyDirection({0, 0.5f})) == Approx(1));
}
