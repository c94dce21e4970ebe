#include "tests/support/scene.h"

#include "core/base/colorspace.h"
#include "core/surface/fresnel.h"

#include <fmt/format.h>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

constexpr double pi64 = 3.14159265358979323846;

double fresnel(double angle, double n) {
  const double c = std::cos(angle), t = std::sqrt(1 - std::sin(angle) * std::sin(angle) / (n * n));
  const double rs = (c - n * t) / (c + n * t), rp = (n * c - t) / (n * c + t);
  return 0.5 * (rs * rs + rp * rp);
}

// An object under a sky of luminance 1: the mean of all and of every 8 × 8 block must be 1.
void furnace(const char* label, std::initializer_list<std::pair<const char*, const char*>> material, double bias,
             uint32_t samples, const char* kind = "object.sphere") {
  Set s(32, 32);
  s.look("0.5, 0.9, 2.6", "0, 0, 0", "70");
  s.add("material.surface", "Lossless", material);
  s.add(kind, "Thing", {{"material", "Lossless"}});
  s.add("light.sky", "Sky", {{"power", "1"}});
  const Document doc = s.take();
  std::vector<Picture> pictures;
  for (int seed = 0; seed < 6; ++seed)
    pictures.push_back(luminances(trace(setValue(doc, doc.settings().id, "seed", Constant(double(seed))), samples)));
  const auto check = [&](Region part, const char* what) {
    std::vector<double> values;
    for (const Picture& p : pictures) values.push_back(mean(p, part));
    const Estimate e = estimateOf(values);
    INFO(label << ", " << what << " at " << part.x << "," << part.y << ": " << e.mean << " ± " << e.se);
    CHECK(e.agrees(1, bias));
    CHECK(e.se < 0.01);
  };
  check({}, "all");
  for (int y = 0; y < 32; y += 8)
    for (int x = 0; x < 32; x += 8) check({x, y, 8, 8}, "block");
}

} // namespace

TEST_CASE("Lossless diffuse surfaces disappear under a constant sky", "[surface][truth6]") {
  furnace("matte", {{"base_color", "1, 1, 1"}, {"ior", "1"}, {"roughness", "1"}}, 0.005, 64);
  for (const char* wrap : {"0.3", "1"})
    furnace("wrapped", {{"base_color", "1, 1, 1"}, {"ior", "1"}, {"roughness", "1"}, {"light_wrap", wrap}}, 0.005,
            256); // spread, not added
  furnace("coated", {{"base_color", "1, 1, 1"}, {"roughness", "0.4"}}, 0.005, 128);
  furnace("polished coat", {{"base_color", "1, 1, 1"}, {"roughness", "0"}, {"ior", "1.8"}}, 0.005, 128);
}

TEST_CASE("Lossless metal disappears at any roughness", "[surface][truth6]") {
  for (const char* roughness : {"0", "0.25", "0.6", "1"})
    furnace(roughness, {{"base_color", "1, 1, 1"}, {"metalness", "1"}, {"roughness", roughness}}, 0.005, 96);
  furnace("box of metal", {{"base_color", "1, 1, 1"}, {"metalness", "1"}, {"roughness", "0.5"}}, 0.005, 96,
          "object.box");
}

TEST_CASE("Coats, fibres, sheets and grain lose no light", "[surface][truth6]") {
  furnace("lacquer over matte",
          {{"base_color", "1, 1, 1"}, {"coat", "1"}, {"coat_roughness", "0.3"}, {"roughness", "0.6"}}, 0.005, 128);
  furnace(
      "polished coat over metal",
      {{"base_color", "1, 1, 1"}, {"metalness", "1"}, {"roughness", "0.5"}, {"coat", "0.7"}, {"coat_roughness", "0"}},
      0.005, 128);
  furnace("velvet", {{"base_color", "1, 1, 1"}, {"sheen", "1"}, {"sheen_roughness", "0.35"}, {"roughness", "0.9"}},
          0.005, 128);
  furnace("brushed metal", {{"base_color", "1, 1, 1"}, {"metalness", "1"}, {"roughness", "0.4"}, {"anisotropy", "0.9"}},
          0.005, 128);
  furnace("lossless leaf", {{"base_color", "1, 1, 1"}, {"thin", "on"}, {"translucency", "0.5"}, {"roughness", "0.5"}},
          0.005, 128, "object.box");
  furnace("frosted inside",
          {{"base_color", "1, 1, 1"},
           {"transmission", "1"},
           {"roughness", "0"},
           {"own_clear_roughness", "on"},
           {"clear_roughness", "0.5"}},
          0.005, 200);
}

