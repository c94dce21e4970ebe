#include "core/film/denoise_bound.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ilumbra {
namespace {

// Light that a sample meets with the chance p has a relative variance of (1 − p) / pn, and is missed by all n with a
// chance of exp(−pn): at a variance of 0.06 by one pixel in ten million, at 0.25 by one in fifty.
constexpr float rarest = 0.06f, rare = 0.25f;
// By so many of its errors every pixel may move.
constexpr float leastErrors = 0.5f;
// From so many samples on errors are known well enough to weigh moves by them; with 1 + so much ÷ samples to spare.
constexpr uint32_t enough = 16;
constexpr float spare = 4;
// How far around a pixel those are asked that may have met what it missed.
constexpr int wide = 3;
// Of the variance around it, what a pixel of fewer than 64 samples has at least: with its doubt, much in a draft, and
// next to nothing at 64.
constexpr float lentToFew = 1e-3f;

/// What is known of a pixel, all channels together.
struct Known {
  float variance = 0, squared = 0; ///< of its light
  float lent = 0; ///< what its neighbours may take of its variance: nothing where its light is met by sample after
                  ///< sample, for then who has none of it had no bad luck
  Color albedo{0.0f};
  V3f normal{0.0f};
  float nearness = 0;

  /// On the same surface, as far as can be seen.
  bool like(const Known& o) const {
    return (albedo - o.albedo).length2() < 0.01f && (normal - o.normal).length2() < 0.04f &&
           std::abs(nearness - o.nearness) < 0.05f * nearness + 1e-4f;
  }
};

/// The middle one of some pixels' values.
template <typename Value> float middle(const std::array<const Known*, 25>& of, size_t count, const Value& value) {
  std::array<float, 25> values;
  for (size_t k = 0; k < count; ++k) values[k] = value(*of[k]);
  std::nth_element(values.begin(), values.begin() + count / 2, values.begin() + count);
  return values[count / 2];
}

} // namespace

std::vector<float> mostMoved(const Film& film, const Picture& sampled, const Picture& moved, float mostErrors,
                             const Tasks& tasks) {
  const int w = film.width(), h = film.height();
  const auto at = [&](int x, int y) {
    return size_t(std::clamp(y, 0, h - 1)) * size_t(w) + size_t(std::clamp(x, 0, w - 1));
  };
  std::vector<Known> known(size_t(w) * size_t(h));
  const float mean = film.meanLuminance();
  tasks.forEach(h, [&](int y) {
    for (int x = 0; x < w; ++x) {
      const size_t p = at(x, y);
      Known& k = known[p];
      const Color variance = film.variance(p), total = film.total(p);
      for (int c = 0; c < 3; ++c) {
        k.variance += std::isfinite(variance[c]) ? variance[c] : sqr(mean);
        k.squared += sqr(total[c]);
      }
      k.lent = k.variance > rarest * k.squared ? k.variance : 0;
      k.albedo = film.seenAlbedo(p);
      k.normal = film.seenNormal(p);
      if (const float depth = film.depth(p); depth > 0) k.nearness = 1 / (1 + depth);
    }
  });
  std::vector<float> share(known.size());
  tasks.forEach(h, [&](int y) {
    std::array<const Known*, 25> near, alike;
    for (int x = 0; x < w; ++x) {
      const size_t p = at(x, y);
      const Known& own = known[p];
      float apart = 0;
      for (int c = 0; c < 3; ++c) {
        const float d = moved.at(x, y)[c] - sampled.at(x, y)[c];
        apart += d * d;
      }
      share[p] = 1;
      if (apart <= sqr(leastErrors) * own.variance) continue; // it may
      // A pixel whose samples all missed the light seems surer than it is: its neighbours on the same surface know, by
      // the middle one of them. Few bright ones, the rim of a lamp, do not count, and those on another surface say
      // nothing of it.
      size_t n = 0, m = 0;
      for (int j = -2; j <= 2; ++j)
        for (int i = -2; i <= 2; ++i) {
          near[n++] = &known[at(x + i, y + j)];
          if (own.like(*near[n - 1])) alike[m++] = near[n - 1];
        }
      // Of few samples the error is hardly known itself: a draft is to be smooth. Those of the same surface together
      // know more of it.
      const float few = 64.0f / float(std::max(1u, film.samples(p))), all = few / float(m),
                  doubt = std::max(1.0f, all * all * all);
      float variance = own.variance;
      if (few > 2) {
        float sum = 0;
        for (size_t k = 0; k < m; ++k) sum += alike[k]->variance;
        variance = std::max(variance, sum / float(m));
      } else {
        variance = std::max(variance, middle(alike, m, [](const Known& k) { return k.variance; }));
      }
      // Few samples that all missed the light say nothing of it: what is around says how unsure they are.
      if (few > 1)
        variance = std::max(variance, lentToFew * middle(near, n, [](const Known& k) { return k.variance; }));
      // What is much darker than its neighbours may have missed their light. By more of a chance, if they differ among
      // each other by no more than their errors; else it may just be darker. What has its share of their light knows
      // its own error.
      if (m >= 6)
        if (const float usual = std::sqrt(middle(alike, m, [](const Known& k) { return k.squared; }));
            std::sqrt(own.squared) < 0.5f * usual) {
          const float differ = middle(alike, m, [&](const Known& k) { return std::abs(std::sqrt(k.squared) - usual); });
          const float common = middle(alike, m, [](const Known& k) { return k.variance; });
          const float limit = sqr(differ) < 2 * common ? rarest : rare;
          const auto lends = [&](const Known& k) { return k.lent > limit * k.squared ? k.lent : 0.0f; };
          variance = std::max(variance, std::min(middle(near, n, lends), middle(alike, m, lends)));
        }
      const float most = doubt * mostErrors;
      share[p] = apart > sqr(most) * variance ? most * std::sqrt(variance / apart) : 1;
    }
  });
  return share;
}

