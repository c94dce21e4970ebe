#include "core/film/denoiser_inputs.h"

#include "core/film/lanes.h"

#include <array>
#include <cmath>

namespace ilumbra {
namespace {

constexpr int planes = denoiser_network::inputs;

int roundedUp(int size) {
  constexpr int m = denoiser_network::multiple;
  return (size + m - 1) / m * m;
}
float finite(float v) { return std::isfinite(v) ? v : 0; }

// Of the inputs the first are light, in units of the picture's mean (five decades that matter, to about −1.7 … 2).
constexpr size_t tones = 5, distance = 15, samples = 17;
constexpr float log2e = 1.44269504f;

/// The mean distance of what is hit.
float meanDepth(const Film& film) {
  double sum = 0;
  size_t hits = 0;
  for (size_t i = 0, n = size_t(film.width()) * size_t(film.height()); i < n; ++i)
    if (const float d = film.depth(i); d > 0) {
      sum += double(d);
      ++hits;
    }
  return hits ? float(sum / double(hits)) : 1;
}

} // namespace

// In the order and by the formulas of tools/denoiser/network.py, inputs_of().
DenoiserInputs::DenoiserInputs(const Film& film, const Tasks& tasks)
    : m_width(roundedUp(film.width())), m_height(roundedUp(film.height())),
      m_values(size_t(planes) * size_t(m_width) * size_t(m_height)) {
  const float mean = std::max(1e-12f, film.meanLuminance()), far = meanDepth(film);
  tasks.forEach(m_height, [&](int y) {
    const size_t w = size_t(wholeLanes(m_width));
    std::vector<float> values(size_t(planes) * w);
    for (int x = 0; x < m_width; ++x) {
      const size_t p =
          size_t(std::min(y, film.height() - 1)) * size_t(film.width()) + size_t(std::min(x, film.width() - 1));
      const Color total = film.total(p), half = film.halfDifference(p), seenAlbedo = film.seenAlbedo(p);
      Color variance = film.variance(p);
      const V3f seenNormal = film.seenNormal(p), normal = film.normal(p);
      for (int c = 0; c < 3; ++c)
        if (!std::isfinite(variance[c])) variance[c] = total[c] * total[c];
      const float depth = film.depth(p);
      const std::array<float, size_t(planes)> of = {
          total.x,
          total.y,
          total.z,
          std::sqrt(luminance(variance)),
          luminance(Color(std::abs(half.x), std::abs(half.y), std::abs(half.z))),
          seenAlbedo.x,
          seenAlbedo.y,
          seenAlbedo.z,
          seenNormal.x,
          seenNormal.y,
          seenNormal.z,
          luminance(film.albedo(p)),
          normal.x,
          normal.y,
          normal.z,
          depth,
          film.alpha(p),
          float(std::max(1u, film.samples(p))),
      };
      for (size_t v = 0; v < of.size(); ++v) values[v * w + size_t(x)] = finite(of[v]);
    }
    const __m256 none = _mm256_setzero_ps();
    const auto scaled = [](__m256 v, float by) { return _mm256_mul_ps(v, _mm256_set1_ps(by)); };
    uint16_t* row = m_values.data() + size_t(y) * planes * size_t(m_width);
    for (size_t v = 0; v < size_t(planes); ++v)
      for (int x = 0; x < m_width; x += lanes) {
        __m256 a = _mm256_loadu_ps(values.data() + v * w + size_t(x));
        if (v < tones) { // log light
          a = scaled(_mm256_max_ps(a, none), 1 / mean);
          a = scaled(logarithm(_mm256_add_ps(a, _mm256_set1_ps(1e-3f))), 0.25f);
        } else if (v == distance) { // log2 by the mean; 2 where nothing was hit
          const __m256 hit = _mm256_cmp_ps(a, none, _CMP_GT_OQ);
          const __m256 by = scaled(logarithm(scaled(_mm256_max_ps(a, _mm256_set1_ps(1e-6f)), 1 / far)), 0.3f * log2e);
          a = _mm256_blendv_ps(_mm256_set1_ps(2),
                               _mm256_max_ps(_mm256_min_ps(by, _mm256_set1_ps(2)), _mm256_set1_ps(-2)), hit);
        } else if (v == samples) {
          a = scaled(logarithm(a), log2e / 6);
        }
        toHalves(row + v * size_t(m_width) + size_t(x), a);
      }
  });
}

void DenoiserInputs::row(int y, ChannelRows& to) const {
  const uint16_t* from = m_values.data() + size_t(y) * planes * size_t(m_width);
  for (int v = 0; v < planes; ++v) {
    float* row = to.row(v, 0);
    for (int x = 0; x < m_width; x += lanes, from += lanes) _mm256_storeu_ps(row + x, fromHalves(from));
  }
}

} // namespace ilumbra
