#include "core/pattern/image.h"
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

double illuminance(const Document& doc, uint32_t samples = 64) {
  return pi64 * mean(luminances(trace(doc, samples)), middle);
}

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
      s.add("light.point", "Lamp",
            {{"power", "1200"},
             {"radius", "0"},
             {"position", (std::to_string(d * std::sin(t)) + ", " + std::to_string(d * std::cos(t)) + ", 0").c_str()},
             {"seen", "off"}});
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

TEST_CASE("A spot's light inside its cone is its power over the cone's solid angle, and none is outside",
          "[light][truth2]") {
  for (const char* edge : {"0", "40 %", "100 %"}) {
    Set s = floorUnderCamera();
    s.add("light.spot", "Spot",
          {{"power", "900"}, {"cone", "25"}, {"edge", edge}, {"position", "0, 2, 0"}, {"target", "0, 0, 0"}});
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
    s.add("light.area", "Panel",
          {{"power", "3000"},
           {"width", "1.2"},
           {"height", "0.8"},
           {"position", ("0, " + std::to_string(height) + ", 0").c_str()},
           {"target", "0, 0, 0"},
           {"seen", "off"}});
    const double L = 3000 / (pi64 * 1.2 * 0.8);
    const Estimate e = estimate(s.take(), 256, middle);
    CAPTURE(height, e.mean, e.se);
    CHECK(e.agrees(L * formFactor(0.6, 0.4, height), 1e-3));
  }
}

