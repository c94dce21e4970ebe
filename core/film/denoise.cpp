#include "core/film/denoise.h"

#include "core/base/error.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ilumbra {
namespace {

constexpr float featureStrength = 0.6f;
// A pixel whose variance is so many times that of its neighbourhood begins to be trusted less.
constexpr float outlier = 6;
// Beyond this a difference weighs nothing.
constexpr float farthest = 12;

// exp(-x) for x in [0, farthest), 0 beyond: smooth, and four multiplications.
inline float decay(float x) {
  const float t = std::max(0.0f, 1 - x * (1 / farthest));
  const float t2 = t * t, t4 = t2 * t2;
  return t4 * t4 * t4;
}

} // namespace

void Denoiser::spread(Plane& p) const {
  for (int y = 0; y < m_height; ++y) {
    float* row = p.data() + index(0, y);
    for (int x = 1; x <= rim; ++x) {
      row[-x] = row[0];
      row[m_width - 1 + x] = row[m_width - 1];
    }
  }
  for (int y = 1; y <= rim; ++y) {
    std::copy_n(p.data() + index(-rim, 0), m_stride, p.data() + index(-rim, -y));
    std::copy_n(p.data() + index(-rim, m_height - 1), m_stride, p.data() + index(-rim, m_height - 1 + y));
  }
}

Denoiser::Plane Denoiser::blurred(const Plane& p, int radius, const Tasks& tasks) const {
  Plane out = plane();
  const float share = 1 / sqr(float(2 * radius + 1));
  tasks.forEach(m_height, [&](int y) {
    for (int x = 0; x < m_width; ++x) {
      float sum = 0;
      for (int j = -radius; j <= radius; ++j)
        for (int i = -radius; i <= radius; ++i) sum += p[index(x + i, y + j)];
      out[index(x, y)] = sum * share;
    }
  });
  spread(out);
  return out;
}

void Denoiser::readFilm(const Film& film, Guide& guide, std::vector<Plane>& half, const Tasks& tasks) {
  for (int c = 0; c < 3; ++c) {
    guide.color.push_back(plane());
    guide.variance.push_back(plane());
  }
  half.assign(3, plane());
  m_features.assign(7, plane());
  const float mean = film.meanLuminance();
  tasks.forEach(m_height, [&](int y) {
    for (int x = 0; x < m_width; ++x) {
      const size_t pixel = size_t(y) * size_t(m_width) + size_t(x), i = index(x, y);
      const Color total = film.total(pixel), variance = film.variance(pixel), d = film.halfDifference(pixel),
                  albedo = film.seenAlbedo(pixel);
      const V3f normal = film.seenNormal(pixel);
      for (int c = 0; c < 3; ++c) {
        guide.color[size_t(c)][i] = total[c];
        guide.variance[size_t(c)][i] = std::isfinite(variance[c]) ? variance[c] : sqr(mean);
        half[size_t(c)][i] = d[c] * d[c];
        m_features[size_t(c)][i] = albedo[c];
        m_features[size_t(3 + c)][i] = 0.5f * normal[c];
      }
      // What is far differs less.
      const float depth = film.depth(pixel);
      m_features[6][i] = depth > 0 ? 1 / (1 + depth) : 0;
    }
  });
  for (Plane& p : m_features) spread(p);
}

// The samples' own variance knows where the noise is, the halves how much their low discrepancy has taken off it.
void Denoiser::lendVariance(Guide& guide, std::vector<Plane>& half, const Tasks& tasks,
                            const CancelFlag* cancel) const {
  for (size_t c = 0; c < 3; ++c) {
    if (cancel && cancel->requested()) throw cancelled();
    spread(guide.variance[c]);
    spread(half[c]);
    const Plane own = blurred(guide.variance[c], 4, tasks), measured = blurred(half[c], 4, tasks);
    const Plane near = blurred(guide.variance[c], 1, tasks);
    tasks.forEach(m_height, [&](int y) {
      for (int x = 0; x < m_width; ++x) {
        const size_t i = index(x, y);
        const float ratio = own[i] > 0 ? std::clamp(measured[i] / own[i], 0.01f, 1.0f) : 1;
        // A pixel whose few samples all missed the light is as unsure as its neighbours.
        guide.variance[c][i] = std::max(guide.variance[c][i], 0.5f * near[i]) * ratio;
      }
    });
    spread(guide.variance[c]);
    spread(guide.color[c]);
  }
}

