// Truths about whole bodies: prisms, sheets, scattering slabs, veils, bodies within bodies, layers.
#include "core/surface/presets.h"
#include "tests/support/scene.h"

#include "core/base/spectrum.h"

#include <cmath>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

constexpr double pi64 = 3.14159265358979323846;
constexpr Region middle{6, 6, 4, 4};
std::string text(double v) { return std::to_string(v); }

} // namespace

TEST_CASE("A prism at minimum deviation turns light by what its index says", "[surface][truth14]") {
  // A cylinder of three sides is a prism of 60°. In its symmetric place light runs along its base; a far small disc
  // where the formula sends it is seen whole, and half a degree beside it is not.
  const double n = 1.6, apex = 60 * pi64 / 180, deviation = 2 * std::asin(n * std::sin(apex / 2)) - apex;
  CHECK(std::sin((apex + deviation) / 2) / std::sin(apex / 2) == Approx(n));
  const auto seen = [&](double off) {
    Set s(8, 8);
    // Before the prism light comes along +x turned by half the deviation upwards, after it by as much downwards.
    const double h = deviation / 2, d = 40;
    s.look((text(-10 * std::cos(h)) + ", 0, " + text(10 * std::sin(h))).c_str(), "0, 0, 0", "4500");
    s.add("material.surface", "Glass",
          {{"base_color", "1, 1, 1"}, {"roughness", "0"}, {"ior", text(n).c_str()}, {"transmission", "1"}});
    s.add("object.cylinder", "Prism",
          {{"radius", "1"},
           {"height", "4"},
           {"segments", "3"},
           {"facets", "faceted"},
           {"turn", "0, 90, 0"},
           {"position", "0, 0, 0.25"},
           {"material", "Glass"}});
    const double a = h + off * pi64 / 180;
    s.add("light.point", "Target",
          {{"power", "1000"},
           {"radius", "0.1"},
           {"position", (text(d * std::cos(a)) + ", 0, " + text(d * std::sin(a))).c_str()}});
    return mean(luminances(trace(s.take(), 64)), {3, 3, 2, 2});
  };
  const double there = std::max(seen(0), 1e-9), L = 1000 / (4 * pi64 * pi64 * 0.01);
  CAPTURE(there, L, seen(0.5), seen(-0.5));
  CHECK(there > 0.7 * L);
  CHECK(seen(0.5) < 0.01 * there);
  CHECK(seen(-0.5) < 0.01 * there);
}

TEST_CASE("Dispersion follows the Abbe number", "[surface][truth14]") {
  for (const double v : {25.7, 64.2}) {
    const float nd = 1.6f, f = cauchyIndex(nd, float(v), 486.13f), d = cauchyIndex(nd, float(v), 587.56f),
                c = cauchyIndex(nd, float(v), 656.27f);
    CHECK(d == Approx(nd).epsilon(1e-6));
    CHECK((d - 1) / (f - c) == Approx(v).epsilon(1e-3));
  }
}

TEST_CASE("Wrapped light goes around a body as far as it says, and other bodies still shade it", "[surface][wrap]") {
  Set s(40, 40);
  s.look("0, 0, 400", "0, 0, 0", "3600"); // 4 m wide
  s.lambert("Matte", "0.8, 0.8, 0.8");
  s.add("object.sphere", "Ball", {{"radius", "1"}, {"material", "Matte"}});
  s.add("light.point", "Lamp", {{"power", "1e9"}, {"position", "300, 0, 0"}});
  // Where the ball's side is turned from the lamp by this cosine.
  const auto at = [&](double cosine) {
    return mean(luminances(trace(s.peek(), 256)), {int(20 + 10 * cosine), 19, 1, 2});
  };
  const double whole = at(0.55) / 0.55; // of a middle at 0.55
  CHECK(at(-0.25) == 0);
  s.set(s.find("Matte"), {{"light_wrap", "0.5"}});
  const auto wrapped = [](double c) { return std::max(0.0, c + 0.5) / 2.25; };
  for (const double c : {0.55, 0.25, -0.25, -0.35}) {
    CAPTURE(c);
    CHECK(at(c) / whole == Approx(wrapped(c)).epsilon(0.05).margin(0.005));
  }
  CHECK(at(-0.75) == Approx(0).margin(1e-6 * whole));
  s.add("object.box", "Wall",
        {{"width", "1"}, {"height", "50"}, {"depth", "50"}, {"position", "200, 0, 0"}, {"material", "Matte"}});
  CHECK(at(-0.25) < 0.01 * whole);
}