TEST_CASE("A scattering body that absorbs nothing disappears", "[surface][truth6]") {
  furnace("without a boundary",
          {{"ior", "1"}, {"subsurface", "1"}, {"subsurface_color", "1, 1, 1"}, {"subsurface_depth", "0.2"}}, 0.01, 96);
  furnace("waxy",
          {{"ior", "1.4"},
           {"roughness", "0.4"},
           {"subsurface", "1"},
           {"subsurface_color", "1, 1, 1"},
           {"subsurface_depth", "0.1"},
           {"subsurface_anisotropy", "0.6"}},
          0.01, 128);
}

TEST_CASE("Dispersing glass keeps the mean of light in every channel", "[surface][truth6]") {
  furnace("flint",
          {{"base_color", "1, 1, 1"}, {"transmission", "1"}, {"roughness", "0"}, {"ior", "1.7"}, {"abbe", "25"}}, 0.005,
          400);
}

TEST_CASE("Clear glass disappears, smooth and rough", "[surface][truth6]") {
  furnace("smooth", {{"base_color", "1, 1, 1"}, {"transmission", "1"}, {"roughness", "0"}}, 0.005, 128);
  furnace("a little rough", {{"base_color", "1, 1, 1"}, {"transmission", "1"}, {"roughness", "0.35"}}, 0.005, 160);
  furnace("very rough", {{"base_color", "1, 1, 1"}, {"transmission", "1"}, {"roughness", "0.85"}}, 0.01, 160);
  furnace("thin pane", {{"base_color", "1, 1, 1"}, {"transmission", "1"}, {"thin", "on"}}, 0.005, 64, "object.box");
}

TEST_CASE("A dielectric reflects by Fresnel at normal and at slanted incidence", "[surface][truth10]") {
  for (const double n : {1.33, 1.5, 2.0})
    for (const double degrees : {0.0, 45.0, 70.0}) {
      const double a = degrees * pi64 / 180;
      Set s(8, 8);
      s.look((std::to_string(4 * std::sin(a)) + ", " + std::to_string(4 * std::cos(a)) + ", 0").c_str(), "0, 0, 0",
             "3000");
      s.add("material.surface", "Black",
            {{"base_color", "0, 0, 0"}, {"roughness", "0"}, {"ior", std::to_string(n).c_str()}});
      s.add("object.plane", "Floor", {{"width", "40"}, {"depth", "40"}, {"material", "Black"}});
      s.add("light.sky", "Sky", {{"power", "100"}});
      const Estimate e = estimate(s.take(), 256);
      CAPTURE(n, degrees, e.mean, e.se);
      CHECK(e.agrees(100 * fresnel(a, n), 0.01));
      if (degrees == 0) CHECK(fresnel(a, n) == Approx(std::pow((n - 1) / (n + 1), 2)));
    }
}

TEST_CASE("From inside, light leaves below the critical angle and none above it", "[surface][truth10]") {
  for (const double degrees : {20.0, 35.0, 43.0, 60.0}) {
    const double a = degrees * pi64 / 180;
    Set s(8, 8);
    // Below the boundary, looking up; a black floor under the camera takes what is thrown back.
    s.look((std::to_string(-2 * std::sin(a)) + ", " + std::to_string(-2 * std::cos(a)) + ", 0").c_str(), "0, 0, 0",
           "3000");
    s.add("material.surface", "Glass",
          {{"base_color", "1, 1, 1"}, {"roughness", "0"}, {"ior", "1.5"}, {"transmission", "1"}});
    s.lambert("Black", "0, 0, 0");
    s.add("object.plane", "Boundary", {{"width", "400"}, {"depth", "400"}, {"material", "Glass"}});
    s.add("object.plane", "Floor",
          {{"width", "400"}, {"depth", "400"}, {"position", "0, -3, 0"}, {"material", "Black"}});
    s.add("light.sky", "Sky", {{"power", "100"}});
    const Estimate e = estimate(s.take(), 256);
    CAPTURE(degrees, e.mean, e.se);
    const double critical = std::asin(1 / 1.5);
    // Radiance inside is n² times what comes in, less what is reflected.
    if (a < critical)
      CHECK(e.agrees(100 * 2.25 * (1 - fresnel(std::asin(1.5 * std::sin(a)), 1.5)), 0.01));
    else
      CHECK(e.mean < 1e-3);
  }
}