// By the mean of the roots, which a rare outlier hardly lifts.
void Denoiser::trustByNoise(const Guide& guide, const Tasks& tasks) {
  Plane root = plane();
  tasks.forEach(m_height, [&](int y) {
    for (int x = 0; x < m_width; ++x) {
      const size_t i = index(x, y);
      root[i] = std::sqrt(guide.variance[0][i] + guide.variance[1][i] + guide.variance[2][i]);
    }
  });
  spread(root);
  const Plane around = blurred(root, 3, tasks);
  m_trust = plane();
  tasks.forEach(m_height, [&](int y) {
    for (int x = 0; x < m_width; ++x) {
      const size_t i = index(x, y);
      m_trust[i] = std::max(1e-4f, std::min(1.0f, root[i] > 0 ? outlier * sqr(around[i] / root[i]) : 1));
    }
  });
  spread(m_trust);
}

// Features count by their change from pixel to pixel: a slanted surface is one surface still.
void Denoiser::scaleFeatures(const Tasks& tasks) {
  for (const Plane& f : m_features) {
    Plane scale = plane();
    tasks.forEach(m_height, [&](int y) {
      for (int x = 0; x < m_width; ++x) {
        const float dx = 0.5f * (f[index(x + 1, y)] - f[index(x - 1, y)]),
                    dy = 0.5f * (f[index(x, y + 1)] - f[index(x, y - 1)]);
        scale[index(x, y)] = 1 / (sqr(featureStrength) * std::max(1e-3f, dx * dx + dy * dy));
      }
    });
    spread(scale);
    m_featureScale.push_back(std::move(scale));
  }
}

Denoiser::Denoiser(const Film& film, const Tasks& tasks, const CancelFlag* cancel)
    : m_width(film.width()), m_height(film.height()), m_stride(film.width() + 2 * rim) {
  Guide first;
  std::vector<Plane> half;
  readFilm(film, first, half, tasks);
  const std::vector<Plane> sampled = first.variance; // before neighbours have lent theirs
  lendVariance(first, half, tasks, cancel);
  trustByNoise(first, tasks);
  scaleFeatures(tasks);

  std::vector<Plane> result(3, plane()), left(3, plane());
  filter(first, {&first.color[0], &first.color[1], &first.color[2]}, {&result[0], &result[1], &result[2]}, &left, tasks,
         cancel);
  m_guide.patch = 1;
  m_guide.strength = 1;
  for (size_t c = 0; c < 3; ++c) {
    spread(result[c]);
    spread(left[c]);
  }
  m_guide.color = std::move(result);
  m_guide.variance = std::move(left);
  bound(first.color, sampled, film, tasks, cancel);
}

