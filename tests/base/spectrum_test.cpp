#include "core/base/spectrum.h"

#include "core/base/colorspace.h"

#include <catch2/catch.hpp>

using namespace ilumbra;

namespace {

// Chromaticity x, y of a colour of the working space.
V2f chroma(const Color& c) {
  const Color r = rec709FromAcescg(c);
  const V3f xyz(0.4123908f * r.x + 0.3575843f * r.y + 0.1804808f * r.z,
                0.2126390f * r.x + 0.7151687f * r.y + 0.0721923f * r.z,
                0.0193308f * r.x + 0.1191948f * r.y + 0.9505322f * r.z);
  const float sum = xyz.x + xyz.y + xyz.z;
  return {xyz.x / sum, xyz.y / sum};
}

} // namespace

// The Planckian locus as the literature tabulates it (Wyszecki and Stiles 1982; 2856 K is CIE illuminant A).
TEST_CASE("A black body has the colour that the CIE observer gives it, at luminance 1", "[spectrum][truth8]") {
  for (const auto& [kelvin, x, y] : {std::tuple{2000.0f, 0.5267f, 0.4133f},
                                     {2856.0f, 0.4476f, 0.4074f},
                                     {4000.0f, 0.3805f, 0.3768f},
                                     {6500.0f, 0.3135f, 0.3237f},
                                     {10000.0f, 0.2807f, 0.2884f}}) {
    const Color c = blackbody(kelvin);
    CAPTURE(kelvin, chroma(c));
    CHECK(luminance(c) == Approx(1).epsilon(1e-4));
    CHECK(chroma(c).x == Approx(x).margin(0.004));
    CHECK(chroma(c).y == Approx(y).margin(0.004));
  }
  CHECK(blackbody(3000).x > blackbody(6500).x);
  CHECK(finite(blackbody(1)));
}

TEST_CASE("Wavelengths sum to white, evenly spread or chosen by what they count", "[spectrum]") {
  Color even(0.0f), chosen(0.0f);
  const int n = 20000;
  for (int i = 0; i < n; ++i) {
    const float u = (float(i) + 0.5f) / n;
    even += waveResponse(shortestWave + (longestWave - shortestWave) * u) * (1.0f / n);
    Color w;
    const float wave = sampleWavelength(u, w);
    REQUIRE(wave >= shortestWave);
    REQUIRE(wave <= longestWave);
    chosen += w * (1.0f / n);
  }
  for (int c = 0; c < 3; ++c) {
    CHECK(even[c] == Approx(1).epsilon(0.002));
    CHECK(chosen[c] == Approx(1).epsilon(0.002));
  }
}

TEST_CASE("Cauchy's index has the stated index at the d line and the stated Abbe number", "[spectrum][truth14]") {
  for (const float nd : {1.33f, 1.5168f, 1.7847f})
    for (const float v : {25.7f, 64.2f}) {
      CHECK(cauchyIndex(nd, v, 587.56f) == Approx(nd).epsilon(1e-5));
      CHECK((nd - 1) / (cauchyIndex(nd, v, 486.13f) - cauchyIndex(nd, v, 656.27f)) == Approx(v).epsilon(1e-3));
    }
  CHECK(cauchyIndex(1.5f, 0, 400) == 1.5f);
}