TEST_CASE("A clear slab passes what all its inner reflections leave", "[surface][truth11]") {
  for (const double degrees : {0.0, 50.0})
    for (const bool tinted : {false, true}) {
      Set s(8, 8);
      s.look("0, 0, 4", "0, 0, 0", "2500");
      s.add("material.surface", "Glass",
            {{"base_color", "1, 1, 1"},
             {"roughness", "0"},
             {"ior", "1.5"},
             {"transmission", "1"},
             {"attenuation_color", tinted ? "0.3, 0.3, 0.3" : "1, 1, 1"},
             {"attenuation_depth", tinted ? "0.2" : "0"}});
      s.add("object.box", "Slab",
            {{"width", "60"},
             {"height", "60"},
             {"depth", "0.1"},
             {"turn", ("0, " + std::to_string(degrees) + ", 0").c_str()},
             {"material", "Glass"}});
      s.add("light.area", "Behind",
            {{"power", "1000"}, {"width", "2"}, {"height", "2"}, {"position", "0, 0, -40"}, {"target", "0, 0, 0"}});
      const double L = 1000 / (pi64 * 4), a = degrees * pi64 / 180, R = fresnel(a, 1.5);
      const double path = 0.1 / std::sqrt(1 - std::pow(std::sin(a) / 1.5, 2)),
                   k = tinted ? std::pow(0.3, path / 0.2) : 1;
      const double T = (1 - R) * (1 - R) * k / (1 - R * R * k * k);
      const Estimate e = estimate(s.take(), 512);
      CAPTURE(degrees, tinted, e.mean, e.se);
      CHECK(e.agrees(L * T, 0.01));
      if (!tinted) CHECK(T == Approx((1 - R) / (1 + R)));
    }
}

TEST_CASE("A tilted slab shifts the line of sight by Snell's law", "[surface][truth12]") {
  const auto edgeAt = [](bool slab, double degrees) {
    Set s(512, 2);
    s.look("0, 0, 8", "0, 0, 0", "600");
    if (slab) {
      s.add("material.surface", "Glass",
            {{"base_color", "1, 1, 1"}, {"roughness", "0"}, {"ior", "1.6"}, {"transmission", "1"}});
      s.add("object.box", "Slab",
            {{"width", "8"},
             {"height", "8"},
             {"depth", "0.3"},
             {"turn", ("0, " + std::to_string(degrees) + ", 0").c_str()},
             {"material", "Glass"}});
    }
    // Bright from x = 0 to the right.
    s.add("light.area", "Target",
          {{"power", "1000"}, {"width", "4"}, {"height", "4"}, {"position", "2, 0, -4"}, {"target", "2, 0, 10"}});
    const Picture p = luminances(trace(s.take(), 256));
    // Where the brightness beside the edge falls to its half, between pixels. The filter is symmetric, so that half is
    // the edge itself.
    int x = 511;
    while (x > 0 && mean(p, {x, 0, 1, 2}) > 0.3 * mean(p, {500, 0, 12, 2})) --x;
    const double bright = mean(p, {x + 6, 0, 12, 2});
    double lit = 0;
    for (int k = x - 4; k <= x + 6; ++k) lit += mean(p, {k, 0, 1, 2}) / bright;
    return (x + 7 - lit) / 512 * 12 * 36 / 600; // from the left edge of the view, metres at the target
  };
  for (const double degrees : {20.0, 40.0}) {
    const double a = degrees * pi64 / 180, b = std::asin(std::sin(a) / 1.6);
    const double shift = 0.3 * std::sin(a - b) / std::cos(b);
    CAPTURE(degrees, shift);
    CHECK(std::abs(edgeAt(true, degrees) - edgeAt(false, degrees)) == Approx(shift).epsilon(0.02));
  }
}