TEST_CASE("A thin sheet reflects and passes what it declares", "[surface][truth16]") {
  // The sheet over a black floor, and the camera above it: only what it reflects. The camera below it: only what it
  // passes.
  for (const double translucency : {0.0, 0.3, 1.0}) {
    Set s;
    s.add("material.surface", "Sheet",
          {{"base_color", "0.8, 0.8, 0.8"},
           {"ior", "1"},
           {"roughness", "1"},
           {"thin", "on"},
           {"translucency", text(translucency).c_str()},
           {"translucency_color", "0.5, 0.5, 0.5"}});
    s.add("material.surface", "Black", {{"base_color", "0, 0, 0"}, {"ior", "1"}});
    s.add("object.plane", "Leaf", {{"width", "20"}, {"depth", "20"}, {"position", "0, 1, 0"}, {"material", "Sheet"}});
    s.add("object.plane", "Floor", {{"width", "200"}, {"depth", "200"}, {"material", "Black"}});
    s.add("light.sky", "Sky", {{"power", "100"}});
    s.look("0, 5, 0", "0, 1, 0", "600");
    const Document above = s.take();
    Document below = setAt(above, resolve(above, "Camera.position"), Constant(Triple{0, 0.2, 0}));
    below = setAt(below, resolve(below, "Camera.focal_length"), Constant(2000.0));
    const Estimate r = estimate(above, 256, middle), t = estimate(below, 512, middle);
    CAPTURE(translucency, r.mean, r.se, t.mean, t.se);
    // What leaks in around the far rims of sheet and floor is some hundredths.
    CHECK(std::abs(r.mean - 100 * 0.8 * (1 - translucency)) < 4 * r.se + 0.1);
    CHECK(std::abs(t.mean - 100 * 0.5 * translucency) < 4 * t.se + 0.1);
  }
}

TEST_CASE("A thick scattering slab reflects the colour that it was given", "[surface][truth17]") {
  // By van de Hulst's formula the albedo is chosen; the mean over all views, weighted by the cosine, must come back.
  // Equal steps of the squared sine of the angle weigh so by themselves.
  for (const double colour : {0.3, 0.7}) {
    const std::string c = text(colour);
    std::vector<double> values;
    double se2 = 0;
    for (const double u : {0.125, 0.375, 0.625, 0.875}) {
      const double a = std::asin(std::sqrt(u));
      Set s(8, 8);
      s.look((text(5 * std::sin(a)) + ", " + text(5 * std::cos(a)) + ", 0").c_str(), "0, 0, 0", "3000");
      s.add("material.surface", "Wax",
            {{"base_color", "1, 1, 1"},
             {"ior", "1"},
             {"subsurface", "1"},
             {"subsurface_color", (c + ", " + c + ", " + c).c_str()},
             {"subsurface_depth", "0.01"}});
      s.add("object.box", "Slab",
            {{"width", "8"}, {"depth", "8"}, {"height", "2"}, {"position", "0, -1, 0"}, {"material", "Wax"}});
      s.add("light.sky", "Sky", {{"power", "100"}});
      const Estimate e = estimate(s.take(), 128, {}, 4);
      values.push_back(e.mean);
      se2 += e.se * e.se / 16;
    }
    const Estimate all{(values[0] + values[1] + values[2] + values[3]) / 4, std::sqrt(se2)};
    CAPTURE(colour, all.mean, all.se);
    CHECK(all.agrees(100 * colour, 0.03));
    CHECK(all.se < 1);
  }
}