// How far the weighted mean would move each pixel, by what the pixel itself may be wrong.
void Denoiser::bound(const std::vector<Plane>& color, const std::vector<Plane>& sampled, const Film& film,
                     const Tasks& tasks, const CancelFlag* cancel) {
  std::vector<Plane> moved(3, plane());
  filter(m_guide, {&color[0], &color[1], &color[2]}, {&moved[0], &moved[1], &moved[2]}, nullptr, tasks, cancel);
  // With all channels' errors; and what a pixel lends to its neighbours of it: nothing, where its light is met by
  // sample after sample, for then who has none of it had no bad luck. Light that a sample meets with the chance p has a
  // relative variance of (1 − p) / pn, and is missed by all n with a chance of exp(−pn): at a variance of 0.06 by one
  // pixel in ten million, at 0.25 by one in fifty.
  Plane error = plane(), lent = plane(), bright = plane();
  constexpr float rarest = 0.06f, rare = 0.25f;
  tasks.forEach(m_height, [&](int y) {
    for (int x = 0; x < m_width; ++x) {
      const size_t i = index(x, y);
      float sum = 0;
      float value = 0;
      for (size_t c = 0; c < 3; ++c) {
        sum += sampled[c][i];
        value += sqr(color[c][i]);
      }
      error[i] = sum;
      lent[i] = sum > rarest * value ? sum : 0;
      bright[i] = value;
    }
  });
  for (Plane* p : {&error, &lent, &bright}) spread(*p);
  m_moved = plane();
  tasks.forEach(m_height, [&](int y) {
    std::array<size_t, 25> near, alike;
    std::array<float, 25> values;
    // The middle one of some pixels.
    const auto middle = [&](const std::array<size_t, 25>& of, size_t count, const auto& value) {
      for (size_t k = 0; k < count; ++k) values[k] = value(of[k]);
      std::nth_element(values.begin(), values.begin() + count / 2, values.begin() + count);
      return values[count / 2];
    };
    for (int x = 0; x < m_width; ++x) {
      const size_t i = index(x, y);
      float apart = 0;
      for (size_t c = 0; c < 3; ++c) apart += sqr(moved[c][i] - color[c][i]);
      // A pixel whose samples all missed the light seems surer than it is: its neighbours on the same surface know, by
      // the middle one of them. Few bright ones, the rim of a lamp, do not count, and those on another surface say
      // nothing of it.
      size_t n = 0, m = 0;
      for (int j = -2; j <= 2; ++j)
        for (int k = -2; k <= 2; ++k) {
          const size_t q = index(x + k, y + j);
          float tone = 0, slope = 0;
          for (size_t f = 0; f < 3; ++f) {
            tone += sqr(m_features[f][i] - m_features[f][q]);
            slope += sqr(m_features[3 + f][i] - m_features[3 + f][q]);
          }
          near[n++] = q;
          if (tone < 0.01f && slope < 0.01f &&
              std::abs(m_features[6][i] - m_features[6][q]) < 0.05f * m_features[6][i] + 1e-4f)
            alike[m++] = q;
        }
      float own = error[i];
      // What is much darker than its neighbours may have missed their light. By more of a chance, if they differ among
      // each other by no more than their errors; else it may just be darker. What has its share of their light knows
      // its own error.
      if (m >= 6)
        if (const float usual = std::sqrt(middle(alike, m, [&](size_t q) { return bright[q]; }));
            std::sqrt(bright[i]) < 0.5f * usual) {
          const float differ = middle(alike, m, [&](size_t q) { return std::abs(std::sqrt(bright[q]) - usual); });
          const float limit = sqr(differ) < 2 * middle(
                                                    alike, m, [&](size_t q) { return error[q]; })
                                  ? rarest
                                  : rare;
          const auto lends = [&](size_t q) { return lent[q] > limit * bright[q] ? lent[q] : 0.0f; };
          own = std::max(own, std::min(middle(near, n, lends), middle(alike, m, lends)));
        }
      // A pixel that a sample or two have lit, as unsure as it is bright, is more likely too bright than too dark: it
      // is lifted with care.
      const float value = bright[i];
      const float unsure = value > 0 ? std::sqrt(own / value) : 1;
      const bool lifts = moved[0][i] + moved[1][i] + moved[2][i] > color[0][i] + color[1][i] + color[2][i];
      // Of few samples the error is hardly known itself: a draft is to be smooth.
      const float few = 64.0f / float(std::max(1u, film.samples(size_t(y) * size_t(m_width) + size_t(x)))),
                  doubt = std::max(1.0f, few * few * few);
      // What a sample or two have lit is lifted least; what has none of its neighbours' light by bad luck gets its
      // share of it.
      const float careful = unsure < 1.5f ? mix(mostErrors, 0.5f, clamp01((unsure - 0.1f) / 0.4f)) : mostErrors;
      const float most = doubt * (lifts ? careful : mostErrors);
      m_moved[i] = apart > sqr(most) * own ? most * std::sqrt(own / apart) : 1;
    }
  });
}

