#include "core/base/sampling.h"

#include "core/base/hash.h"

#include <array>

namespace ilumbra {
namespace {

struct FilterTable {
  static constexpr size_t cells = 512;
  std::array<float, cells + 1> inverse{};
  FilterTable() {
    constexpr int fine = 8192;
    std::vector<double> cdf(fine + 1, 0.0);
    for (int i = 0; i < fine; ++i) {
      const double t = (i + 0.5) / fine * 2 * 3.14159265358979;
      cdf[size_t(i) + 1] =
          cdf[size_t(i)] + 0.35875 - 0.48829 * std::cos(t) + 0.14128 * std::cos(2 * t) - 0.01168 * std::cos(3 * t);
    }
    size_t j = 0;
    for (size_t k = 0; k <= cells; ++k) {
      const double target = cdf.back() * double(k) / cells;
      while (j + 1 < cdf.size() - 1 && cdf[j + 1] < target) ++j;
      const double span = cdf[j + 1] - cdf[j];
      inverse[k] = float(3.0 * ((double(j) + (span > 0 ? (target - cdf[j]) / span : 0)) / fine) - 1.5);
    }
  }
  float operator()(float u) const {
    const float x = u * cells;
    const size_t i = std::min(size_t(x), cells - 1);
    return inverse[i] + (x - float(i)) * (inverse[i + 1] - inverse[i]);
  }
};

} // namespace

V3f sampleUniformSphere(const V2f& u) {
  const float z = 1 - 2 * u.x, r = std::sqrt(std::max(0.0f, 1 - z * z)), phi = 2 * pi * u.y;
  return {r * std::cos(phi), r * std::sin(phi), z};
}

V3f sampleCone(const V2f& u, float oneMinusCos) {
  const float h = u.x * oneMinusCos, r = std::sqrt(std::max(0.0f, h * (2 - h))), phi = 2 * pi * u.y;
  return {r * std::cos(phi), r * std::sin(phi), 1 - h};
}

V2f samplePixelFilter(const V2f& u) {
  static const FilterTable table;
  return {table(u.x), table(u.y)};
}

Distribution::Distribution(const std::vector<float>& weights) {
  for (const float w : weights) m_total += w;
  if (weights.empty() || !(m_total > 0)) return;
  m_cdf.resize(weights.size() + 1);
  double sum = 0;
  for (size_t i = 0; i < weights.size(); ++i) {
    m_cdf[i] = float(sum / m_total);
    sum += weights[i];
  }
  m_cdf.back() = 1;
}

size_t Distribution::sample(float& u, float& pdf) const {
  auto it = std::upper_bound(m_cdf.begin(), m_cdf.end(), u);
  size_t i = size_t(std::clamp<ptrdiff_t>(it - m_cdf.begin() - 1, 0, ptrdiff_t(size()) - 1));
  while (i > 0 && probability(i) <= 0) --i;
  pdf = probability(i);
  u = pdf > 0 ? std::clamp((u - m_cdf[i]) / pdf, 0.0f, 0x1.fffffep-1f) : 0;
  return i;
}

} // namespace ilumbra
