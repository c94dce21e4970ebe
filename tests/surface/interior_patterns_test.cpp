// What is inside a body from place to place: a clear body's tint, a scattering body's colour and way.
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

constexpr Region middle{6, 6, 4, 4};

// A line between two keys along world y, 0 at y = 1 and 1 at y = 2.
void addSlope(Set& s, const char* name, const char* from, const char* to) {
  const NodeId ramp =
      s.add("pattern.ramp", name, {{"along", "line"}, {"start", "0, 1, 0"}, {"end", "0, 2, 0"}, {"space", "world"}});
  s.add("ramp.key", "", {{"place", "0"}, {"color", from}}, {ramp, "keys"});
  s.add("ramp.key", "", {{"place", "1"}, {"color", to}}, {ramp, "keys"});
}

// A clear box of index 1 from y = 1 to 2 whose tint falls from 1 to 0.2 in 0.5 m.
void addTinted(Set& s) {
  addSlope(s, "Slope", "1, 1, 1", "0.2, 0.2, 0.2");
  s.add("material.surface", "Clear",
        {{"base_color", "1, 1, 1"},
         {"roughness", "0"},
         {"ior", "1"},
         {"transmission", "1"},
         {"attenuation_color", "pattern Slope"},
         {"attenuation_depth", "0.5"}});
  s.add("object.box", "Body",
        {{"width", "4"}, {"height", "1"}, {"depth", "4"}, {"position", "0, 1.5, 0"}, {"material", "Clear"}});
}

// ∫ -ln(1 - 0.8 u) du = 1 + 0.25 ln 0.2 from 0 to 1.
const double through = std::exp(-(1 + 0.25 * std::log(0.2)) / 0.5);

} // namespace

TEST_CASE("A clear body whose tint varies takes the integral along the way, of what is seen and of lamps",
          "[surface][interior]") {
  {
    Set s;
    s.look("0, 5, 0.01", "0, 1, 0", "900");
    addTinted(s);
    s.add("light.sky", "Sky", {{"power", "100"}});
    const Estimate e = estimate(s.take(), 2048, middle);
    CAPTURE(e.mean, e.se);
    CHECK(e.agrees(100 * through, 2e-3));
    CHECK(e.se < 0.5);
  }
  const auto lit = [](bool tinted) {
    Set s;
    s.look("0.5, 0.5, 0", "0, 0, 0", "4000");
    s.lambert("White", "0.8, 0.8, 0.8");
    s.add("object.plane", "Floor", {{"width", "40"}, {"depth", "40"}, {"material", "White"}});
    s.add("light.point", "Lamp", {{"power", "4000"}, {"position", "0, 3, 0"}, {"radius", "0"}, {"seen", "off"}});
    if (tinted) addTinted(s);
    return estimate(s.take(), tinted ? 2048 : 64, middle);
  };
  const Estimate open = lit(false), behind = lit(true);
  CAPTURE(open.mean, behind.mean, behind.se);
  CHECK(behind.agrees(open.mean * through, 4e-3));
}

TEST_CASE("A tint whose pattern has no bounds takes what it says", "[surface][interior]") {
  Set s;
  s.look("0, 5, 0.01", "0, 1, 0", "900");
  addTinted(s);
  s.add("pattern.formula", "Wild", {{"formula", "if(x > 100000, 0 - exp(1000 * x), 0.5)"}});
  s.set(s.find("Clear"), {{"attenuation_color", "pattern Wild"}});
  s.add("light.sky", "Sky", {{"power", "100"}});
  const Estimate e = estimate(s.take(), 2048, middle);
  CAPTURE(e.mean, e.se);
  CHECK(e.agrees(100 * 0.25, 2e-3)); // a half in half a metre
}

TEST_CASE("A scattering body that absorbs nothing disappears, however its way and its turning vary",
          "[surface][interior][truth6]") {
  Set s(8, 8);
  s.look("0, 1.5, 4", "0, 1.5, 0", "100");
  addSlope(s, "Slope", "0, 0, 0", "1, 1, 1");
  s.add("pattern.remap", "Way", {{"value", "pattern Slope"}, {"low", "0.02"}, {"high", "0.3"}});
  s.add("pattern.remap", "Turn", {{"value", "pattern Slope"}, {"low", "-0.4"}, {"high", "0.7"}});
  s.add("material.surface", "Wax",
        {{"base_color", "1, 1, 1"},
         {"ior", "1"},
         {"subsurface", "1"},
         {"subsurface_color", "1, 1, 1"},
         {"subsurface_depth", "pattern Way"},
         {"subsurface_anisotropy", "pattern Turn"}});
  s.add("object.sphere", "Ball", {{"radius", "0.5"}, {"position", "0, 1.5, 0"}, {"material", "Wax"}});
  s.add("light.sky", "Sky", {{"power", "100"}});
  const Estimate e = estimate(s.take(), 512);
  CAPTURE(e.mean, e.se);
  CHECK(e.agrees(100, 5e-3));
}

TEST_CASE("A scattering body has the colour of the place where light enters it", "[surface][interior]") {
  const auto slab = [](const char* colour, const char* from, const char* to) {
    Set s(16, 16);
    s.look(from, to, "4800");
    s.add("pattern.checker", "Fields",
          {{"cell", "1"}, {"high", "0.8, 0.8, 0.8"}, {"low", "0.3, 0.3, 0.3"}, {"space", "object"}});
    s.add("material.surface", "Wax",
          {{"base_color", "1, 1, 1"},
           {"ior", "1"},
           {"subsurface", "1"},
           {"subsurface_color", colour},
           {"subsurface_depth", "0.002"}});
    s.add("object.box", "Slab",
          {{"width", "8"}, {"depth", "8"}, {"height", "1"}, {"position", "0, -0.5, 0"}, {"material", "Wax"}});
    s.add("light.sky", "Sky", {{"power", "100"}});
    return estimate(s.take(), 256, middle);
  };
  const double bright = slab("0.8, 0.8, 0.8", "0.5, 4, 0.51", "0.5, 0, 0.5").mean,
               dark = slab("0.3, 0.3, 0.3", "0.5, 4, 0.51", "0.5, 0, 0.5").mean;
  REQUIRE(bright > dark * 2);
  const Estimate here = slab("pattern Fields", "0.5, 4, 0.51", "0.5, 0, 0.5"),
                 beside = slab("pattern Fields", "1.5, 4, 0.51", "1.5, 0, 0.5");
  CAPTURE(bright, dark, here.mean, beside.mean);
  CHECK(std::max(here.mean, beside.mean) == Approx(bright).epsilon(0.02));
  CHECK(std::min(here.mean, beside.mean) == Approx(dark).epsilon(0.02));
}