TEST_CASE("Doubling the mean free path doubles the width of what bleeds", "[surface][truth17]") {
  const auto width = [](double depth) {
    // A sharp shadow's edge on the slab; how far the light comes into the dark, as its centre of mass.
    Set s(64, 4);
    s.look("0, 4, 0", "0, 0, 0", "400");
    s.add("material.surface", "Wax",
          {{"base_color", "1, 1, 1"},
           {"ior", "1"},
           {"subsurface", "1"},
           {"subsurface_color", "0.8, 0.8, 0.8"},
           {"subsurface_depth", text(depth).c_str()}});
    s.add("material.surface", "Black", {{"base_color", "0, 0, 0"}, {"ior", "1"}});
    s.add("object.box", "Slab",
          {{"width", "4"}, {"depth", "4"}, {"height", "1"}, {"position", "0, -0.5, 0"}, {"material", "Wax"}});
    s.add("object.plane", "Shade",
          {{"width", "4"},
           {"depth", "4"},
           {"position", "-2, 0.02, 0"},
           {"material", "Black"},
           {"seen", "off"},
           {"seen_mirrored", "off"}});
    s.add("light.sun", "Sun", {{"power", "1000"}, {"height", "90"}, {"diameter", "0.01"}, {"seen", "off"}});
    const Picture p = luminances(trace(s.take(), 1024));
    double sum = 0, moment = 0;
    for (int x = 0; x < 30; ++x) { // the dark side, from the edge outwards
      const double l = mean(p, {31 - x, 0, 1, 4});
      sum += l;
      moment += l * (x + 0.5);
    }
    return moment / sum;
  };
  const double thin = width(0.004), thick = width(0.008);
  CAPTURE(thin, thick);
  CHECK(thick / thin == Approx(2).epsilon(0.15));
}

TEST_CASE("A veil is as opaque as its curve says at the angle it is seen under", "[surface][truth18]") {
  for (const double degrees : {0.0, 30.0, 60.0, 80.0}) {
    const double a = degrees * pi64 / 180,
                 opacity = degrees < 60 ? 0.1 + 0.4 * degrees / 60 : 0.5 + 0.5 * (degrees - 60) / 30;
    Set s(8, 8);
    s.look((text(3 * std::sin(a)) + ", 0, " + text(3 * std::cos(a))).c_str(), "0, 0, 0", "3000");
    const NodeId veil =
        s.add("material.surface", "Veil", {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "300"}});
    for (const auto& [angle, o] : {std::pair{"0", "0.1"}, std::pair{"60", "0.5"}, std::pair{"90", "1"}})
      s.add("veil.key", "Key", {{"angle", angle}, {"opacity", o}}, {veil, "veil", size_t(-1)});
    s.add("object.plane", "Curtain", {{"width", "4"}, {"depth", "4"}, {"turn", "90, 0, 0"}, {"material", "Veil"}});
    s.add("light.sky", "Sky", {{"power", "100"}});
    const Document doc = s.take();
    const auto seen = [&](const Document& d) { return mean(luminances(trace(d, 512)), {2, 2, 4, 4}); };
    CAPTURE(degrees, opacity);
    CHECK(seen(doc) == Approx(100 * (1 - opacity) + 300 * opacity).epsilon(0.01));
    // One that only adds never takes.
    const double added = seen(setAt(doc, resolve(doc, "Veil.veil_additive"), Constant(1.0)));
    CHECK(added == Approx(100 + 300 * opacity).epsilon(0.01));
    Document dark = setAt(doc, resolve(doc, "Veil.veil_additive"), Constant(1.0));
    dark = setAt(dark, resolve(dark, "Veil.own_light"), Constant(0.0));
    CHECK(seen(dark) >= 100 * (1 - 1e-4));
    // Turned about, the curve runs from the rim.
    const double turned = 90 - degrees, other = turned < 60 ? 0.1 + 0.4 * turned / 60 : 0.5 + 0.5 * (turned - 60) / 30;
    CHECK(seen(setAt(doc, resolve(doc, "Veil.veil_flip"), Constant(true))) ==
          Approx(100 * (1 - other) + 300 * other).epsilon(0.01));
  }
}

