#include "core/film/kernel_pyramid.h"

#include "core/film/lanes.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ilumbra {
namespace {

using denoiser_network::features;

// What the scale below gives at least of a pixel unlike it, so that weights never sum to nothing.
constexpr float leastRise = 1e-3f;

// As tools/denoiser/network.py reads what the network says.
__m256 sharpnessOf(__m256 said) {
  return exponential(_mm256_max_ps(_mm256_min_ps(said, _mm256_set1_ps(6)), _mm256_set1_ps(-6)));
}
__m256 trustOf(__m256 said) {
  return exponential(_mm256_mul_ps(_mm256_set1_ps(-6), logistic(_mm256_sub_ps(said, _mm256_set1_ps(2)))));
}

/// Which row of the scale below a pixel takes from, by rise: the one over it, or the one above or below.
int riseRow(int y, int rise, int height) {
  return std::clamp(y / 2 + (rise & 2 ? (y & 1 ? 1 : -1) : 0), 0, height - 1);
}
float riseShare(int rise) { return (rise & 1 ? 0.25f : 0.75f) * (rise & 2 ? 0.25f : 0.75f); }

/// Each pixel of a row of the scale below twice, as a rise asks for it.
void spreadRow(const float* from, int rise, int fineWidth, float* to) {
  const int width = fineWidth / 2;
  if (!(rise & 1)) {
    for (int x = 0; x < width; ++x) to[2 * x] = to[2 * x + 1] = from[x];
    return;
  }
  to[0] = from[0];
  for (int x = 1; x < width; ++x) {
    to[2 * x] = from[x - 1];
    to[2 * x - 1] = from[x];
  }
  to[2 * width - 1] = from[width - 1];
}

} // namespace

// Row y of a level's weights. `coarse`: the level's features as means of 2 × 2, null at the last level.
void KernelPyramid::weigh(Level& l, const ChannelRows& said, const ChannelRows& trust, const ChannelRows* coarse,
                          int y) {
  const int w = l.width, h = l.height, wide = wholeLanes(w);
  std::vector<float> near(coarse ? size_t(features) * rises * size_t(wide) : 0);
  if (coarse)
    for (int r = 0; r < rises; ++r)
      for (int f = 0; f < features; ++f)
        spreadRow(coarse->row(f, riseRow(y, r, coarse->height())), r, w,
                  near.data() + size_t(r * features + f) * size_t(wide));
  const __m256 zero = _mm256_setzero_ps();
  for (int x = 0; x < w; x += lanes) {
    __m256 own[features];
    for (int f = 0; f < features; ++f) own[f] = _mm256_loadu_ps(said.row(f, y) + x);
    const __m256 sharpness = _mm256_sub_ps(zero, sharpnessOf(_mm256_loadu_ps(said.row(features, y) + x)));
    __m256 weight[taps + rises] = {};
    __m256 sum = zero;
    for (int t = 0; t < taps; ++t) {
      const int i = t % side - radius, q = y + t / side - radius;
      if (q < 0 || q >= h) continue;
      __m256 apart = zero;
      for (int f = 0; f < features; ++f) {
        const __m256 d = _mm256_sub_ps(own[f], _mm256_loadu_ps(said.row(f, q) + x + i));
        apart = _mm256_fmadd_ps(d, d, apart);
      }
      // No trust is beside the picture.
      weight[t] = _mm256_mul_ps(_mm256_loadu_ps(trust.row(0, q) + x + i), exponential(_mm256_mul_ps(sharpness, apart)));
      sum = _mm256_add_ps(sum, weight[t]);
    }
    __m256 share = zero, risen = zero;
    if (coarse) {
      share = logistic(_mm256_loadu_ps(said.row(features + 2, y) + x));
      for (int r = 0; r < rises; ++r) {
        __m256 apart = zero;
        for (int f = 0; f < features; ++f) {
          const __m256 d =
              _mm256_sub_ps(own[f], _mm256_loadu_ps(near.data() + size_t(r * features + f) * size_t(wide) + x));
          apart = _mm256_fmadd_ps(d, d, apart);
        }
        __m256& k = weight[taps + r];
        k = _mm256_mul_ps(_mm256_set1_ps(riseShare(r)),
                          _mm256_add_ps(exponential(_mm256_mul_ps(sharpness, apart)), _mm256_set1_ps(leastRise)));
        risen = _mm256_add_ps(risen, k);
      }
      risen = _mm256_div_ps(share, risen);
    }
    sum = _mm256_div_ps(_mm256_sub_ps(_mm256_set1_ps(1), share), sum);
    for (int t = 0; t < (coarse ? taps + rises : taps); ++t)
      if (t != middle) toHalves(l.row(y, t) + x, _mm256_mul_ps(weight[t], t < taps ? sum : risen));
  }
}

