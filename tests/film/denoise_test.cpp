#include "core/compile/compile.h"
#include "core/film/denoise.h"

#include "core/base/error.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// A floor with a box on it under two lamps, one of them soft, with shadows and an edge of colour.
Document corner(int size = 64) {
  Set s(size, size);
  s.look("0, 2.2, 3", "0, 0.2, 0", "45");
  s.lambert("Grey", "0.6, 0.55, 0.5");
  s.lambert("Red", "0.7, 0.1, 0.08");
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"material", "Grey"}});
  s.add("object.box", "Box",
        {{"width", "0.6"}, {"height", "0.6"}, {"depth", "0.6"}, {"position", "0, 0.3, 0"}, {"material", "Red"}});
  s.add("light.area", "Panel",
        {{"power", "2000"},
         {"width", "1"},
         {"height", "1"},
         {"position", "-2, 2, 1"},
         {"target", "0, 0, 0"},
         {"seen", "off"}});
  s.add("light.point", "Lamp", {{"power", "300"}, {"radius", "0.1"}, {"position", "1.5, 1, 0.5"}, {"seen", "off"}});
  return s.take();
}

// As a picture of the film is denoised.
Picture cleaned(const Traced& t) {
  return denoised(
             Denoiser(t.film(), pool()), 1,
             [&](size_t, FilmLight which) { return collect(t.film(), 0, t.scene->groupScales, 1, pool(), which); },
             pool())
      .front();
}

double squaredError(const Picture& a, const Picture& b) {
  double sum = 0;
  for (size_t i = 0; i < a.rgb.size(); ++i) sum += sqr(a.rgb[i] - b.rgb[i]);
  return sum / double(a.rgb.size());
}

} // namespace

TEST_CASE("Denoising brings a picture nearer to the converged one", "[denoise]") {
  const Document doc = corner();
  const Picture truth = luminances(trace(doc, 2048));
  double before = 0, after = 0;
  for (const uint32_t samples : {4u, 16u}) {
    const Traced t = trace(doc, samples);
    const Picture raw = luminances(t);
    const Picture clean = cleaned(t);
    before += squaredError(raw, truth);
    after += squaredError(clean, truth);
    CAPTURE(samples, squaredError(raw, truth), squaredError(clean, truth));
    CHECK(squaredError(clean, truth) < 0.6 * squaredError(raw, truth));
    // It moves light, it does not make any.
    CHECK(mean(clean) == Approx(mean(raw)).epsilon(0.01));
  }
  CHECK(after < 0.4 * before);
}

TEST_CASE("Denoising is linear: light may be mixed before or after", "[denoise][truth7]") {
  const Traced t = trace(corner(48), 8);
  const Denoiser denoiser(t.film(), pool());
  const auto& groupScales = t.scene->groupScales;
  const Picture whole = denoiser.apply(collect(t.film(), 0, groupScales, 1, pool()), pool());
  std::vector<Picture> parts;
  for (int g = 0; g < t.film().groups(); ++g)
    parts.push_back(denoiser.apply(collectGroup(t.film(), 0, g, groupScales[size_t(g)], 1, pool()), pool()));
  REQUIRE(parts.size() == 2);
  for (size_t i = 0; i < whole.rgb.size(); ++i)
    REQUIRE(parts[0].rgb[i] + parts[1].rgb[i] == Approx(whole.rgb[i]).epsilon(1e-4).margin(1e-5));
  // And the number of threads changes nothing.
  const Picture alone = Denoiser(t.film(), Tasks(1)).apply(collect(t.film(), 0, groupScales, 1, pool()), Tasks(1));
  CHECK(alone == whole);
}