std::vector<float> shrinkage(const Film& film, const Picture& sampled, const Picture& moved,
                             const std::vector<float>& trust, const Tasks& tasks) {
  const int w = film.width(), h = film.height();
  if (film.mostSamples() < enough) return std::vector<float>(size_t(w) * size_t(h), 1.0f);
  const float mean = film.meanLuminance();
  struct Moves { // in units of the light there
    float squared = 0, variance = 0;
  };
  std::vector<Moves> moves(size_t(w) * size_t(h));
  // Of every pixel, outliers too: what a pixel that is darker than it should be may have missed.
  std::vector<float> missed(moves.size());
  tasks.forEach(h, [&](int y) {
    for (int x = 0; x < w; ++x) {
      const size_t p = size_t(y) * size_t(w) + size_t(x);
      const Color error = film.variance(p);
      float apart = 0, variance = 0, light = 3 * sqr(0.01f * mean);
      for (int c = 0; c < 3; ++c) {
        apart += sqr(moved.at(x, y)[c] - sampled.at(x, y)[c]);
        variance += std::isfinite(error[c]) ? error[c] : sqr(mean);
        light += sqr(moved.at(x, y)[c]);
      }
      missed[p] = variance / light;
      if (trust[p] == 1) moves[p] = {apart / light, variance / light};
    }
  });
  std::vector<float> share(moves.size(), 1.0f);
  tasks.forEach(h, [&](int y) {
    for (int x = 0; x < w; ++x) {
      const size_t p = size_t(y) * size_t(w) + size_t(x);
      if (film.samples(p) < enough || trust[p] < 1) continue;
      Moves around;
      for (int j = std::max(0, y - 1); j <= std::min(h - 1, y + 1); ++j)
        for (int i = std::max(0, x - 1); i <= std::min(w - 1, x + 1); ++i) {
          const Moves& m = moves[size_t(j) * size_t(w) + size_t(i)];
          around.squared += m.squared;
          around.variance += m.variance;
        }
      float variance = around.variance;
      // Samples that all missed a rare light seem sure of the dark: those in a wider circle say how unsure they are.
      if (luminance(sampled.color(x, y)) < luminance(moved.color(x, y))) {
        float sum = 0;
        for (int j = std::max(0, y - wide); j <= std::min(h - 1, y + wide); ++j)
          for (int i = std::max(0, x - wide); i <= std::min(w - 1, x + wide); ++i)
            sum += missed[size_t(j) * size_t(w) + size_t(i)];
        variance = std::max(variance, 9 * sum / sqr(float(2 * wide + 1)));
      }
      const float expected = (1 + spare / float(film.samples(p))) * variance;
      if (around.squared > expected) share[p] = expected / around.squared;
    }
  });
  return share;
}

std::vector<float> outlierTrust(const Film& film, const Tasks& tasks) {
  constexpr int radius = 3;
  constexpr float outlier = 60; // of a pixel alone among 49 it leaves a fortieth
  const int w = film.width(), h = film.height();
  std::vector<float> root(size_t(w) * size_t(h)), trust(root.size());
  tasks.forEach(h, [&](int y) {
    for (size_t p = size_t(y) * size_t(w), end = p + size_t(w); p < end; ++p) {
      const Color v = film.variance(p);
      root[p] = film.samples(p) < enough ? 0 : std::sqrt(v.x + v.y + v.z);
    }
  });
  tasks.forEach(h, [&](int y) {
    for (int x = 0; x < w; ++x) {
      const size_t p = size_t(y) * size_t(w) + size_t(x);
      float sum = 0; // of roots: a rare outlier hardly lifts it
      for (int j = std::max(0, y - radius); j <= std::min(h - 1, y + radius); ++j)
        for (int i = std::max(0, x - radius); i <= std::min(w - 1, x + radius); ++i)
          sum += root[size_t(j) * size_t(w) + size_t(i)];
      const float around = sum / sqr(float(2 * radius + 1));
      trust[p] = root[p] > 0 ? std::clamp(outlier * sqr(around / root[p]), 1e-4f, 1.0f) : 1;
    }
  });
  return trust;
}

} // namespace ilumbra
