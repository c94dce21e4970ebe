#include "core/image/gaussians.h"

namespace ilumbra {

double GaussianSum::at(double r) const {
  double k = 0;
  for (const Lobe& l : lobes) {
    const double s2 = double(l.sigma) * l.sigma;
    k += l.weight * std::exp(-r * r / (2 * s2)) / (2 * 3.14159265358979323846 * s2);
  }
  return k;
}

// Integral of a Gaussian over the pixel d away.
static double pixelShare(int d, double sigma) {
  if (sigma < 1e-3) return d == 0;
  const double k = 1 / (sigma * std::sqrt(2.0));
  return 0.5 * (std::erf((d + 0.5) * k) - std::erf((d - 0.5) * k));
}

double GaussianSum::pixel(int dx, int dy) const {
  double k = 0;
  for (const Lobe& l : lobes) k += double(l.weight) * pixelShare(dx, double(l.sigma)) * pixelShare(dy, double(l.sigma));
  return k;
}

namespace {

// A level of the pyramid: pixels of twice the size of the level before. The coarse ones have a margin that holds what
// spreads over the frame's edge and comes back; the finest is the picture itself. Pixel (x, y) of level l + 1 lies on
// pixel (2x, 2y) of level l, margins apart.
struct Level {
  static constexpr int coarseMargin = 6;
  int width, height, margin; ///< with margins
  std::vector<float> own;
  float* rgb;
  Level(int w, int h)
      : width(w + 2 * coarseMargin), height(h + 2 * coarseMargin), margin(coarseMargin),
        own(size_t(width) * size_t(height) * 3, 0.0f), rgb(own.data()) {}
  /// A picture in place.
  explicit Level(Picture& p) : width(p.width), height(p.height), margin(0), rgb(p.rgb.data()) {}
  Level(Level&&) = default;
  float* row(int y) { return rgb + size_t(y) * size_t(width) * 3; }
  const float* row(int y) const { return rgb + size_t(y) * size_t(width) * 3; }
};

constexpr int band = 16; // rows of one task

void inBands(const Tasks& tasks, int rows, const std::function<void(int, int)>& f) {
  tasks.forEach((rows + band - 1) / band, [&](int i) { f(i * band, std::min(rows, (i + 1) * band)); });
}

// Gaussian taps out to `reach` widths; `whole` integrates over pixels.
std::vector<float> gaussianTaps(float sigma, bool whole, float reach) {
  const int r = std::max(1, int(std::ceil(reach * sigma)));
  std::vector<double> w;
  double sum = 0;
  for (int k = 0; k <= r; ++k) {
    w.push_back(whole ? pixelShare(k, double(sigma)) : std::exp(-0.5 * double(k) * k / (double(sigma) * sigma)));
    sum += k ? 2 * w.back() : w.back();
  }
  std::vector<float> taps;
  for (const double v : w) taps.push_back(float(v / sum));
  return taps;
}

// One Gaussian at one level: half of its taps, the middle first.
struct Blur {
  std::vector<float> taps;
  float weight;
  Color tint{1.0f};
};

// o += weight · (taps · p), where what a tap reads lies `apart` numbers to both sides: four taps at a time, so that o
// is seldom written.
void addTaps(float* __restrict o, const float* p, const std::vector<float>& taps, float weight, ptrdiff_t apart,
             int n) {
  const int r = int(taps.size()) - 1;
  const float w = weight * taps[0];
  for (int i = 0; i < n; ++i) o[i] += w * p[i];
  int k = 1;
  for (; k + 3 <= r; k += 4) {
    const float w0 = weight * taps[size_t(k)], w1 = weight * taps[size_t(k) + 1], w2 = weight * taps[size_t(k) + 2],
                w3 = weight * taps[size_t(k) + 3];
    const float *l = p - k * apart, *m = p + k * apart;
    for (int i = 0; i < n; ++i)
      o[i] += (w0 * (l[i] + m[i]) + w1 * (l[i - apart] + m[i + apart])) +
              (w2 * (l[i - 2 * apart] + m[i + 2 * apart]) + w3 * (l[i - 3 * apart] + m[i + 3 * apart]));
  }
  for (; k <= r; ++k) {
    const float wk = weight * taps[size_t(k)];
    const float *l = p - k * apart, *m = p + k * apart;
    for (int i = 0; i < n; ++i) o[i] += wk * (l[i] + m[i]);
  }
}

// Adds all blurs of a level to out, tile by tile: sideways into a buffer that stays in the cache, then downwards.
void addBlurred(const Level& in, Level& out, const std::vector<Blur>& blurs, const Tasks& tasks) {
  const int n = in.width * 3;
  constexpr int across = 576, tall = 80;
  const int columns = (n + across - 1) / across, bands = (in.height + tall - 1) / tall;
  tasks.forEach(columns * bands, [&](int tile) {
    const int x0 = tile % columns * across, width = std::min(across, n - x0), y0 = tile / columns * tall,
              y1 = std::min(in.height, y0 + tall);
    std::vector<float> buffer, padded;
    // Most of what named sources light is dark: there is nothing to blur where nothing is within reach.
    int reach = 0;
    for (const Blur& b : blurs) reach = std::max(reach, int(b.taps.size()) - 1);
    bool lit = false;
    for (int y = std::max(0, y0 - reach); y < std::min(in.height, y1 + reach) && !lit; ++y) {
      const float* row = in.row(y);
      for (int i = std::max(0, x0 - 3 * reach), end = std::min(n, x0 + width + 3 * reach); i < end && !lit; ++i)
        lit = row[i] != 0;
    }
    if (!lit) return;
    for (const Blur& b : blurs) {
      const int r = int(b.taps.size()) - 1;
      const int from = std::max(0, y0 - r), to = std::min(in.height, y1 + r);
      buffer.resize(size_t(to - from) * size_t(width));
      // By channel, as long as a row; white to rounding needs none. Tiles begin at whole pixels.
      std::vector<float> tints;
      if (!b.tint.equalWithAbsError(Color(1.0f), 1e-5f))
        for (int i = 0; i < width; ++i) tints.push_back(b.tint[i % 3]);
      padded.resize(size_t(width + 6 * r));
      for (int y = from; y < to; ++y) {
        // The row with what lies to its sides; beyond the level there is nothing.
        const int left = std::max(0, x0 - 3 * r), right = std::min(n, x0 + width + 3 * r);
        std::fill(padded.begin(), padded.end(), 0.0f);
        std::copy(in.row(y) + left, in.row(y) + right, padded.begin() + (left - (x0 - 3 * r)));
        const float* p = padded.data() + 3 * r;
        float* __restrict o = buffer.data() + size_t(y - from) * size_t(width);
        std::fill_n(o, width, 0.0f);
        addTaps(o, p, b.taps, 1, 3, width);
        if (!tints.empty())
          for (int i = 0; i < width; ++i) o[i] *= tints[size_t(i)];
      }
      for (int y = y0; y < y1; ++y) {
        float* __restrict o = out.row(y) + x0;
        const auto source = [&](int row) { return buffer.data() + size_t(row - from) * size_t(width); };
        const float* middle = source(y);
        if (y - r >= 0 && y + r < in.height) {
          addTaps(o, middle, b.taps, b.weight, width, width);
          continue;
        }
        const float w0 = b.weight * b.taps[0];
        for (int i = 0; i < width; ++i) o[i] += w0 * middle[i];
        for (int k = 1; k <= r; ++k) {
          const float w = b.weight * b.taps[size_t(k)];
          const bool above = y - k >= 0, below = y + k < in.height;
          const float* a = above ? source(y - k) : nullptr;
          const float* c = below ? source(y + k) : nullptr;
          if (above && below)
            for (int i = 0; i < width; ++i) o[i] += w * (a[i] + c[i]);
          else if (above || below)
            for (int i = 0; i < width; ++i) o[i] += w * (above ? a : c)[i];
        }
      }
    }
  });
}

// Binomial (1 4 6 4 1) / 16 in both directions, then every second pixel.
Level halve(const Level& in, int innerWidth, int innerHeight, const Tasks& tasks) {
  Level out(innerWidth, innerHeight);
  const int n = in.width * 3;
  inBands(tasks, out.height, [&](int y0, int y1) {
    std::vector<float> column(size_t(n) + 12);
    for (int y = y0; y < y1; ++y) {
      const int c = 2 * (y - out.margin) + in.margin;
      std::fill(column.begin(), column.end(), 0.0f);
      static constexpr float w[5] = {1.0f / 16, 4.0f / 16, 6.0f / 16, 4.0f / 16, 1.0f / 16};
      for (int k = -2; k <= 2; ++k) {
        if (c + k < 0 || c + k >= in.height) continue;
        const float* p = in.row(c + k);
        for (int i = 0; i < n; ++i) column[size_t(i) + 6] += w[k + 2] * p[i];
      }
      float* o = out.row(y);
      for (int x = 0; x < out.width; ++x) {
        const int cx = 2 * (x - out.margin) + in.margin;
        if (cx < 0 || cx >= in.width) continue;
        const float* p = column.data() + 6 + 3 * cx;
        for (int j = 0; j < 3; ++j)
          o[3 * x + j] = (p[j - 6] + p[j + 6]) * w[0] + (p[j - 3] + p[j + 3]) * w[1] + p[j] * w[2];
      }
    }
  });
  return out;
}

// Adds the coarse level to the fine one: every second pixel, interpolated by the same binomial.
void addDoubled(const Level& coarse, Level& fine, const Tasks& tasks) {
  const int n = coarse.width * 3;
  inBands(tasks, fine.height, [&](int y0, int y1) {
    // A pixel more on both sides; what falls on a coarse pixel, and between it and the next.
    std::vector<float> padded(static_cast<size_t>(n + 6)), on(static_cast<size_t>(n)), between(static_cast<size_t>(n));
    float* line = padded.data() + 3;
    for (int y = y0; y < y1; ++y) {
      const int f = y - fine.margin;
      const int c = (f >> 1) + coarse.margin;
      const auto row = [&](int r) { return coarse.row(std::clamp(r, 0, coarse.height - 1)); };
      if (f & 1) {
        const float *a = row(c), *b = row(c + 1);
        for (int i = 0; i < n; ++i) line[i] = 0.5f * (a[i] + b[i]);
      } else {
        const float *a = row(c - 1), *b = row(c), *d = row(c + 1);
        for (int i = 0; i < n; ++i) line[i] = 0.125f * (a[i] + d[i]) + 0.75f * b[i];
      }
      for (int j = 0; j < 3; ++j) {
        line[j - 3] = line[j];
        line[n + j] = line[n - 3 + j];
      }
      for (int i = 0; i < n; ++i) {
        on[size_t(i)] = 0.125f * (line[i - 3] + line[i + 3]) + 0.75f * line[i];
        between[size_t(i)] = 0.5f * (line[i] + line[i + 3]);
      }
      float* o = fine.row(y);
      for (int x = 0; x < fine.width; ++x, o += 3) {
        const int fx = x - fine.margin, cx = std::clamp((fx >> 1) + coarse.margin, 0, coarse.width - 1);
        const float* p = (fx & 1 ? between : on).data() + 3 * cx;
        for (int j = 0; j < 3; ++j) o[j] += p[j];
      }
    }
  });
}

} // namespace

Picture convolve(const Picture& in, const GaussianSum& kernel, const Tasks& tasks) {
  // Per level: the variance that coming down and going up again adds, in its own pixels squared. Down: v' = (v + 1) /
  // 4; up from the next: 1 pixel² of the finer level each.
  constexpr float narrowest = 1.7f; // pixels of its level
  int deepest = 0;
  std::vector<int> levelOf;
  for (size_t i = 0; i < kernel.lobes.size(); ++i) {
    int level = 0;
    // The widest lobe alone is seen at its far end, where a coarse grid would show: it stays a little finer.
    while (kernel.lobes[i].sigma / float(1 << (level + 1)) >= (i == 0 ? 1.4f * narrowest : narrowest)) ++level;
    levelOf.push_back(level);
    deepest = std::max(deepest, level);
  }
  Picture out(in.width, in.height);
  std::vector<Level> pyramid, spread;
  pyramid.emplace_back(const_cast<Picture&>(in)); // only read: Level has one face for both
  spread.emplace_back(out);
  int w = in.width, h = in.height;
  for (int l = 1; l <= deepest; ++l) {
    w = w / 2 + 1;
    h = h / 2 + 1;
    pyramid.push_back(halve(pyramid.back(), w, h, tasks));
    spread.emplace_back(w, h);
  }
  std::vector<std::vector<Blur>> blurs(size_t(deepest) + 1);
  for (size_t i = 0; i < kernel.lobes.size(); ++i) {
    const int l = levelOf[i];
    const GaussianSum::Lobe& lobe = kernel.lobes[i];
    // The widest lobe goes out to where a bright lamp's halo is no longer seen to end; where the others end, the next
    // wider one outshines them.
    const float reach = i == 0 ? 5.5f : 4.2f;
    if (l == 0 && lobe.sigma < 0.02f) {
      blurs[0].push_back({{1.0f}, lobe.weight, lobe.tint});
    } else if (l == 0) {
      blurs[0].push_back({gaussianTaps(lobe.sigma, true, reach), lobe.weight, lobe.tint});
    } else {
      float down = 0, up = 0;
      for (int k = 0; k < l; ++k) down = (down + 1) / 4;
      for (int k = 0; k < l; ++k) up = (up + 1) / 4;
      // The integral over a pixel is a box of variance 1/12 more.
      const float variance = (sqr(lobe.sigma) + 1.0f / 12) / float(1 << (2 * l));
      blurs[size_t(l)].push_back(
          {gaussianTaps(std::sqrt(std::max(1e-4f, variance - down - up)), false, reach), lobe.weight, lobe.tint});
    }
  }
  for (int l = 0; l <= deepest; ++l) addBlurred(pyramid[size_t(l)], spread[size_t(l)], blurs[size_t(l)], tasks);
  for (int l = deepest; l > 0; --l) addDoubled(spread[size_t(l)], spread[size_t(l) - 1], tasks);
  return out;
}

} // namespace ilumbra