TEST_CASE("A liquid in a glass with the wall between shows the right edges", "[surface][nested]") {
  // Glass overlaps the water by half its wall and wins there: air, glass, water, glass, air, all inner reflections.
  const double n1 = 1.5, n2 = 1.33, outer = std::pow((n1 - 1) / (n1 + 1), 2),
               inner = std::pow((n1 - n2) / (n1 + n2), 2);
  double T = 1 - outer, R = outer; // layers added one by one, intensities (incoherent)
  for (const double r : {inner, inner, outer}) {
    const double t = 1 - r;
    const double both = 1 - R * r, passed = T * t / both;
    R = R + T * T * r / both;
    T = passed;
  }
  Set s(8, 8);
  s.look("0, 0, 4", "0, 0, 0", "2500");
  s.add("material.surface", "Glass",
        {{"base_color", "1, 1, 1"}, {"roughness", "0"}, {"ior", "1.5"}, {"transmission", "1"}, {"priority", "1"}});
  s.add("material.surface", "Water",
        {{"base_color", "1, 1, 1"}, {"roughness", "0"}, {"ior", "1.33"}, {"transmission", "1"}});
  s.add("object.box", "Front wall",
        {{"width", "60"}, {"height", "60"}, {"depth", "0.1"}, {"position", "0, 0, 0.3"}, {"material", "Glass"}});
  s.add("object.box", "Back wall",
        {{"width", "60"}, {"height", "60"}, {"depth", "0.1"}, {"position", "0, 0, -0.3"}, {"material", "Glass"}});
  s.add("object.box", "Water body", {{"width", "50"}, {"height", "50"}, {"depth", "0.6"}, {"material", "Water"}});
  s.add("light.area", "Behind",
        {{"power", "1000"}, {"width", "2"}, {"height", "2"}, {"position", "0, 0, -40"}, {"target", "0, 0, 0"}});
  const Estimate e = estimate(s.take(), 512);
  CAPTURE(T, e.mean, e.se);
  CHECK(e.agrees(1000 / (pi64 * 4) * T, 0.005));
}

TEST_CASE("Light goes straight through a pane as it does bent", "[surface][through]") {
  for (const char* thin : {"off", "on"})
    for (const char* way : {"straight", "focused", "blocked"}) {
      Set s;
      s.look("0, 4, 0.6", "0, 0, 0", "900");
      s.lambert("White", "0.8, 0.8, 0.8");
      s.add("material.surface", "Glass",
            {{"base_color", "1, 1, 1"},
             {"roughness", "0"},
             {"ior", "1.5"},
             {"transmission", "1"},
             {"thin", thin},
             {"attenuation_color", "0.6, 0.6, 0.6"},
             {"attenuation_depth", "0.1"}});
      s.add("object.plane", "Floor", {{"width", "40"}, {"depth", "40"}, {"material", "White"}});
      s.add("object.box", "Pane",
            {{"width", "30"},
             {"depth", "30"},
             {"height", "0.05"},
             {"position", "0, 1, 0"},
             {"material", "Glass"},
             {"light_through", way},
             {"seen", "off"}});
      // Large, so that bent paths find it by themselves.
      s.add("light.area", "Panel",
            {{"power", "4000"},
             {"width", "2.4"},
             {"height", "2.4"},
             {"position", "0, 3, 0"},
             {"target", "0, 0, 0"},
             {"seen", "off"},
             {"seen_mirrored", "off"}});
      const Estimate e = estimate(s.take(), 512, middle);
      static double reference = 0;
      CAPTURE(thin, way, e.mean, e.se, reference);
      if (std::string(way) == "straight")
        reference = e.mean;
      else if (std::string(way) == "focused")
        CHECK(e.agrees(reference, 0.03));
      else
        CHECK(e.mean < 0.9 * reference);
    }
}

TEST_CASE("A layered material shows the one above where its mask says", "[surface][layer]") {
  for (const double mask : {0.0, 0.25, 1.0}) {
    Set s;
    s.look("0, 4, 0", "0, 0, 0", "600");
    s.lambert("Dark", "0.1, 0.1, 0.1");
    s.lambert("Pale", "0.9, 0.9, 0.9");
    s.add("material.layer", "Both", {{"below", "Dark"}, {"above", "Pale"}, {"mask", text(mask).c_str()}});
    s.add("object.plane", "Floor", {{"width", "40"}, {"depth", "40"}, {"material", "Both"}});
    s.add("light.sky", "Sky", {{"power", "100"}});
    const Estimate e = estimate(s.take(), 256, middle);
    CHECK(e.agrees(100 * (0.1 + 0.8 * mask), 5e-3));
  }
}

