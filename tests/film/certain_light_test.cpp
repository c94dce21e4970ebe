#include "core/compile/compile.h"
#include "core/document/edit.h"
#include "core/film/denoise.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Picture partOf(const Traced& t, FilmLight which) {
  return collect(t.film(), 0, t.scene->groupScales, 1, pool(), which);
}
Picture cleaned(const Traced& t) {
  return denoised(
             Denoiser(t.film(), pool()), 1, [&](size_t, FilmLight which) { return partOf(t, which); }, pool())
      .front();
}

// A ball that shines, before an even sky, in haze that loses no light: `own` and `sky` in cd/m².
Document ballInHaze(const char* own, const char* sky) {
  Set s(8, 8);
  s.look("0, 0, 4", "0, 0, 0", "2000");
  s.add("material.surface", "Glow", {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", own}});
  s.add("object.sphere", "Ball", {{"radius", "0.5"}, {"material", "Glow"}});
  s.set(s.add("object.sphere", "Room", {{"radius", "1.5"}}), {{"shown", "off"}});
  s.add("light.sky", "Sky", {{"power", sky}});
  s.add("air.haze", "Haze", {{"fills", "Room"}, {"density", "0.7"}, {"color", "1, 1, 1"}, {"scatterings", "1000"}});
  return s.take();
}

} // namespace

TEST_CASE("What shines itself is seen through haze without a chance in it, and nothing of it twice", "[film][air]") {
  for (const uint32_t samples : {1u, 3u}) {
    const Traced t = trace(ballInHaze("300", "0"), samples);
    const Picture certain = partOf(t, FilmLight::Certain);
    for (const float v : certain.rgb) REQUIRE(v == Approx(300 * std::exp(-0.7)).epsilon(3e-3)); // the ball is round
  }
  // Where all that one sees is as bright, haze that loses nothing cannot be seen.
  const Estimate e = estimate(ballInHaze("300", "300"), 256);
  CAPTURE(e.mean, e.se);
  CHECK(e.agrees(300, 1e-3, 0.01));
}

TEST_CASE("Denoising leaves lamps and what shines itself as they are, also of one sample", "[denoise]") {
  Set s(64, 48);
  s.look("0, 0, 3", "0, 0, 0", "50");
  s.add("light.point", "Lamp", {{"power", "4000"}, {"radius", "0.04"}, {"position", "0.3, 0.2, 0"}});
  s.add("material.surface", "Glow", {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "20"}});
  s.add("object.sphere", "Ball", {{"radius", "0.3"}, {"position", "-0.4, 0, 0"}, {"material", "Glow"}});
  for (const uint32_t samples : {1u, 4u, 32u}) {
    const Traced t = trace(s.peek(), samples);
    CHECK(cleaned(t) == luminances(t));
  }
  // With a floor the rest is denoised, and no more of the lamp is where it is not.
  s.lambert("Grey", "0.5, 0.5, 0.5");
  s.add("object.plane", "Floor", {{"width", "8"}, {"depth", "8"}, {"position", "0, -0.6, 0"}, {"material", "Grey"}});
  const Traced t = trace(s.peek(), 1);
  const Picture raw = partOf(t, FilmLight::Uncertain), certain = partOf(t, FilmLight::Certain), clean = cleaned(t);
  float most = 0;
  for (const float v : raw.rgb) most = std::max(most, v);
  CHECK(mean(raw) > 0);
  for (size_t i = 0; i < clean.rgb.size(); ++i) REQUIRE(clean.rgb[i] - certain.rgb[i] <= 1.001f * most);
}

TEST_CASE("A lamp out of focus and one that moves are matters of chance", "[film]") {
  const auto share = [](const char* focus, bool moves) {
    Set s(32, 32);
    s.set(s.look("0, 0, 3", "0, 0, 0", "50"), {{"f_stop", "1.4"}, {"focus", focus}});
    const NodeId lamp = s.add("light.point", "Lamp", {{"power", "100"}, {"radius", "0.1"}});
    Document doc = s.take();
    if (moves) {
      Keys along;
      for (const double at : {0.0, 2.0})
        along.keys.push_back({at, Constant(Triple{0.2 * at - 0.2, 0, 0}), KeyShape::Linear});
      doc = setValue(doc, lamp, "position", along);
    }
    const Traced t = trace(doc, 4);
    CHECK(mean(luminances(t)) > 0);
    return mean(partOf(t, FilmLight::Certain)) / mean(luminances(t));
  };
  CHECK(share("3", false) == Approx(1));
  CHECK(share("0.5", false) == 0);
  CHECK(share("3", true) == 0);
}

TEST_CASE("A film keeps certain light apart, as far as a pixel has few of them", "[film]") {
  const LayerTable table({LayerQuery{.name = "all", .everything = true}}, {{1}}, {});
  Film film(1, 1, 5, table);
  const std::vector<Color> scales(5, Color(2.0f));
  for (int sample = 0; sample < 2; ++sample) {
    film.begin(0);
    Color total(0.0f);
    for (uint16_t g = 0; g < 5; ++g) {
      Label l;
      l.group = g;
      const Color light(float(g + 1));
      film.addCertain(0, l, light, light * 2.0f);
      film.add(0, l, Color(0.5f));
      total += (light + Color(0.5f)) * 2.0f;
    }
    film.finish(0, FirstHit(), total);
  }
  const auto light = [&](FilmLight which) { return collect(film, 0, scales, 1, pool(), which).rgb[0]; };
  CHECK(light(FilmLight::All) == Approx(2 * (15 + 2.5)));
  CHECK(light(FilmLight::Certain) == Approx(2 * (1 + 2 + 3)));
  CHECK(light(FilmLight::Uncertain) == Approx(2 * (4 + 5 + 2.5)));
  CHECK(film.uncertain(0).x == Approx(2 * (4 + 5 + 2.5)));
  CHECK(film.light(0, 0, 1).x == Approx(2.5));
  CHECK(film.light(0, 0, 4).x == Approx(5.5));
  // As new, nothing of it is left.
  film.reset(1, 1, 5, table, {});
  film.begin(0);
  film.finish(0, FirstHit(), Color(0.0f));
  CHECK(light(FilmLight::All) == 0);
}
