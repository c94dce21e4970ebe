#include "core/base/spectrum.h"

#include "core/base/colorspace.h"

#include <array>

namespace ilumbra {

V3f cieXyz(float w) {
  const auto lobe = [w](float peak, float middle, float below, float above) {
    const float t = (w - middle) / (w < middle ? below : above);
    return peak * std::exp(-0.5f * t * t);
  };
  return {lobe(1.056f, 599.8f, 37.9f, 31.0f) + lobe(0.362f, 442.0f, 16.0f, 26.7f) + lobe(-0.065f, 501.1f, 20.4f, 26.2f),
          lobe(0.821f, 568.8f, 46.9f, 40.5f) + lobe(0.286f, 530.9f, 16.3f, 31.1f),
          lobe(1.217f, 437.0f, 11.8f, 36.0f) + lobe(0.681f, 459.0f, 26.0f, 13.8f)};
}

Color workingFromXyz(const V3f& c) {
  // ITU-R BT.709 primaries with white D65, then on as colours of documents go.
  return acescgFrom709({3.2409699f * c.x - 1.5373832f * c.y - 0.4986108f * c.z,
                        -0.9692436f * c.x + 1.8759675f * c.y + 0.0415551f * c.z,
                        0.0556301f * c.x - 0.2039770f * c.y + 1.0569715f * c.z});
}

namespace {

struct Waves {
  static constexpr size_t count = 128;
  std::array<Color, count> response;
  std::array<float, count + 1> cdf{};
  Waves() {
    Color sum(0.0f);
    for (size_t i = 0; i < count; ++i) {
      response[i] = workingFromXyz(cieXyz(middle(i)));
      sum += response[i];
    }
    for (Color& c : response)
      for (int k = 0; k < 3; ++k) c[k] *= float(count) / sum[k];
    for (size_t i = 0; i < count; ++i)
      cdf[i + 1] = cdf[i] + std::abs(response[i].x) + std::abs(response[i].y) + std::abs(response[i].z) + 0.05f;
    for (float& c : cdf) c /= cdf[count];
  }
  static float middle(size_t i) {
    return shortestWave + (longestWave - shortestWave) * (float(i) + 0.5f) / float(count);
  }
};

const Waves& waves() {
  static const Waves made;
  return made;
}

} // namespace

Color waveResponse(float wavelength) {
  const float x = (wavelength - shortestWave) / (longestWave - shortestWave);
  if (!(x >= 0 && x < 1)) return Color(0.0f);
  return waves().response[size_t(x * float(Waves::count))];
}

float sampleWavelength(float u, Color& weight) {
  const Waves& w = waves();
  const auto above = std::upper_bound(w.cdf.begin() + 1, w.cdf.end() - 1, u);
  const auto i = size_t(above - w.cdf.begin()) - 1;
  const float share = w.cdf[i + 1] - w.cdf[i], within = clamp01((u - w.cdf[i]) / share);
  weight = w.response[i] * (1 / (share * float(Waves::count)));
  return shortestWave + (longestWave - shortestWave) * (float(i) + within) / float(Waves::count);
}

Color blackbody(float kelvin) {
  const double t = std::clamp(double(kelvin), 500.0, 100000.0);
  V3f sum(0.0f);
  for (int i = 0; i < 96; ++i) {
    const float nm = 360 + 5 * float(i);
    // Relative to the radiance at 560 nm, which keeps every temperature within range.
    const double c2 = 1.438777e7, at = double(nm),
                 planck = std::pow(560 / at, 5) * std::expm1(c2 / (560 * t)) / std::expm1(c2 / (at * t));
    sum += cieXyz(nm) * float(planck);
  }
  return chromaticity(workingFromXyz(sum));
}

float blackbodyLuminance(float kelvin) {
  if (!(kelvin >= 300)) return 0;
  const auto luminance = [](double t) {
    double sum = 0;
    for (int nm = 360; nm < 840; nm += 5)
      sum += double(cieXyz(float(nm)).y) * std::pow(560.0 / nm, 5) / std::expm1(1.438777e7 / (nm * t));
    return sum;
  };
  static const double reference = luminance(2856);
  return float(luminance(double(kelvin)) / reference);
}

float cauchyIndex(float nd, float abbe, float wavelength) {
  constexpr float d = 587.56f, f = 486.13f, c = 656.27f;
  if (!(abbe > 0)) return nd;
  const float b = (nd - 1) / abbe / (1 / (f * f) - 1 / (c * c));
  return nd + b * (1 / (wavelength * wavelength) - 1 / (d * d));
}

} // namespace ilumbra
