#include "tests/support/scene.h"

#include <cmath>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

constexpr double pi64 = 3.14159265358979323846;
// The middle of a narrow view straight down onto a Lambertian floor: a patch so small that it is a point.
constexpr Region middle{7, 7, 2, 2};

Set floorUnderCamera(const char* reflectance = "1, 1, 1") {
  Set s;
  s.look("0, 6, 0", "0, 0, 0", "1500");
  s.lambert("White", reflectance);
  s.add("object.plane", "Floor", {{"width", "400"}, {"depth", "400"}, {"material", "White"}});
  return s;
}

double illuminance(const Document& doc, uint32_t samples = 64) { return pi64 * mean(luminances(trace(doc, samples)), middle); }

// A rectangle of half-widths a and b at distance c, seen from a parallel element on its axis: four corners of
// configuration C-11.
double formFactor(double a, double b, double c) {
  const double A = a / c, B = b / c, sa = std::sqrt(1 + A * A), sb = std::sqrt(1 + B * B);
  return 4 / (2 * pi64) * (A / sa * std::atan(B / sa) + B / sb * std::atan(A / sb));
}

} // namespace

TEST_CASE("A point light gives power times cosine over 4 pi d squared", "[light][truth1]") {
  for (const double d : {0.5, 1.0, 2.0})
    for (const double angle : {0.0, 45.0}) {
      Set s = floorUnderCamera();
      const double t = angle * pi64 / 180;
      s.add("light.point", "Lamp", {{"power", "1200"}, {"radius", "0"}, {"position", (std::to_string(d * std::sin(t)) + ", " + std::to_string(d * std::cos(t)) + ", 0").c_str()}, {"seen", "off"}});
      const double e = illuminance(s.take());
      CAPTURE(d, angle);
      CHECK(e == Approx(1200 * std::cos(t) / (4 * pi64 * d * d)).epsilon(2e-3));
    }
}

TEST_CASE("A ball light outside its own radius lights as a point does", "[light][truth1]") {
  Set s = floorUnderCamera();
  s.add("light.point", "Lamp", {{"power", "1200"}, {"radius", "0.4"}, {"position", "0, 1.5, 0"}, {"seen", "off"}});
  const Estimate e = estimate(s.take(), 256, middle);
  // A sphere whose whole disc is above the horizon: E = Φ / (4 π d²), exactly.
  CHECK(e.agrees(1200 / (4 * pi64 * 1.5 * 1.5) / pi64, 1e-3));
  CHECK(e.se < 0.01 * e.mean);
}

TEST_CASE("A spot's light inside its cone is its power over the cone's solid angle, and none is outside", "[light][truth2]") {
  for (const char* edge : {"0", "40 %", "100 %"}) {
    Set s = floorUnderCamera();
    s.add("light.spot", "Spot", {{"power", "900"}, {"cone", "25"}, {"edge", edge}, {"position", "0, 2, 0"}, {"target", "0, 0, 0"}});
    const Document doc = s.take();
    if (std::string(edge) == "0") {
      const double solid = 2 * pi64 * (1 - std::cos(25 * pi64 / 180));
      CHECK(illuminance(doc) == Approx(900 / solid / 4).epsilon(2e-3));
    }
    // The floor as a whole takes up all of the power: a wide view over the spot's disc.
    Document wide = setAt(doc, resolve(doc, "Camera.focal_length"), Constant(60.0));
    wide = setValue(wide, wide.settings().id, "width", Constant(128.0));
    wide = setValue(wide, wide.settings().id, "height", Constant(128.0));
    const Picture p = luminances(trace(wide, 16));
    const double side = 6 * 36 / 60.0, pixel = side / 128 * (side / 128);
    double flux = 0;
    for (int y = 0; y < 128; ++y)
      for (int x = 0; x < 128; ++x) flux += double(luminance(p.color(x, y))) * pi64 * pixel;
    CAPTURE(edge);
    CHECK(flux == Approx(900).epsilon(5e-3));
    CHECK(luminance(p.color(1, 64)) == 0);
  }
}

TEST_CASE("A rectangle lights a parallel surface by its form factor, and its power is pi L A", "[light][truth3]") {
  for (const double height : {0.7, 1.6}) {
    Set s = floorUnderCamera();
    s.add("light.area", "Panel", {{"power", "3000"}, {"width", "1.2"}, {"height", "0.8"}, {"position", ("0, " + std::to_string(height) + ", 0").c_str()}, {"target", "0, 0, 0"}, {"seen", "off"}});
    const double L = 3000 / (pi64 * 1.2 * 0.8);
    const Estimate e = estimate(s.take(), 256, middle);
    CAPTURE(height, e.mean, e.se);
    CHECK(e.agrees(L * formFactor(0.6, 0.4, height), 1e-3));
  }
}

TEST_CASE("A panel looks as bright as its power says, and its back is dark", "[light][truth3]") {
  Set s;
  s.look("0, 0, 3", "0, 0, 0", "200");
  s.add("light.area", "Panel", {{"power", "3000"}, {"width", "2"}, {"height", "2"}, {"position", "0, 0, 0"}, {"target", "0, 0, 5"}});
  const Document doc = s.take();
  CHECK(mean(luminances(trace(doc, 4))) == Approx(3000 / (pi64 * 4)).epsilon(1e-5));
  CHECK(mean(luminances(trace(setAt(doc, resolve(doc, "Panel.target"), Constant(Triple{0, 0, -5})), 4))) == 0);
  const Document both = setAt(doc, resolve(doc, "Panel.both_sides"), Constant(true));
  CHECK(mean(luminances(trace(both, 4))) == Approx(3000 / (pi64 * 4) / 2).epsilon(1e-5));
}

