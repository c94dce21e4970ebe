#pragma once
#include "core/base/hash.h"
#include "core/base/vec.h"

#include <array>
#include <cstdint>
#include <vector>

namespace ilumbra {

// The samplers stand here whole: they are called some ten times a vertex.
namespace sampling {

inline uint32_t reverseBits(uint32_t x) {
  x = ((x & 0x55555555u) << 1) | ((x >> 1) & 0x55555555u);
  x = ((x & 0x33333333u) << 2) | ((x >> 2) & 0x33333333u);
  x = ((x & 0x0f0f0f0fu) << 4) | ((x >> 4) & 0x0f0f0f0fu);
  return __builtin_bswap32(x);
}

// Laine and Karras 2011, with the constants of Vegdahl 2021.
inline uint32_t scrambleReversed(uint32_t x, uint32_t seed) {
  x ^= x * 0x3d20adeau;
  x += seed;
  x *= (seed >> 16) | 1u;
  x ^= x * 0x05526c56u;
  x ^= x * 0x53a22864u;
  return x;
}

// The second Sobol dimension with its bits reversed, its direction numbers packed as a byte-wise table.
struct SecondDimension {
  std::array<std::array<uint32_t, 256>, 4> byByte{};
  constexpr SecondDimension() {
    std::array<uint32_t, 32> v{};
    v[0] = 0x80000000u;
    for (size_t i = 1; i < 32; ++i) v[i] = v[i - 1] ^ (v[i - 1] >> 1);
    for (uint32_t& d : v) {
      uint32_t r = 0;
      for (int b = 0; b < 32; ++b) r |= (d >> b & 1u) << (31 - b);
      d = r;
    }
    for (size_t b = 0; b < 4; ++b)
      for (size_t k = 0; k < 256; ++k)
        for (size_t j = 0; j < 8; ++j)
          if (k >> j & 1) byByte[b][k] ^= v[8 * b + j];
  }
  uint32_t operator()(uint32_t i) const {
    return byByte[0][i & 255] ^ byByte[1][i >> 8 & 255] ^ byByte[2][i >> 16 & 255] ^ byByte[3][i >> 24];
  }
};
inline constexpr SecondDimension sobol2;

inline float toUnit(uint32_t x) { return float(x >> 8) * 0x1p-24f; }

} // namespace sampling

/// Owen-scrambled Sobol points, two dimensions at a time, padded by shuffling the index per pair
/// (Burley 2020, "Practical hash-based Owen scrambling"). The numbers depend on (pixel, index, seed) only.
class Sampler {
 public:
  Sampler(uint32_t pixelX, uint32_t pixelY, uint32_t index, uint32_t seed)
      : m_index(sampling::reverseBits(index)), m_hash(mixBits(pixelX + mixBits(pixelY + mixBits(seed + 0x68bc21ebu)))) {
  }
  float get1() { return get2().x; }
  /// Uniform in [0, 1)².
  V2f get2() {
    using namespace sampling;
    const uint32_t h = mixBits(m_hash ^ (++m_pair * 0x9e3779b9u));
    const uint32_t i = reverseBits(scrambleReversed(m_index, h));
    // The first dimension is the index with its bits reversed; scrambling works on reversed bits, so that both meet it
    // as they are.
    return {toUnit(reverseBits(scrambleReversed(i, mixBits(h + 1)))),
            toUnit(reverseBits(scrambleReversed(sobol2(i), mixBits(h + 2))))};
  }

  /// From here on other numbers, as well spread from sample to sample: for what is split off a path.
  void turnOff(uint32_t branch) { m_hash = mixBits(m_hash + branch * 0x9e3779b9u); }

 private:
  uint32_t m_index;
  uint32_t m_hash;
  uint32_t m_pair = 0;
};

/// A cheap independent stream for random walks, whose number of draws is unbounded.
class RandomStream {
 public:
  explicit RandomStream(uint32_t state) : m_state(state) {}
  float next() {
    m_state += 0x9e3779b9u;
    return sampling::toUnit(mixBits(m_state));
  }

 private:
  uint32_t m_state;
};

/// Concentric disc map (Shirley and Chiu 1997).
inline V2f sampleDisc(const V2f& u) {
  const float a = 2 * u.x - 1, b = 2 * u.y - 1;
  if (a == 0 && b == 0) return {0, 0};
  const bool wide = std::abs(a) > std::abs(b);
  const float r = wide ? a : b, phi = wide ? pi / 4 * (b / a) : pi / 2 - pi / 4 * (a / b);
  return {r * std::cos(phi), r * std::sin(phi)};
}
/// Cosine-weighted direction about +z, pdf = cos / pi.
inline V3f sampleCosineHemisphere(const V2f& u) {
  const V2f d = sampleDisc(u);
  return {d.x, d.y, std::sqrt(std::max(0.0f, 1 - d.x * d.x - d.y * d.y))};
}
V3f sampleUniformSphere(const V2f& u);
/// Uniform in the cone about +z whose half-angle has cosine 1 - oneMinusCos, pdf = 1 / (2 pi oneMinusCos).
/// Takes 1 - cos so that narrow cones keep their precision.
V3f sampleCone(const V2f& u, float oneMinusCos);
/// Offset in pixels from the pixel's centre, distributed as a Blackman–Harris window of radius 1.5 px, so that each
/// sample belongs to one pixel and none is splatted (Ernst et al. 2006, "Filter importance sampling").
V2f samplePixelFilter(const V2f& u);

/// Weight of the first of two strategies by the power heuristic with exponent 2 (Veach 1997).
inline float powerHeuristic(float pdf, float other) {
  if (!std::isfinite(pdf)) return 1;
  const float a = pdf * pdf, b = other * other;
  return a + b > 0 ? a / (a + b) : 0.0f;
}

/// Piecewise-constant distribution over n cells.
class Distribution {
 public:
  Distribution() = default;
  explicit Distribution(const std::vector<float>& weights);
  bool empty() const { return m_cdf.empty(); }
  /// The index; `pdf` is the probability of the cell, `u` is remapped to [0, 1) for reuse.
  size_t sample(float& u, float& pdf) const;
  float probability(size_t i) const { return m_cdf[i + 1] - m_cdf[i]; }
  size_t size() const { return m_cdf.empty() ? 0 : m_cdf.size() - 1; }
  /// Sum of the weights that were given.
  double total() const { return m_total; }

 private:
  std::vector<float> m_cdf;
  double m_total = 0;
};

} // namespace ilumbra