TEST_CASE("Denoising keeps edges that features or light tell, and an even picture as it is", "[denoise]") {
  Set s(32, 32);
  s.look("0, 0, 3", "0, 0, 0", "50");
  s.add("light.sky", "Sky", {{"power", "500"}});
  const Traced even = trace(s.take(), 4);
  const Picture p = cleaned(even);
  for (const float v : p.rgb) REQUIRE(v == Approx(500).epsilon(1e-4));
  // A bright sphere on black: its rim stays as sharp as it was.
  Set t(32, 32);
  t.look("0, 0, 3", "0, 0, 0", "50");
  t.add("material.surface", "Glow", {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "2000"}});
  t.add("object.sphere", "Ball", {{"radius", "0.5"}, {"material", "Glow"}});
  const Traced ball = trace(t.take(), 16);
  const Picture raw = luminances(ball), clean = cleaned(ball);
  CHECK(mean(clean, {0, 0, 4, 32}) == 0);
  CHECK(mean(clean, {14, 14, 4, 4}) == Approx(2000).epsilon(1e-4));
  CHECK(squaredError(raw, clean) < sqr(60));
}

TEST_CASE("A denoiser can be broken off", "[denoise]") {
  const Traced t = trace(corner(32), 2);
  CancelFlag cancel;
  cancel.request();
  CHECK_THROWS_AS(Denoiser(t.film(), pool(), &cancel), Error);
}

TEST_CASE("Adaptive sampling leaves out what is done, and stays true", "[adaptive]") {
  const Document doc = corner();
  const Picture truth = luminances(trace(doc, 4096));
  const auto render = [&](double noise, int threads) {
    SceneCache cache;
    Rendering r(compileScene(doc, {.queries = {}}, noAssets(), cache));
    const Tasks tasks(threads);
    const CancelFlag cancel;
    while (r.samples() < 512 && !r.converged()) r.advance(tasks, r.nextPass(512), cancel, {}, noise);
    return r;
  };
  const Rendering some = render(0.012, 2), all = render(0, 2);
  CHECK(some.converged());
  CHECK_FALSE(all.converged());
  CHECK(all.samples() == 512);
  uint32_t least = 1u << 30, most = 0;
  uint64_t sum = 0;
  for (size_t i = 0; i < size_t(64) * 64; ++i) {
    least = std::min(least, some.film().samples(i));
    most = std::max(most, some.film().samples(i));
    sum += some.film().samples(i);
    REQUIRE(all.film().samples(i) == 512);
  }
  CHECK(least >= Rendering::evenSamples);
  CHECK(most > 2 * least);
  CHECK(some.film().noise() <= 0.012);
  CHECK(sum < uint64_t(most) * 64 * 64 * 9 / 10);
  // The mean over the picture agrees: nothing is dimmed where sampling stopped early.
  const Picture p = collect(some.film(), 0, some.scene().groupScales, 1, pool());
  CHECK(mean(p) == Approx(mean(truth)).epsilon(2e-3));
  // The same pixels on one thread.
  const Rendering one = render(0.012, 1);
  CHECK(collect(one.film(), 0, one.scene().groupScales, 1, pool()) == p);
}

TEST_CASE("A rare bright path is not spread about", "[denoise]") {
  // An even film in which one sample of one pixel was ten thousand times as bright.
  const LayerTable table({LayerQuery{.name = "all", .everything = true}}, {{1}}, {});
  Film film(32, 32, 1, table);
  RandomStream random(7);
  for (size_t i = 0; i < 32 * 32; ++i)
    for (int s = 0; s < 16; ++s) {
      const float l = (i == 16 * 32 + 16 && s == 5 ? 10000.0f : 1.0f) * (0.5f + random.next());
      film.begin(i);
      film.add(i, Label{}, Color(l));
      film.finish(i, {true, 1, 2, V3f(0, 1, 0), Color(0.5f), 0, V3f(0, 1, 0), Color(0.5f)}, Color(l));
    }
  const Picture raw = collect(film, 0, {Color(1.0f)}, 1, pool()), clean = Denoiser(film, pool()).apply(raw, pool());
  CHECK(raw.color(16, 16).x > 300);
  // Around it the picture stays as it is, and the pixel itself comes down to it.
  for (int y = 8; y < 25; ++y)
    for (int x = 8; x < 25; ++x)
      if (x != 16 || y != 16) REQUIRE(clean.color(x, y).x == Approx(1).epsilon(0.15));
  CHECK(clean.color(16, 16).x < 0.1f * raw.color(16, 16).x);
}