KernelPyramid::KernelPyramid(const std::vector<ChannelRows>& said, const Tasks& tasks, const ChannelRows* doubt) {
  m_levels.resize(said.size());
  for (size_t s = 0; s < said.size(); ++s) {
    const ChannelRows& n = said[s];
    const bool last = s + 1 == said.size();
    Level& l = m_levels[s];
    l.width = n.width();
    l.height = n.height();
    l.stride = wholeLanes(l.width);
    l.weights.assign(size_t(l.height) * (taps + rises) * size_t(l.stride), 0);
    ChannelRows trust(1, l.width, l.height), coarse;
    tasks.forEach(l.height, [&](int y) {
      for (int x = 0; x < l.width; x += lanes)
        _mm256_storeu_ps(trust.row(0, y) + x, trustOf(_mm256_loadu_ps(n.row(features + 1, y) + x)));
      if (doubt && s == 0)
        for (int x = 0; x < l.width; ++x) trust.row(0, y)[x] *= doubt->row(0, y)[x];
      trust.close(y);
    });
    if (!last) {
      coarse = ChannelRows(features, l.width / 2, l.height / 2);
      l.pooled.assign(size_t(l.height) * size_t(l.stride), 0);
      tasks.forEach(l.height / 2, [&](int y) {
        const std::array<const float*, 2> own = {trust.row(0, 2 * y), trust.row(0, 2 * y + 1)};
        for (int x = 0; x < l.width; x += 2) {
          const float sum = own[0][x] + own[0][x + 1] + own[1][x] + own[1][x + 1];
          for (int k = 1; k < 4; ++k)
            l.pooled[size_t(2 * y + k / 2) * size_t(l.stride) + size_t(x + k % 2)] =
                _cvtss_sh(own[k / 2][x + k % 2] / sum, 0);
        }
        for (int f = 0; f < features; ++f) {
          const float *a = n.row(f, 2 * y), *b = n.row(f, 2 * y + 1);
          float* o = coarse.row(f, y);
          for (int x = 0; x < coarse.width(); ++x) o[x] = 0.25f * (a[2 * x] + a[2 * x + 1] + b[2 * x] + b[2 * x + 1]);
        }
      });
    }
    tasks.forEach(l.height, [&](int y) { weigh(l, n, trust, last ? nullptr : &coarse, y); });
  }
}

ChannelRows KernelPyramid::apply(const ChannelRows& in, const Tasks& tasks) const {
  const int channels = in.channels();
  std::vector<ChannelRows> coarser; // the scales below the first
  for (size_t s = 0; s + 1 < m_levels.size(); ++s) {
    const Level& l = m_levels[s];
    ChannelRows next(channels, l.width / 2, l.height / 2);
    const ChannelRows& from = s ? coarser.back() : in;
    tasks.forEach(next.height(), [&](int y) {
      std::array<std::vector<float>, 2> share;
      for (size_t j = 0; j < 2; ++j) {
        share[j].resize(size_t(l.stride));
        const uint16_t* p = l.pooled.data() + (size_t(2 * y) + j) * size_t(l.stride);
        for (int x = 0; x < l.width; x += lanes) _mm256_storeu_ps(share[j].data() + x, fromHalves(p + x));
      }
      const float *p = share[0].data(), *q = share[1].data();
      for (int c = 0; c < channels; ++c) {
        const float *a = from.row(c, 2 * y), *b = from.row(c, 2 * y + 1);
        float* o = next.row(c, y);
        for (int x = 0; x < next.width(); ++x)
          o[x] = a[2 * x] + p[2 * x + 1] * (a[2 * x + 1] - a[2 * x]) + q[2 * x] * (b[2 * x] - a[2 * x]) +
                 q[2 * x + 1] * (b[2 * x + 1] - a[2 * x]);
      }
    });
    coarser.push_back(std::move(next));
  }
  ChannelRows below;
  for (size_t s = m_levels.size(); s-- > 0;) {
    const Level& l = m_levels[s];
    const bool last = s + 1 == m_levels.size();
    const ChannelRows& from = s ? coarser[s - 1] : in;
    ChannelRows out(channels, l.width, l.height);
    tasks.forEach(l.height, [&](int y) {
      std::vector<float> near(last ? 0 : size_t(channels) * rises * size_t(l.stride));
      if (!last)
        for (int c = 0; c < channels; ++c)
          for (int r = 0; r < rises; ++r)
            spreadRow(below.row(c, riseRow(y, r, below.height())), r, l.width,
                      near.data() + size_t(c * rises + r) * size_t(l.stride));
      const int first = std::max(0, radius - y) * side, end = std::min(side, l.height - y + radius) * side;
      for (int x = 0; x < l.width; x += lanes) {
        __m256 weight[taps + rises] = {};
        for (int t = first; t < end; ++t) weight[t] = fromHalves(l.row(y, t) + x);
        if (!last)
          for (int r = 0; r < rises; ++r) weight[taps + r] = fromHalves(l.row(y, taps + r) + x);
        for (int c = 0; c < channels; ++c) {
          const __m256 own = _mm256_loadu_ps(from.row(c, y) + x);
          __m256 sum = own;
          const auto take = [&](int t, const float* at) {
            sum = _mm256_fmadd_ps(weight[t], _mm256_sub_ps(_mm256_loadu_ps(at), own), sum);
          };
          for (int t = first; t < end; ++t)
            if (t != middle) take(t, from.row(c, y + t / side - radius) + x + t % side - radius);
          if (!last)
            for (int r = 0; r < rises; ++r) take(taps + r, near.data() + size_t(c * rises + r) * size_t(l.stride) + x);
          _mm256_storeu_ps(out.row(c, y) + x, sum);
        }
      }
      out.close(y);
    });
    below = std::move(out);
  }
  return below;
}

size_t KernelPyramid::bytes() const {
  size_t n = 0;
  for (const Level& l : m_levels) n += (l.weights.size() + l.pooled.size()) * sizeof(uint16_t);
  return n;
}

} // namespace ilumbra