void Denoiser::filter(const Guide& g, const std::vector<const Plane*>& in, const std::vector<Plane*>& out,
                      std::vector<Plane>* gain, const Tasks& tasks, const CancelFlag* cancel) const {
  constexpr int band = 16;
  const int w = m_width, patch = g.patch, wide = w + 2 * patch;
  const float k2 = sqr(g.strength), share = 1 / (3 * sqr(float(2 * patch + 1)));
  tasks.forEach((m_height + band - 1) / band, [&](int strip) {
    const int y0 = strip * band, y1 = std::min(m_height, y0 + band), rows = y1 - y0;
    std::vector<float> apart(size_t(wide) * size_t(rows + 2 * patch)), column(static_cast<size_t>(wide));
    std::vector<float> weight(size_t(w) * size_t(rows), 0.0f), one(static_cast<size_t>(w));
    std::vector<std::vector<float>> sums(in.size(), std::vector<float>(size_t(w) * size_t(rows), 0.0f));
    std::vector<std::vector<float>> gains(gain ? 3 : 0, std::vector<float>(size_t(w) * size_t(rows), 0.0f));
    for (int oy = -reach; oy <= reach; ++oy)
      for (int ox = -reach; ox <= reach; ++ox) {
        if (cancel && cancel->requested()) return;
        if (ox * ox + oy * oy > reach * reach + reach) continue;
        const std::ptrdiff_t step = std::ptrdiff_t(oy) * m_stride + ox;
        // Differences of single pixels, less what noise alone makes.
        for (int y = -patch; y < rows + patch; ++y) {
          float* d = apart.data() + size_t(y + patch) * size_t(wide);
          const size_t base = index(-patch, y0 + y);
          std::fill_n(d, wide, 0.0f);
          for (size_t c = 0; c < 3; ++c) {
            const float *p = g.color[c].data() + base, *q = p + step, *vp = g.variance[c].data() + base,
                        *vq = vp + step;
            for (int x = 0; x < wide; ++x) {
              const float diff = p[x] - q[x], common = vp[x] + std::min(vp[x], vq[x]);
              d[x] += (diff * diff - common) / (1e-12f + k2 * (vp[x] + vq[x]));
            }
          }
        }
        for (int y = 0; y < rows; ++y) {
          std::fill(column.begin(), column.end(), 0.0f);
          for (int j = 0; j <= 2 * patch; ++j) {
            const float* d = apart.data() + size_t(y + j) * size_t(wide);
            for (int x = 0; x < wide; ++x) column[size_t(x)] += d[x];
          }
          for (int x = 0; x < w; ++x) one[size_t(x)] = column[size_t(x)];
          for (int i = 1; i <= 2 * patch; ++i) {
            const float* d = column.data() + i;
            for (int x = 0; x < w; ++x) one[size_t(x)] += d[x];
          }
          for (int x = 0; x < w; ++x) one[size_t(x)] = std::max(0.0f, one[size_t(x)] * share);
          const size_t base = index(0, y0 + y);
          for (size_t f = 0; f < m_features.size(); ++f) {
            const float *p = m_features[f].data() + base, *q = p + step, *s = m_featureScale[f].data() + base;
            for (int x = 0; x < w; ++x) one[size_t(x)] = std::max(one[size_t(x)], (p[x] - q[x]) * (p[x] - q[x]) * s[x]);
          }
          const float* trust = m_trust.data() + base + step;
          for (int x = 0; x < w; ++x) one[size_t(x)] = decay(one[size_t(x)]) * trust[x];
          float* sum = weight.data() + size_t(y) * size_t(w);
          for (int x = 0; x < w; ++x) sum[x] += one[size_t(x)];
          for (size_t l = 0; l < in.size(); ++l) {
            const float* q = in[l]->data() + base + step;
            float* s = sums[l].data() + size_t(y) * size_t(w);
            for (int x = 0; x < w; ++x) s[x] += one[size_t(x)] * q[x];
          }
          for (size_t c = 0; c < gains.size(); ++c) {
            const float* q = g.variance[c].data() + base + step;
            float* s = gains[c].data() + size_t(y) * size_t(w);
            for (int x = 0; x < w; ++x) s[x] += one[size_t(x)] * one[size_t(x)] * q[x];
          }
        }
      }
    for (int y = 0; y < rows; ++y)
      for (int x = 0; x < w; ++x) {
        const size_t k = size_t(y) * size_t(w) + size_t(x), i = index(x, y0 + y);
        const float norm = 1 / weight[k]; // its own weight is its trust, which is not 0
        for (size_t l = 0; l < in.size(); ++l) (*out[l])[i] = sums[l][k] * norm;
        for (size_t c = 0; c < gains.size(); ++c) (*gain)[c][i] = gains[c][k] * norm * norm;
      }
  });
  if (cancel && cancel->requested()) throw cancelled();
}

std::vector<Denoiser::Plane> Denoiser::clean(std::vector<Plane> in, bool bounded, const Tasks& tasks,
                                             const CancelFlag* cancel) const {
  std::vector<Plane> out(in.size(), plane());
  std::vector<const Plane*> from;
  std::vector<Plane*> to;
  for (Plane& p : in) {
    spread(p);
    from.push_back(&p);
  }
  for (Plane& p : out) to.push_back(&p);
  filter(m_guide, from, to, nullptr, tasks, cancel);
  if (!bounded) return out;
  tasks.forEach(m_height, [&](int y) {
    for (size_t p = 0; p < in.size(); ++p)
      for (size_t i = index(0, y), end = index(m_width, y); i < end; ++i)
        out[p][i] = in[p][i] + (out[p][i] - in[p][i]) * m_moved[i];
  });
  return out;
}