TEST_CASE("The noise figure is the error that there is", "[denoise][noise]") {
  // Independent samples with a known spread: σ of the mean over 1 after n samples is 0.289 / √n of the mean.
  const LayerTable table({LayerQuery{.name = "all", .everything = true}}, {{1}}, {});
  for (const int n : {4, 16, 64}) {
    Film film(64, 64, 1, table);
    RandomStream random(3);
    for (size_t i = 0; i < 64 * 64; ++i)
      for (int s = 0; s < n; ++s) {
        film.begin(i);
        film.finish(i, {}, Color(0.5f + random.next()));
      }
    CAPTURE(n);
    CHECK(film.noise() == Approx(0.2887 / std::sqrt(n)).epsilon(0.06));
    double variance = 0;
    for (size_t i = 0; i < 64 * 64; ++i) variance += double(film.variance(i).x) / (64 * 64);
    CHECK(variance == Approx(1.0 / 12 / n).epsilon(0.05));
    CHECK(film.meanLuminance() == Approx(1).epsilon(0.02));
  }
}

TEST_CASE("A region is never left out, whatever the noise target", "[adaptive]") {
  const Document doc = corner(32);
  SceneCache cache;
  Rendering r(compileScene(doc, {.queries = {}}, noAssets(), cache));
  const CancelFlag never;
  for (const uint32_t samples : {8u, 24u, 40u}) REQUIRE(r.advance(pool(), samples, never, {8, 8, 8, 8}, 0.9));
  CHECK_FALSE(r.converged());
  CHECK(r.film().samples(size_t(10) * 32 + 10) == 40);
  CHECK(r.film().samples(0) == 0);
}

TEST_CASE("A pixel that is sure of itself stays beside what is bright and unsure", "[denoise]") {
  // A bright pane on the right, its rim as it is sampled: a pixel of the rim met it in some samples. On the left
  // nothing, in all samples.
  const LayerTable table({LayerQuery{.name = "all", .everything = true}}, {{1}}, {});
  Film film(32, 32, 1, table);
  RandomStream random(11);
  for (size_t i = 0; i < 32 * 32; ++i) {
    const int x = int(i % 32);
    for (int s = 0; s < 64; ++s) {
      const bool lit = x > 16 || (x == 16 && random.next() < 0.5f);
      const float l = lit ? 10000.0f : 0.02f * (0.9f + 0.2f * random.next());
      film.begin(i);
      film.add(i, Label{}, Color(l));
      film.finish(i, {true, 1, 2, V3f(0, 0, 1), Color(0.5f), 0, V3f(0, 0, 1), Color(0.5f)},
                  Color(l)); // no feature tells them apart
    }
  }
  const Picture raw = collect(film, 0, {Color(1.0f)}, 1, pool()), clean = Denoiser(film, pool()).apply(raw, pool());
  for (int y = 4; y < 28; ++y)
    for (int x = 4; x < 16; ++x) REQUIRE(clean.color(x, y).x == Approx(0.02).epsilon(0.1));
}

TEST_CASE("Fine detail of light that the samples are sure of stays", "[denoise]") {
  // Stripes of a pixel, of light alone: no feature tells them apart. Beside them light as even as it is noisy.
  const LayerTable table({LayerQuery{.name = "all", .everything = true}}, {{1}}, {});
  const auto light = [](int x, int y) { return x < 32 ? (x + y) % 3 == 0 ? 3.0f : 1.0f : 1.0f; };
  Film film(64, 32, 1, table);
  RandomStream random(5);
  for (size_t i = 0; i < 64 * 32; ++i)
    for (int s = 0; s < 32; ++s) {
      const int x = int(i % 64), y = int(i / 64);
      const float spread = x < 32 ? 0.2f : 1.5f, l = light(x, y) * (1 + spread * (random.next() - 0.5f));
      film.begin(i);
      film.add(i, Label{}, Color(l));
      film.finish(i, {true, 1, 2, V3f(0, 0, 1), Color(0.5f), 0, V3f(0, 0, 1), Color(0.5f)}, Color(l));
    }
  const Picture raw = collect(film, 0, {Color(1.0f)}, 1, pool()), clean = Denoiser(film, pool()).apply(raw, pool());
  const auto error = [&](const Picture& p, int left) {
    double sum = 0;
    for (int y = 4; y < 28; ++y)
      for (int x = left; x < left + 24; ++x) sum += sqr(p.color(x, y).x - light(x, y));
    return sum;
  };
  CHECK(error(clean, 4) < 1.3 * error(raw, 4));
  CHECK(error(clean, 36) < 0.3 * error(raw, 36));
}