TEST_CASE("A soap film has colours, and loses no light", "[surface][film]") {
  const auto colour = [](const char* thickness) {
    Set s;
    s.look("0, 0, 3", "0, 0, 0", "3000");
    s.add("material.surface", "Film",
          {{"base_color", "1, 1, 1"},
           {"roughness", "0"},
           {"ior", "1.33"},
           {"transmission", "1"},
           {"thin", "on"},
           {"film", "1"},
           {"film_ior", "1.33"},
           {"film_thickness", thickness}});
    s.add("object.plane", "Skin", {{"width", "4"}, {"depth", "4"}, {"turn", "90, 0, 0"}, {"material", "Film"}});
    // Behind it is dark: only what it reflects is seen.
    s.add("light.area", "Before",
          {{"power", "100000"},
           {"width", "20"},
           {"height", "20"},
           {"position", "0, 0, 6"},
           {"target", "0, 0, 0"},
           {"seen", "off"}});
    return luminances(trace(s.take(), 512)).color(8, 8);
  };
  const Color a = colour("250"), b = colour("420");
  CAPTURE(a.x, a.y, a.z, b.x, b.y, b.z);
  CHECK(maxComponent(a) > 1.2f * minComponent(a));
  CHECK(std::abs(a.x / a.z - b.x / b.z) > 0.2f * a.x / a.z);
}

TEST_CASE("Every preset is sound, is recognised, and keeps own light", "[surface][presets]") {
  for (const MaterialPreset& preset : materialPresets()) {
    Set s;
    const NodeId m = s.add("material.surface", "Matter", {{"own_light", "50"}, {"roughness", "0.77"}, {"coat", "0.3"}});
    Document doc = s.take();
    doc = applyPreset(doc, m, preset);
    CAPTURE(preset.name);
    CHECK(problems(doc).empty());
    CHECK(presetOf(doc, m) == &preset);
    CHECK(Params(*doc.find(m), 1).number("own_light") == 50);
    // A second one leaves nothing of the first.
    const Document other = applyPreset(doc, m, findPreset("Plaster"));
    CHECK(presetOf(other, m)->name == "Plaster");
    CHECK(other.family("veil").empty());
  }
  CHECK_THROWS_WITH(findPreset("Unobtainium"), Catch::Contains("Unobtainium") && Catch::Contains("Amber"));
}

TEST_CASE("Faceted and smooth are a matter of the object", "[surface][facets]") {
  // A coarse cylinder seen from the side: faceted it has steps of brightness, smooth it has none.
  const auto steps = [](const char* facets) {
    Set s(96, 4);
    s.look("0, 0, 6", "0, 0, 0", "110");
    s.lambert("White", "0.8, 0.8, 0.8");
    s.add("object.cylinder", "Drum",
          {{"radius", "1"}, {"height", "4"}, {"segments", "12"}, {"facets", facets}, {"material", "White"}});
    s.add("light.sun", "Sun", {{"power", "1000"}, {"height", "0"}, {"bearing", "150"}, {"seen", "off"}});
    const Document doc = s.take();
    const Picture p = luminances(trace(setValue(doc, doc.settings().id, "bounces", Constant(1.0)), 64));
    double most = 0, all = 0;
    for (int x = 20; x < 75; ++x) {
      const double d = std::abs(mean(p, {x + 1, 0, 1, 4}) - mean(p, {x, 0, 1, 4}));
      most = std::max(most, d);
      all += d;
    }
    return most / all; // 1: all of the change is one step
  };
  const double faceted = steps("faceted"), smooth = steps("smooth");
  CAPTURE(faceted, smooth);
  CHECK(faceted > 3 * smooth);
}

TEST_CASE("A veil that only shines leaves nothing to chance", "[surface][truth18]") {
  Set s(8, 8);
  s.look("0, 0, 3", "0, 0, 0", "3000");
  const NodeId veil = s.add("material.surface", "Veil",
                            {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "300"}, {"veil_additive", "40 %"}});
  s.add("veil.key", "Key", {{"angle", "0"}, {"opacity", "0.5"}}, {veil, "veil", size_t(-1)});
  s.add("object.plane", "Curtain", {{"width", "4"}, {"depth", "4"}, {"turn", "90, 0, 0"}, {"material", "Veil"}});
  s.add("light.sky", "Sky", {{"power", "100"}});
  const Traced t = trace(s.take(), 1);
  const Picture p = luminances(t);
  // One sample, and every pixel is exact: 100 · (1 − 0.5 · 0.6) + 300 · 0.5; its alpha is what it covers.
  for (int y = 0; y < 8; ++y)
    for (int x = 0; x < 8; ++x) {
      REQUIRE(double(luminance(p.color(x, y))) == Approx(100 * 0.7 + 150).epsilon(1e-4));
      REQUIRE(double(t.film().alpha(size_t(8 * y + x))) == Approx(0.3).epsilon(1e-4));
    }
}
