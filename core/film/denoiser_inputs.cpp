#include "core/film/denoiser_inputs.h"

#include <immintrin.h>

#include <cmath>

namespace ilumbra {
namespace {

constexpr int planes = denoiser_network::inputs;

int roundedUp(int size) {
  constexpr int m = denoiser_network::multiple;
  return (size + m - 1) / m * m;
}
float finite(float v) { return std::isfinite(v) ? v : 0; }
// Light in units of the picture's mean: five decades that matter, to about −1.7 … 2.
float tone(float v) { return 0.25f * std::log(std::max(0.0f, v) + 1e-3f); }

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
    uint16_t* row = m_values.data() + size_t(y) * planes * size_t(m_width);
    for (int x = 0; x < m_width; ++x) {
      const size_t p =
          size_t(std::min(y, film.height() - 1)) * size_t(film.width()) + size_t(std::min(x, film.width() - 1));
      const Color total = film.total(p), seenAlbedo = film.seenAlbedo(p), half = film.halfDifference(p);
      Color variance = film.variance(p);
      const V3f seenNormal = film.seenNormal(p), normal = film.normal(p);
      const float depth = film.depth(p);
      for (int c = 0; c < 3; ++c)
        if (!std::isfinite(variance[c])) variance[c] = total[c] * total[c];
      const std::array<float, size_t(planes)> values = {
          tone(total.x / mean),
          tone(total.y / mean),
          tone(total.z / mean),
          tone(std::sqrt(luminance(variance)) / mean),
          tone(luminance(Color(std::abs(half.x), std::abs(half.y), std::abs(half.z))) / mean),
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
          depth > 0 ? std::clamp(0.3f * std::log2(std::max(1e-6f, depth) / far), -2.0f, 2.0f) : 2.0f,
          film.alpha(p),
          std::log2(float(std::max(1u, film.samples(p)))) / 6,
      };
      for (int v = 0; v < planes; ++v)
        row[size_t(v) * size_t(m_width) + size_t(x)] = _cvtss_sh(finite(values[size_t(v)]), 0);
    }
  });
}

void DenoiserInputs::row(int y, ChannelRows& to) const {
  const uint16_t* from = m_values.data() + size_t(y) * planes * size_t(m_width);
  for (int v = 0; v < planes; ++v) {
    float* row = to.row(v, 0);
    for (int x = 0; x < m_width; x += 8, from += 8)
      _mm256_storeu_ps(row + x, _mm256_cvtph_ps(_mm_loadu_si128(reinterpret_cast<const __m128i*>(from))));
  }
}

} // namespace ilumbra