std::vector<Picture> Denoiser::apply(const std::vector<const Picture*>& layers, const Tasks& tasks,
                                     const CancelFlag* cancel) const {
  std::vector<Plane> in(3 * layers.size(), plane());
  tasks.forEach(int(layers.size()), [&](int l) {
    for (size_t c = 0; c < 3; ++c)
      for (int y = 0; y < m_height; ++y)
        for (int x = 0; x < m_width; ++x) in[3 * size_t(l) + c][index(x, y)] = layers[size_t(l)]->at(x, y)[c];
  });
  const std::vector<Plane> out = clean(std::move(in), true, tasks, cancel);
  std::vector<Picture> made(layers.size(), Picture(m_width, m_height));
  tasks.forEach(int(layers.size()), [&](int l) {
    for (int y = 0; y < m_height; ++y)
      for (int x = 0; x < m_width; ++x)
        for (size_t c = 0; c < 3; ++c) made[size_t(l)].at(x, y)[c] = out[3 * size_t(l) + c][index(x, y)];
  });
  return made;
}

std::vector<std::vector<float>> Denoiser::apply(const std::vector<const std::vector<float>*>& values,
                                                const Tasks& tasks, const CancelFlag* cancel) const {
  std::vector<Plane> in(values.size(), plane());
  const auto w = size_t(m_width);
  for (size_t v = 0; v < values.size(); ++v)
    for (int y = 0; y < m_height; ++y)
      std::copy_n(values[v]->begin() + std::ptrdiff_t(size_t(y) * w), m_width,
                  in[v].begin() + std::ptrdiff_t(index(0, y)));
  const std::vector<Plane> out = clean(std::move(in), false, tasks, cancel);
  std::vector<std::vector<float>> made(values.size(), std::vector<float>(w * size_t(m_height)));
  for (size_t v = 0; v < values.size(); ++v)
    for (int y = 0; y < m_height; ++y)
      std::copy_n(out[v].begin() + std::ptrdiff_t(index(0, y)), m_width,
                  made[v].begin() + std::ptrdiff_t(size_t(y) * w));
  return made;
}

static float weightOf(const Film::Ranked& r) {
  float sum = r.dropped;
  for (const float w : r.weight) sum += w;
  return sum;
}

CleanCoverage cleanCoverage(const Film& film, const Denoiser& denoiser, const Tasks& tasks, const CancelFlag* cancel) {
  const size_t n = size_t(film.width()) * size_t(film.height());
  const int masks = film.masks().queries();
  std::vector<std::vector<float>> raw(size_t(masks) + 2, std::vector<float>(n));
  for (size_t i = 0; i < n; ++i) {
    raw[0][i] = film.alpha(i);
    raw[1][i] = weightOf(film.identity(i)) / float(std::max(1u, film.samples(i)));
  }
  for (int m = 0; m < masks; ++m)
    for (size_t i = 0; i < n; ++i) raw[size_t(m) + 2][i] = film.coverage(i, m);
  // What is the same everywhere stays so: most pictures are covered all over.
  std::vector<const std::vector<float>*> open;
  for (const auto& v : raw)
    if (std::any_of(v.begin(), v.end(), [&](float a) { return a != v.front(); })) open.push_back(&v);
  if (!open.empty()) {
    std::vector<std::vector<float>> made = denoiser.apply(open, tasks, cancel);
    size_t k = 0;
    for (auto& v : raw)
      if (k < open.size() && open[k] == &v) v = std::move(made[k++]);
  }
  CleanCoverage out{std::move(raw[0]), std::move(raw[1]), {}};
  out.masks.assign(std::make_move_iterator(raw.begin() + 2), std::make_move_iterator(raw.end()));
  return out;
}

Film::Ranked coveredBy(const Film& film, const std::vector<float>& things, size_t pixel) {
  const int w = film.width(), h = film.height(), px = int(pixel % size_t(w)), py = int(pixel / size_t(w));
  Film::Ranked r = film.identity(pixel);
  for (int reach = 1; weightOf(r) <= 0 && things[pixel] > 0 && reach <= 12; ++reach)
    for (int y = std::max(0, py - reach); y <= std::min(h - 1, py + reach); ++y)
      for (int x = std::max(0, px - reach); x <= std::min(w - 1, px + reach); ++x) {
        if (std::max(std::abs(x - px), std::abs(y - py)) != reach) continue;
        const Film::Ranked& near = film.identity(size_t(y) * size_t(w) + size_t(x));
        for (size_t k = 0; k < near.weight.size(); ++k)
          if (near.weight[k] > 0) r.add(near.thing[k], near.weight[k]);
      }
  const float total = weightOf(r);
  if (total <= 0) return {};
  for (float& v : r.weight) v *= things[pixel] / total;
  r.dropped *= things[pixel] / total;
  return r;
}

} // namespace ilumbra