TEST_CASE("The sun's light falls with the cosine of the tilt", "[light][truth4]") {
  for (const double height : {90.0, 50.0, 20.0}) {
    Set s = floorUnderCamera();
    s.add("light.sun", "Sun", {{"power", "10000"}, {"height", std::to_string(height).c_str()}, {"seen", "off"}});
    CAPTURE(height);
    CHECK(illuminance(s.take(), 256) == Approx(10000 * std::sin(height * pi64 / 180)).epsilon(3e-3));
  }
}

TEST_CASE("The sun's half shadow is as wide as its disc says", "[light][truth4]") {
  // A half-plane at height 2 over the floor; sun overhead with 4° across.
  Set s(256, 4);
  s.look("0, 1.6, 0", "0, 0, 0", "150");
  s.lambert("White", "1, 1, 1");
  s.add("object.plane", "Floor", {{"width", "40"}, {"depth", "40"}, {"material", "White"}});
  s.add("object.plane", "Shade", {{"width", "20"}, {"depth", "20"}, {"position", "-10, 2, 0"}, {"material", "White"}});
  s.add("light.sun", "Sun", {{"power", "1000"}, {"height", "90"}, {"diameter", "4"}, {"seen", "off"}});
  const Document doc = s.take();
  const Picture p = luminances(trace(setValue(doc, doc.settings().id, "bounces", Constant(1.0)), 512));
  const double lit = mean(p, {252, 0, 4, 4}), width = 1.6 * 36 / 150;
  double dark = 0, bright = 0;
  // The penumbra's ends by the 2 % and 98 % of a disc that an edge crosses: those lie at ±0.9 of the radius or so.
  const auto crossed = [](double share) {
    double lo = -1, hi = 1;
    for (int i = 0; i < 60; ++i) {
      const double h = (lo + hi) / 2;
      ((std::asin(h) + h * std::sqrt(1 - h * h)) / pi64 + 0.5 < share ? lo : hi) = h;
    }
    return (lo + hi) / 2;
  };
  for (int x = 0; x < 256; ++x) {
    const double v = mean(p, {x, 0, 1, 4}) / lit;
    if (v < 0.1) dark = x;
    if (v < 0.9) bright = x;
  }
  const double measured = (bright - dark) / 256 * width, full = measured / (crossed(0.9) - crossed(0.1)) * 2;
  CHECK(full == Approx(2 * 2 * std::tan(2 * pi64 / 180)).epsilon(0.05));
}

TEST_CASE("A constant sky over a Lambertian plane is reflected by its reflectance", "[light][truth5]") {
  for (const double rho : {0.18, 0.6}) {
    const std::string r = std::to_string(rho);
    Set s = floorUnderCamera((r + ", " + r + ", " + r).c_str());
    s.add("light.sky", "Sky", {{"power", "500"}});
    const Estimate e = estimate(s.take(), 256, middle);
    CAPTURE(rho, e.mean, e.se);
    CHECK(e.agrees(rho * 500, 1e-3));
    CHECK(e.se < 2);
  }
}

TEST_CASE("Own light is as bright as it says and lights as a lamp of pi L A lumens does", "[light]") {
  Set s = floorUnderCamera();
  s.add("material.surface", "Glow", {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "2000"}});
  s.add("object.sphere", "Ball", {{"radius", "0.2"}, {"position", "0, 1.5, 0"}, {"material", "Glow"}, {"seen", "off"}});
  const Document doc = s.take();
  const double lumens = pi64 * 2000 * 4 * pi64 * 0.04;
  const Estimate e = estimate(doc, 256, middle);
  CHECK(e.agrees(lumens / (4 * pi64 * 2.25) / pi64, 2e-3));
  // A mesh of the same size, nearly: a fine torus against its own area by sampling.
  Set t;
  t.look("0, 0, 2", "0, 0, 0", "400");
  t.add("material.surface", "Glow", {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "700"}});
  t.add("object.box", "Cube", {{"material", "Glow"}});
  CHECK(mean(luminances(trace(t.take(), 2))) == Approx(700).epsilon(1e-5));
}

TEST_CASE("Stops double the light and colour keeps its luminance", "[light]") {
  Set s = floorUnderCamera();
  s.add("light.point", "Lamp", {{"power", "100"}, {"radius", "0"}, {"position", "0, 1, 0"}});
  const Document doc = s.take();
  const double plain = illuminance(doc);
  CHECK(illuminance(setAt(doc, resolve(doc, "Lamp.stops"), Constant(2.0))) == Approx(4 * plain).epsilon(1e-5));
  CHECK(illuminance(setAt(doc, resolve(doc, "Lamp.color"), Constant(Triple{0.1, 0.4, 0.9}))) == Approx(plain).epsilon(1e-4));
  CHECK(illuminance(setAt(doc, resolve(doc, "Lamp.on"), Constant(false))) == 0);
}

TEST_CASE("A new light's power is never negative, and the refusal names it", "[light]") {
  Set s = floorUnderCamera();
  s.add("light.point", "Lamp", {});
  const Document doc = s.take();
  const std::string why = refusal([&] { setAt(doc, resolve(doc, "Lamp.power"), Constant(-3.0)); });
  CHECK(why.find("Lamp.power") != std::string::npos);
  CHECK(why.find("below the least") != std::string::npos);
}
