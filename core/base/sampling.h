#pragma once
#include "core/base/vec.h"

#include <cstdint>
#include <vector>

namespace ilumbra {

/// Owen-scrambled Sobol points, two dimensions at a time, padded by shuffling the index per pair
/// (Burley 2020, "Practical hash-based Owen scrambling"). The numbers depend on (pixel, index, seed) only.
class Sampler {
public:
  Sampler(uint32_t pixelX, uint32_t pixelY, uint32_t index, uint32_t seed);
  float get1() { return get2().x; }
  /// Uniform in [0, 1)².
  V2f get2();

private:
  uint32_t m_index;
  uint32_t m_hash;
  uint32_t m_pair = 0;
};

/// A cheap independent stream for random walks, whose number of draws is unbounded.
class RandomStream {
public:
  explicit RandomStream(uint32_t state) : m_state(state) {}
  float next();

private:
  uint32_t m_state;
};

/// Concentric disc map (Shirley and Chiu 1997).
V2f sampleDisc(const V2f& u);
/// Cosine-weighted direction about +z, pdf = cos / pi.
V3f sampleCosineHemisphere(const V2f& u);
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