TEST_CASE("Alpha of thin air is denoised like its colour, and coverages sum to it", "[denoise][alpha][truth33]") {
  Set s(40, 30);
  s.look("0, 0, 3", "0, 0, 0", "35");
  s.add("light.point", "Lamp", {{"power", "2000"}, {"position", "-1, 1, 1"}, {"seen", "off"}});
  const NodeId ball = s.add("object.sphere", "Shape", {{"radius", "0.6"}, {"shown", "off"}});
  (void)ball;
  s.add("pattern.noise", "Clouds", {{"scale", "0.5"}});
  s.add("air.haze", "Mist", {{"fills", "Shape"}, {"density", "0.4"}, {"amount", "pattern Clouds"}});
  s.lambert("Grey", "0.5, 0.5, 0.5");
  s.add("object.box", "Behind",
        {{"width", "0.5"}, {"height", "3"}, {"depth", "0.1"}, {"position", "0.7, 0, -0.3"}, {"material", "Grey"}});
  const Document doc = s.take();
  const Traced t = trace(doc, 16);
  const Denoiser denoiser(t.film(), pool());
  const CleanCoverage clean = cleanCoverage(t.film(), denoiser, pool());
  // Against what many samples come to.
  const Traced many = trace(doc, 1024);
  double before = 0, after = 0, sumBefore = 0, sumAfter = 0;
  for (size_t i = 0; i < clean.alpha.size(); ++i) {
    before += double(sqr(t.film().alpha(i) - many.film().alpha(i)));
    after += double(sqr(clean.alpha[i] - many.film().alpha(i)));
    sumBefore += double(t.film().alpha(i));
    sumAfter += double(clean.alpha[i]);
    REQUIRE(clean.things[i] <= clean.alpha[i] + 1e-4f);
    const Film::Ranked r = coveredBy(t.film(), clean.things, i);
    float sum = r.dropped;
    for (const float w : r.weight) sum += w;
    if (clean.things[i] > 0.01f) REQUIRE(sum == Approx(clean.things[i]).margin(1e-4));
  }
  CAPTURE(before, after);
  CHECK(after < 0.85 * before);
  CHECK(sumAfter == Approx(sumBefore).epsilon(0.05));
}

TEST_CASE("Drafts of a few samples do not disperse light", "[draft][dispersion]") {
  Set s(32, 24);
  s.look("0, 0, 2", "0, 0, 0", "35");
  s.add("material.surface", "Flint", {{"transmission", "1"}, {"roughness", "0"}, {"ior", "1.6"}, {"abbe", "8"}});
  s.add("object.sphere", "Ball", {{"radius", "0.5"}, {"material", "Flint"}});
  s.add("light.area", "Panel",
        {{"power", "900"}, {"width", "0.6"}, {"height", "0.6"}, {"position", "-1, 1, -2"}, {"target", "0, 0, 0"}});
  const Document doc = s.take();
  SceneCache cache;
  const ScenePtr scene = compileScene(doc, {.queries = {}}, noAssets(), cache);
  const CancelFlag never;
  const auto colour = [&](int step) {
    Rendering r(scene, step);
    REQUIRE(r.advance(pool(), 4, never));
    const Picture p = collect(r.film(), 0, scene->groupScales, 1, pool());
    double off = 0;
    for (size_t i = 0; i < p.pixels(); ++i) {
      const float l = luminance({p.rgb[3 * i], p.rgb[3 * i + 1], p.rgb[3 * i + 2]});
      if (l > 1e-3f) off += double(std::abs(p.rgb[3 * i] - p.rgb[3 * i + 1]) / l);
    }
    return off;
  };
  CHECK(colour(1) > 1);
  CHECK(colour(2) < 0.05 * colour(1));
}
