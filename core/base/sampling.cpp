#include "core/base/sampling.h"

#include "core/base/hash.h"

#include <array>

namespace ilumbra {
namespace {

uint32_t reverseBits(uint32_t x) {
  x = ((x & 0x55555555u) << 1) | ((x >> 1) & 0x55555555u);
  x = ((x & 0x33333333u) << 2) | ((x >> 2) & 0x33333333u);
  x = ((x & 0x0f0f0f0fu) << 4) | ((x >> 4) & 0x0f0f0f0fu);
  return __builtin_bswap32(x);
}

// Laine and Karras 2011, with the constants of Vegdahl 2021.
uint32_t scrambleReversed(uint32_t x, uint32_t seed) {
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
constexpr SecondDimension sobol2;

float toUnit(uint32_t x) { return float(x >> 8) * 0x1p-24f; }

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

Sampler::Sampler(uint32_t pixelX, uint32_t pixelY, uint32_t index, uint32_t seed)
    : m_index(reverseBits(index)), m_hash(mixBits(pixelX + mixBits(pixelY + mixBits(seed + 0x68bc21ebu)))) {}

V2f Sampler::get2() {
  const uint32_t h = mixBits(m_hash ^ (++m_pair * 0x9e3779b9u));
  const uint32_t i = reverseBits(scrambleReversed(m_index, h));
  // The first dimension is the index with its bits reversed; scrambling works on reversed bits, so that both meet it as
  // they are.
  return {toUnit(reverseBits(scrambleReversed(i, mixBits(h + 1)))), toUnit(reverseBits(scrambleReversed(sobol2(i), mixBits(h + 2))))};
}

float RandomStream::next() {
  m_state += 0x9e3779b9u;
  return toUnit(mixBits(m_state));
}

V2f sampleDisc(const V2f& u) {
  const float a = 2 * u.x - 1, b = 2 * u.y - 1;
  if (a == 0 && b == 0) return {0, 0};
  float r, phi;
  if (std::abs(a) > std::abs(b)) {
    r = a;
    phi = pi / 4 * (b / a);
  } else {
    r = b;
    phi = pi / 2 - pi / 4 * (a / b);
  }
  return {r * std::cos(phi), r * std::sin(phi)};
}

V3f sampleCosineHemisphere(const V2f& u) {
  const V2f d = sampleDisc(u);
  return {d.x, d.y, std::sqrt(std::max(0.0f, 1 - d.x * d.x - d.y * d.y))};
}

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
