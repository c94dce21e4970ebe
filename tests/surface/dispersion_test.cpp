#include "core/base/spectrum.h"
#include "tests/support/scene.h"

#include <fmt/format.h>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// A bent body before two lamps of their own brightness: where it shows them depends on the wavelength. `index` and
// `abbe` of the body; abbe 0: no dispersion.
Document before(const char* body, float index, float abbe, bool rough, double seed) {
  Set s(24, 16);
  s.settings({{"seed", fmt::format("{}", seed).c_str()}});
  s.look("0, 0, 1.4", "0, 0, 0", "50");
  s.add("material.surface", "Flint",
        {{"transmission", "1"},
         {"base_color", "1, 1, 1"},
         {"roughness", rough ? "0.15" : "0"},
         {"ior", fmt::format("{}", index).c_str()},
         {"abbe", fmt::format("{}", abbe).c_str()},
         {"film", std::string(body) == "film" ? "1" : "0"},
         {"film_thickness", "420 nm"}});
  if (std::string(body) == "prism")
    s.add("object.prism", "Prism",
          {{"material", "Flint"}, {"turn", "90, 20, 0"}, {"radius", "0.3"}, {"length", "0.7"}});
  else
    s.add("object.sphere", "Ball", {{"material", "Flint"}, {"radius", "0.3"}});
  for (const auto& [place, power] : {std::pair{"-0.5, 0.3, -1", "700"}, {"0.6, -0.2, -1.2", "400"}})
    s.add("light.area", "Panel",
          {{"position", place}, {"target", "0, 0, 0"}, {"width", "0.45"}, {"height", "0.5"}, {"power", power}});
  return s.take();
}

// The mean of a picture's channels, of seeds from 0.
std::array<Estimate, 3> channels(const std::function<Document(double seed)>& doc, uint32_t samples, int seeds) {
  std::array<std::vector<double>, 3> means;
  for (int k = 0; k < seeds; ++k) {
    const Picture p = luminances(trace(doc(k), samples));
    for (size_t c = 0; c < 3; ++c) {
      double sum = 0;
      for (size_t i = c; i < p.rgb.size(); i += 3) sum += double(p.rgb[i]);
      means[c].push_back(sum / double(p.pixels()));
    }
  }
  return {estimateOf(means[0]), estimateOf(means[1]), estimateOf(means[2])};
}

} // namespace

TEST_CASE("A path that splits into wavelengths has the mean of pictures of one wavelength each",
          "[surface][dispersion][truth42]") {
  const float index = 1.65f, abbe = 12;
  for (const auto& [body, rough] : {std::pair{"prism", false}, {"ball", false}, {"film", false}, {"ball", true}}) {
    const std::array<Estimate, 3> split =
        channels([&](double seed) { return before(body, index, abbe, rough, seed); }, 96, 6);
    constexpr int waves = 32;
    std::array<double, 3> sum{}, variance{};
    for (int w = 0; w < waves; ++w) {
      const float wave = shortestWave + (float(w) + 0.5f) / waves * (longestWave - shortestWave);
      const Color response = waveResponse(wave);
      const std::array<Estimate, 3> one = channels(
          [&](double seed) { return before(body, cauchyIndex(index, abbe, wave), 0, rough, 100.0 * w + seed); }, 16, 2);
      for (size_t c = 0; c < 3; ++c) {
        sum[c] += double(response[int(c)]) * one[c].mean / waves;
        variance[c] += std::pow(double(response[int(c)]) * one[c].se / waves, 2);
      }
    }
    for (size_t c = 0; c < 3; ++c) {
      CAPTURE(body, rough, c, split[c].mean, split[c].se, sum[c], std::sqrt(variance[c]));
      CHECK(split[c].se < 0.02 * split[c].mean);
      // White light that is mirrored counts at the yellow line's index.
      CHECK(std::abs(split[c].mean - sum[c]) <=
            4 * std::sqrt(split[c].se * split[c].se + variance[c]) + 0.004 * sum[c]);
    }
  }
}

TEST_CASE("Split into wavelengths, few samples show white light without specks of colour", "[surface][dispersion]") {
  // A ball before an even sky: every wavelength comes from the same light, so that all of them together are white.
  Set s(24, 24);
  s.look("0, 0, 1.4", "0, 0, 0", "70");
  s.add("material.surface", "Flint", {{"transmission", "1"}, {"roughness", "0"}, {"ior", "1.65"}, {"abbe", "12"}});
  s.add("object.sphere", "Ball", {{"material", "Flint"}, {"radius", "0.3"}});
  s.add("light.sky", "Sky", {{"power", "100"}});
  const Traced t = trace(s.take(), 1);
  const Picture p = luminances(t);
  double off = 0, ball = 0, alone = 0;
  for (size_t i = 0; i < p.pixels(); ++i) {
    off += std::abs(double(p.rgb[3 * i]) - double(p.rgb[3 * i + 1])) / 100 / double(p.pixels());
    ball += double(t.film().alpha(i)) / double(p.pixels());
  }
  // One wavelength a sample would come to this.
  constexpr int steps = 1000;
  for (int k = 0; k < steps; ++k) {
    Color weight;
    sampleWavelength((float(k) + 0.5f) / steps, weight);
    alone += std::abs(double(weight.x) - double(weight.y)) / steps;
  }
  CAPTURE(off, ball, alone);
  CHECK(ball > 0.3);
  CHECK(off < 0.5 * alone * ball);
}