TEST_CASE("A ball lens brings far light together at its focal length", "[surface][truth13]") {
  // From the focus every line of sight leaves the ball parallel to the axis, at the height f tan α: the edge of a
  // bright sheet behind it is seen at the same place whatever its distance, and that place tells f.
  for (const double n : {1.5, 1.8}) {
    const double f = n * 2 / (4 * (n - 1)), edge = 0.03, half = 0.06;
    for (const double behind : {1.5, 6.0}) {
      const auto brightness = [&](double from) {
        Set s(32, 32);
        s.set(s.look(fmt::format("0, 0, {}", f).c_str(), "0, 0, 0", "1000"),
              {{"film_width", fmt::format("{} mm", 2000 * half / f).c_str()}});
        s.add("material.surface", "Glass",
              {{"base_color", "1, 1, 1"},
               {"transmission", "1"},
               {"roughness", "0"},
               {"ior", fmt::format("{}", n).c_str()}});
        s.add("material.surface", "Bright", {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "100"}});
        s.add("object.sphere", "Ball", {{"radius", "1"}, {"material", "Glass"}});
        s.add("object.plane", "Sheet",
              {{"width", "20"},
               {"depth", "20"},
               {"turn", "90, 0, 0"},
               {"position", fmt::format("0, {}, {}", from + 10, -behind).c_str()},
               {"material", "Bright"}});
        return mean(luminances(trace(s.take(), 256)));
      };
      const double share = brightness(edge) / brightness(-10), measured = edge / (half / f * (1 - 2 * share));
      CAPTURE(n, behind, share, measured);
      CHECK(measured == Approx(f).epsilon(0.01));
    }
  }
}

TEST_CASE("Attenuation reaches its colour at its depth, and its square at twice the depth", "[surface][truth15]") {
  for (const double thickness : {0.2, 0.4}) {
    Set s(4, 4);
    s.look("0, 0, 4", "0, 0, 0", "2500");
    // Index 1: nothing is reflected, so that only absorption is left.
    s.add("material.surface", "Tint",
          {{"base_color", "1, 1, 1"},
           {"roughness", "0"},
           {"ior", "1"},
           {"transmission", "1"},
           {"attenuation_color", "0.8, 0.4, 0.2"},
           {"attenuation_depth", "0.2"}});
    s.add("object.box", "Body",
          {{"width", "60"}, {"height", "60"}, {"depth", std::to_string(thickness).c_str()}, {"material", "Tint"}});
    s.add("light.sky", "Sky", {{"power", "1"}});
    const Picture p = luminances(trace(s.take(), 16));
    const Color tint = working({0.8, 0.4, 0.2});
    for (int c = 0; c < 3; ++c)
      CHECK(p.color(2, 2)[c] == Approx(std::pow(double(tint[c]), thickness / 0.2)).epsilon(0.01));
  }
}

TEST_CASE("Metal reflects its colour at normal incidence and white at grazing incidence", "[surface]") {
  Set s(4, 4);
  s.look("0, 4, 0", "0, 0, 0", "3000");
  s.add("material.surface", "Gold", {{"base_color", "0.9, 0.6, 0.2"}, {"metalness", "1"}, {"roughness", "0"}});
  s.add("object.plane", "Floor", {{"width", "40"}, {"depth", "40"}, {"material", "Gold"}});
  s.add("light.sky", "Sky", {{"power", "1"}});
  const Document doc = s.take();
  const Color f0 = working({0.9, 0.6, 0.2});
  const Picture p = luminances(trace(doc, 8));
  for (int c = 0; c < 3; ++c) CHECK(p.color(1, 1)[c] == Approx(f0[c]).epsilon(1e-3));
  const Picture grazing =
      luminances(trace(setAt(doc, resolve(doc, "Camera.position"), Constant(Triple{4, 0.03, 0})), 8));
  for (int c = 0; c < 3; ++c) CHECK(grazing.color(1, 1)[c] > 0.9f);
}

TEST_CASE("Opacity lets its share of light through, in the picture and in shadows", "[surface]") {
  Set s(8, 8);
  s.look("0, 6, 0", "0, 0, 0", "1500");
  s.lambert("White", "1, 1, 1");
  s.add("material.surface", "Gauze", {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"opacity", "0.25"}});
  s.add("object.plane", "Floor", {{"width", "40"}, {"depth", "40"}, {"material", "White"}});
  s.add("object.plane", "Veil",
        {{"width", "1"}, {"depth", "1"}, {"position", "0, 0.5, 0"}, {"material", "Gauze"}, {"seen", "off"}});
  s.add("light.point", "Lamp", {{"power", "1000"}, {"radius", "0"}, {"position", "0, 2, 0"}});
  const Document doc = s.take();
  const double bare = 1000 / (4 * pi64 * 4) / pi64;
  CHECK(mean(luminances(trace(doc, 16))) == Approx(0.75 * bare).epsilon(0.01));
  const Estimate seen = estimate(setAt(doc, resolve(doc, "Veil.seen"), Constant(true)), 256);
  CHECK(seen.agrees(0.75 * 0.75 * bare, 0.01));
}