TEST_CASE("A panel looks as bright as its power says, and its back is dark", "[light][truth3]") {
  Set s;
  s.look("0, 0, 3", "0, 0, 0", "200");
  s.add("light.area", "Panel",
        {{"power", "3000"}, {"width", "2"}, {"height", "2"}, {"position", "0, 0, 0"}, {"target", "0, 0, 5"}});
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
  CHECK(illuminance(setAt(doc, resolve(doc, "Lamp.color"), Constant(Triple{0.1, 0.4, 0.9}))) ==
        Approx(plain).epsilon(1e-4));
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

TEST_CASE("Discs and tubes give the power that they state", "[light][truth3]") {
  // All that leaves a lamp lands on the inside of a large black ball around it: seen from outside through its one-sided
  // wall it cannot be, so the floor's formulas stand in. A disc of luminance L seen on its axis: E = π L R² / (R² +
  // d²).
  Set s = floorUnderCamera();
  s.add("light.area", "Disc",
        {{"form", "disc"},
         {"power", "3000"},
         {"width", "1"},
         {"height", "1"},
         {"position", "0, 0.8, 0"},
         {"target", "0, 0, 0"},
         {"seen", "off"}});
  const double area = pi64 * 0.25, L = 3000 / (pi64 * area);
  const Estimate disc = estimate(s.take(), 256, middle);
  CHECK(disc.agrees(L * 0.25 / (0.25 + 0.64), 1e-3));
  // A thin tube above the floor and along it: a line of n lumens a metre and radian, E = L · 2 r · ∫ cos² / d² dl.
  Set t = floorUnderCamera();
  t.add("light.area", "Tube",
        {{"form", "tube"},
         {"power", "3000"},
         {"width", "2"},
         {"height", "0.01"},
         {"position", "0, 1, 0"},
         {"target", "0, 0, 0"},
         {"seen", "off"}});
  const double l = 3000 / (pi64 * (2 * pi64 * 0.005 * (2 + 0.005)));
  double sum = 0;
  for (int i = 0; i < 2000; ++i) {
    const double x = -1 + 2 * (i + 0.5) / 2000, d2 = 1 + x * x;
    sum += 1 / d2 / d2 * (2.0 / 2000); // cosine at the floor and at the line are both 1 / d
  }
  const Estimate tube = estimate(t.take(), 256, middle);
  CAPTURE(tube.mean, tube.se, l * 0.01 * sum);
  CHECK(tube.agrees(l * 0.01 * sum / pi64, 3e-3));
  // A ball of the area light is the point light of its radius.
  Set b = floorUnderCamera();
  b.add("light.area", "Ball",
        {{"form", "ball"},
         {"power", "1200"},
         {"width", "0.8"},
         {"position", "0, 1.5, 0"},
         {"target", "0, 0, 0"},
         {"seen", "off"}});
  CHECK(estimate(b.take(), 128, middle).agrees(1200 / (4 * pi64 * 2.25) / pi64, 1e-3));
}

TEST_CASE("A honeycomb narrows a panel's light and keeps its power", "[light]") {
  for (const double spread : {60.0, 20.0}) {
    Set s(64, 64);
    s.look("0, 30, 0", "0, 0, 0", "50");
    s.lambert("White", "1, 1, 1");
    s.add("object.plane", "Floor", {{"width", "100"}, {"depth", "100"}, {"material", "White"}});
    s.add("light.area", "Panel",
          {{"power", "900"},
           {"width", "0.3"},
           {"height", "0.3"},
           {"spread", std::to_string(spread).c_str()},
           {"position", "0, 2, 0"},
           {"target", "0, 0, 0"},
           {"seen", "off"}});
    const Document doc = s.take();
    const Picture p = luminances(trace(setValue(doc, doc.settings().id, "bounces", Constant(1.0)), 64));
    const double side = 30 * 36 / 50.0, pixel = side / 64 * (side / 64);
    double flux = 0;
    for (int y = 0; y < 64; ++y)
      for (int x = 0; x < 64; ++x) flux += double(luminance(p.color(x, y))) * pi64 * pixel;
    CAPTURE(spread);
    CHECK(flux == Approx(900).epsilon(0.01));
    // Beyond the spread it is dark.
    const int out = int(64 * (2 * std::tan(spread * pi64 / 180) + 0.8) / side);
    CHECK(luminance(p.color(32 + out, 32)) == 0);
  }
}

TEST_CASE("A spot with a lens lights as one without, only softer, and shows its lens", "[light][truth2]") {
  Set s = floorUnderCamera();
  s.add("light.spot", "Spot",
        {{"power", "900"},
         {"cone", "30"},
         {"edge", "0"},
         {"radius", "0.1"},
         {"position", "0, 2, 0"},
         {"target", "0, 0, 0"},
         {"seen", "off"}});
  const Document doc = s.take();
  const double solid = 2 * pi64 * (1 - std::cos(30 * pi64 / 180));
  CHECK(estimate(doc, 128, middle).agrees(900 / solid / 4 / pi64, 2e-3));
  Document seen = setAt(doc, resolve(doc, "Spot.seen"), Constant(true));
  seen = setAt(seen, resolve(seen, "Camera.position"), Constant(Triple{0, 0.5, 0.3}));
  seen = setAt(seen, resolve(seen, "Camera.target"), Constant(Triple{0, 2, 0}));
  // Its luminance is intensity over the area of its disc.
  CHECK(mean(luminances(trace(seen, 4)), middle) == Approx(900 / solid / (pi64 * 0.01)).epsilon(1e-3));
}

TEST_CASE("A slide takes light away and colours it", "[light]") {
  // Left half clear, right half black.
  std::vector<uint8_t> texels(8 * 4 * 4, 255);
  for (size_t y = 0; y < 4; ++y)
    for (size_t x = 4; x < 8; ++x) std::fill_n(&texels[4 * (8 * y + x)], 3, uint8_t(0));
  TestAssets assets;
  assets.images = [image = std::make_shared<const Image>(8, 4, Image::Encoding::Srgb8, texels)](const std::string&,
                                                                                                int) { return image; };
  Set s(64, 64);
  s.look("0, 6, 0", "0, 0, 0", "60");
  s.lambert("White", "1, 1, 1");
  s.add("object.plane", "Floor", {{"width", "40"}, {"depth", "40"}, {"material", "White"}});
  s.add("light.spot", "Projector",
        {{"power", "900"},
         {"cone", "25"},
         {"edge", "0"},
         {"slide", "half.png"},
         {"position", "0, 2, 0"},
         {"target", "0, 0, 0"}});
  const Document doc = s.take();
  const Picture p = luminances(trace(setValue(doc, doc.settings().id, "bounces", Constant(1.0)), 16, 0, assets));
  double left = 0, right = 0;
  for (int y = 0; y < 64; ++y)
    for (int x = 0; x < 64; ++x) (x < 32 ? left : right) += double(luminance(p.color(x, y)));
  CHECK(std::min(left, right) < 0.06 * std::max(left, right));
  // The picture is as wide as the cone and half as high: nothing lands above it.
  CHECK(luminance(p.color(26, 14)) == 0);
}

TEST_CASE("Beyond its range a lamp lights nothing, and near it all", "[light]") {
  for (const char* kind : {"light.point", "light.spot", "light.area"}) {
    Set s = floorUnderCamera();
    s.add(kind, "Lamp", {{"position", "0, 1, 0"}, {"seen", "off"}});
    const Document doc = s.take();
    CAPTURE(kind);
    const double open = illuminance(doc);
    CHECK(illuminance(setAt(doc, resolve(doc, "Lamp.range"), Constant(0.95))) <
          0.02 * open); // a panel's middle is not its nearest
    CHECK(illuminance(setAt(doc, resolve(doc, "Lamp.range"), Constant(8.0))) == Approx(open).epsilon(2e-3));
  }
}

TEST_CASE("Linked lamps light what they are linked to and nothing else", "[light]") {
  for (const char* radius : {"0", "0.3"}) {
    Set s(32, 16);
    s.look("0, 6, 0", "0, 0, 0", "200");
    s.lambert("White", "0.5, 0.5, 0.5");
    s.add("object.plane", "Left", {{"width", "1"}, {"depth", "2"}, {"position", "-0.5, 0, 0"}, {"material", "White"}});
    s.add("object.plane", "Right", {{"width", "1"}, {"depth", "2"}, {"position", "0.5, 0, 0"}, {"material", "White"}});
    s.add("light.point", "Lamp",
          {{"position", "0, 1, 0"}, {"radius", radius}, {"seen", "off"}, {"links", "only these"}, {"linked", "Left"}});
    const Document doc = s.take();
    const auto halves = [&](const Document& d) {
      const Picture p = luminances(trace(d, 32));
      return std::pair{mean(p, {2, 2, 12, 12}), mean(p, {18, 2, 12, 12})};
    };
    const auto [left, right] = halves(doc);
    CHECK(left > 0);
    CHECK(right == 0);
    const auto [l2, r2] = halves(setAt(doc, resolve(doc, "Lamp.links"), Constant(std::string("all but these"))));
    CHECK(l2 == 0);
    CHECK(r2 == Approx(left).epsilon(0.02));
  }
}

TEST_CASE("A temperature colours a lamp and keeps its power", "[light][truth8]") {
  Set s = floorUnderCamera();
  s.add("light.point", "Lamp", {{"power", "100"}, {"radius", "0"}, {"position", "0, 1, 0"}});
  Document doc = s.take();
  const double plain = illuminance(doc);
  doc = setAt(doc, resolve(doc, "Lamp.by_temperature"), Constant(true));
  const auto colour = [&](double kelvin) {
    return luminances(trace(setAt(doc, resolve(doc, "Lamp.temperature"), Constant(kelvin)), 4)).color(8, 8);
  };
  for (const double kelvin : {1900.0, 6500.0, 12000.0})
    CHECK(double(luminance(colour(kelvin))) * pi64 == Approx(plain).epsilon(1e-3));
  CHECK(colour(1900).x > 3 * colour(1900).z);
  CHECK(colour(12000).z > 1.2f * colour(12000).x);
}

TEST_CASE("Daylight is as bright, as blue and as red as the day is", "[light]") {
  Set s = floorUnderCamera();
  s.add("light.daylight", "Day", {{"height", "60"}, {"turbidity", "2.5"}});
  const Document doc = s.take();
  const auto lux = [&](const Document& d) { return illuminance(d, 256); };
  const double noon = lux(doc);
  CAPTURE(noon);
  CHECK(noon > 80000); // clear sky, sun at 60°: about 100 klx (IES RP-21)
  CHECK(noon < 125000);
  const Document skyOnly = setAt(doc, resolve(doc, "Day.sun"), Constant(false));
  const double sky = lux(skyOnly);
  CAPTURE(sky);
  CHECK(sky > 7000);
  CHECK(sky < 25000);
  const auto colour = [&](const Document& d) { return luminances(trace(d, 256)).color(8, 8); };
  CHECK(colour(skyOnly).z > 1.25f * colour(skyOnly).x);
  const Document evening = setAt(doc, resolve(doc, "Day.height"), Constant(3.0));
  const double late = lux(evening);
  CAPTURE(late);
  CHECK(late < 0.1 * noon);
  CHECK(late > 200);
  // A larger disc only softens.
  CHECK(lux(setAt(doc, resolve(doc, "Day.diameter"), Constant(5.0))) == Approx(noon).epsilon(0.02));
}

TEST_CASE("A gradient sky shines by its three colours", "[light]") {
  Set s;
  s.look("0, 0, 0", "0, 5, 0", "400");
  s.add("light.sky", "Sky",
        {{"form", "gradient"},
         {"power", "100"},
         {"zenith", "1, 1, 1"},
         {"horizon", "0.5, 0.5, 0.5"},
         {"ground", "0.2, 0.2, 0.2"}});
  const Document doc = s.take();
  const auto towards = [&](Triple t) {
    return mean(luminances(trace(setAt(doc, resolve(doc, "Camera.target"), Constant(t)), 2)), middle);
  };
  CHECK(towards({0, 5, 0.001}) == Approx(100).epsilon(0.01));
  CHECK(towards({0, -5, 0.001}) == Approx(20).epsilon(0.01));
  CHECK(towards({5, 0.0, 0}) == Approx(50).epsilon(0.15));
}

TEST_CASE("A link to a group holds for all that is in it, and for what mirrors show of the lamp", "[light]") {
  Set s(32, 16);
  s.look("0, 6, 0", "0, 0, 0", "200");
  s.lambert("White", "0.5, 0.5, 0.5");
  s.add("material.surface", "Mirror", {{"base_color", "1, 1, 1"}, {"metalness", "1"}, {"roughness", "0.3"}});
  const NodeId outer = s.add("object.group", "Outer", {}), inner = s.add("object.group", "Inner", {}, s.in(outer));
  s.add("object.plane", "Left", {{"width", "1"}, {"depth", "2"}, {"position", "-0.5, 0, 0"}, {"material", "White"}},
        s.in(inner));
  s.add("object.plane", "Right", {{"width", "1"}, {"depth", "2"}, {"position", "0.5, 0, 0"}, {"material", "Mirror"}});
  s.add(
      "light.area", "Panel",
      {{"position", "0, 4, 0"}, {"target", "0, 0, 0"}, {"seen", "off"}, {"links", "only these"}, {"linked", "Outer"}});
  const Document doc = s.take();
  const auto halves = [&](const Document& d) {
    const Picture p = luminances(trace(d, 64));
    return std::pair{mean(p, {2, 2, 12, 12}), mean(p, {18, 2, 12, 12})};
  };
  const auto [left, right] = halves(doc);
  CHECK(left > 0);
  CHECK(right == 0);
  const auto [dark, mirror] = halves(setAt(doc, resolve(doc, "Panel.links"), Constant(std::string("all but these"))));
  CHECK(dark == 0);
  CHECK(mirror > 0);
}

TEST_CASE("A sky can be linked too", "[light]") {
  Set s = floorUnderCamera("0.5, 0.5, 0.5");
  s.add("light.sky", "Sky", {{"power", "100"}, {"links", "all but these"}, {"linked", "Floor"}});
  const Document doc = s.take();
  CHECK(mean(luminances(trace(doc, 16)), middle) == 0);
  CHECK(mean(luminances(trace(setAt(doc, resolve(doc, "Sky.links"), Constant(std::string("everything"))), 64)),
             middle) == Approx(50).epsilon(0.02));
}
