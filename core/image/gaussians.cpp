#include "core/image/gaussians.h"

#include <bit>
#include <cstring>
#include <memory>
#include <optional>

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
struct Grid {
  static constexpr int coarseMargin = 6;
  int width, height, margin; ///< with margins
  Grid coarser() const {
    const auto side = [&](int n) { return (n - 2 * margin) / 2 + 1 + 2 * coarseMargin; };
    return {side(width), side(height), coarseMargin};
  }
};

// Light of a level: a part of it, dark elsewhere.
struct LevelLight {
  Grid grid;
  Region part;
  std::vector<float> own; ///< empty: the numbers are somebody else's
  const float* rgb;
  LevelLight(const Grid& g, const Region& of, const float* numbers) : grid(g), part(of), rgb(numbers) {}
  LevelLight(const Grid& g, const Region& of)
      : grid(g), part(of), own(size_t(of.width) * size_t(of.height) * 3, 0.0f), rgb(own.data()) {}
  LevelLight(LevelLight&&) = default;
  bool has(int y) const { return y >= part.y && y < part.y + part.height; }
  int left() const { return 3 * part.x; }
  int right() const { return 3 * (part.x + part.width); }
  /// The part's numbers of a row that it has.
  const float* row(int y) const { return rgb + size_t(y - part.y) * size_t(part.width) * 3; }
};

// What comes of it: all of a level.
struct LevelSpread {
  Grid grid;
  std::unique_ptr<float[]> rgb; ///< every number is written before it is read
  explicit LevelSpread(const Grid& g)
      : grid(g), rgb(std::make_unique_for_overwrite<float[]>(size_t(g.width) * size_t(g.height) * 3)) {}
  float* at(int x, int y) { return rgb.get() + (size_t(y) * size_t(grid.width) + size_t(x)) * 3; }
  const float* row(int y) const { return rgb.get() + size_t(y) * size_t(grid.width) * 3; }
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

// A part of a level, as large as what is worked on stays in the cache.
struct Tile {
  static constexpr int wide = 192, tall = 80; ///< even, so that a tile begins with a pixel that lies on a coarser one
  int x0, width, y0, y1;                      ///< pixels
  std::vector<float> rgb;                     ///< its rows
  Tile(const Grid& g, int index) {
    const int columns = (g.width + wide - 1) / wide;
    x0 = index % columns * wide;
    width = std::min(wide, g.width - x0);
    y0 = index / columns * tall;
    y1 = std::min(g.height, y0 + tall);
    rgb.assign(size_t(width) * size_t(y1 - y0) * 3, 0.0f);
  }
  static int count(const Grid& g) { return (g.width + wide - 1) / wide * ((g.height + tall - 1) / tall); }
  float* row(int y) { return rgb.data() + size_t(y - y0) * size_t(width) * 3; }
};

// Adds all blurs of a level: sideways into a buffer, then downwards.
void addBlurred(const LevelLight& in, Tile& tile, const std::vector<Blur>& blurs) {
  const int x0 = 3 * tile.x0, width = 3 * tile.width, y0 = tile.y0, y1 = tile.y1;
  int reach = 0;
  for (const Blur& b : blurs) reach = std::max(reach, int(b.taps.size()) - 1);
  // Most of what named sources light is dark: there is nothing to blur where nothing is within reach.
  uint32_t lit = 0; // bits of what is there
  const int left = std::max(in.left(), x0 - 3 * reach), count = std::min(in.right(), x0 + width + 3 * reach) - left;
  for (int y = std::max(in.part.y, y0 - reach); y < std::min(in.part.y + in.part.height, y1 + reach) && !lit; ++y) {
    const float* row = in.row(y) + (left - in.left());
    for (int i = 0; i < count; ++i) lit |= std::bit_cast<uint32_t>(row[i]);
  }
  if (!lit) return;
  std::vector<float> buffer, padded;
  for (const Blur& b : blurs) {
    const int r = int(b.taps.size()) - 1;
    buffer.assign(size_t(y1 - y0 + 2 * r) * size_t(width), 0.0f);
    // By channel, as long as a row; white to rounding needs none. Tiles begin at whole pixels.
    std::vector<float> tints;
    if (!b.tint.equalWithAbsError(Color(1.0f), 1e-5f))
      for (int i = 0; i < width; ++i) tints.push_back(b.tint[i % 3]);
    padded.resize(size_t(width + 6 * r));
    const int from = std::max(in.left(), x0 - 3 * r), to = std::min(in.right(), x0 + width + 3 * r);
    for (int y = y0 - r; y < y1 + r && from < to; ++y) {
      if (!in.has(y)) continue;
      // The row with what lies to its sides; beyond the light there is nothing.
      std::fill(padded.begin(), padded.end(), 0.0f);
      std::copy(in.row(y) + (from - in.left()), in.row(y) + (to - in.left()), padded.begin() + (from - (x0 - 3 * r)));
      float* __restrict o = buffer.data() + size_t(y - y0 + r) * size_t(width);
      addTaps(o, padded.data() + 3 * r, b.taps, 1, 3, width);
      if (!tints.empty())
        for (int i = 0; i < width; ++i) o[i] *= tints[size_t(i)];
    }
    for (int y = y0; y < y1; ++y)
      addTaps(tile.row(y), buffer.data() + size_t(y - y0 + r) * size_t(width), b.taps, b.weight, width, width);
  }
}

// Adds the coarse level to a tile of the fine one: every second pixel, interpolated by the same binomial.
void addDoubled(const LevelSpread& coarse, const Grid& fine, Tile& tile) {
  // Of the coarse pixels that the tile lies on, and one more on both sides; what falls on a coarse pixel, and between
  // it and the next.
  const int first = ((tile.x0 - fine.margin) >> 1) + coarse.grid.margin, pairs = (tile.width + 1) / 2;
  const int n = 3 * pairs;
  std::vector<float> padded(size_t(n) + 6), on(size_t(n) + 1), between(size_t(n) + 1), out(size_t(2 * n) + 1);
  float* line = padded.data() + 3;
  const int before = std::max(0, first - 1), after = std::min(coarse.grid.width, first + pairs + 1);
  for (int y = tile.y0; y < tile.y1; ++y) {
    const int f = y - fine.margin, c = (f >> 1) + coarse.grid.margin;
    const auto row = [&](int r) { return coarse.row(std::clamp(r, 0, coarse.grid.height - 1)) + 3 * before; };
    float* l = line + 3 * (before - first);
    const int count = 3 * (after - before);
    if (f & 1) {
      const float *a = row(c), *b = row(c + 1);
      for (int i = 0; i < count; ++i) l[i] = 0.5f * (a[i] + b[i]);
    } else {
      const float *a = row(c - 1), *b = row(c), *d = row(c + 1);
      for (int i = 0; i < count; ++i) l[i] = 0.125f * (a[i] + d[i]) + 0.75f * b[i];
    }
    for (int i = 0; i < n; ++i) {
      on[size_t(i)] = 0.125f * (line[i - 3] + line[i + 3]) + 0.75f * line[i];
      between[size_t(i)] = 0.5f * (line[i] + line[i + 3]);
    }
    // Four numbers at a time, the fourth of which the next pixel overwrites.
    for (int k = 0; k < pairs; ++k) {
      std::memcpy(out.data() + 6 * k, on.data() + 3 * k, 4 * sizeof(float));
      std::memcpy(out.data() + 6 * k + 3, between.data() + 3 * k, 4 * sizeof(float));
    }
    float* __restrict o = tile.row(y);
    for (int i = 0; i < 3 * tile.width; ++i) o[i] += out[size_t(i)];
  }
}

// The pixels of the coarser level, along one side, that light from `from` to `to` of the finer one falls into.
std::pair<int, int> halvedSpan(int from, int to, int margin, int outMargin, int outSize) {
  const auto halfUp = [](int v) { return (v + 1) >> 1; };
  return {std::clamp(halfUp(from - 2 - margin) + outMargin, 0, outSize),
          std::clamp(halfUp(to + 2 - margin) + outMargin, 0, outSize)};
}

// Binomial (1 4 6 4 1) / 16 in both directions, then every second pixel.
LevelLight halve(const LevelLight& in, const Tasks& tasks) {
  const Grid grid = in.grid.coarser();
  const auto [x0, x1] = halvedSpan(in.part.x, in.part.x + in.part.width, in.grid.margin, grid.margin, grid.width);
  const auto [y0, y1] = halvedSpan(in.part.y, in.part.y + in.part.height, in.grid.margin, grid.margin, grid.height);
  LevelLight out(grid, {x0, y0, x1 - x0, y1 - y0});
  const int n = in.part.width * 3;
  inBands(tasks, out.part.height, [&, x0 = x0, x1 = x1, y0 = y0](int from, int to) {
    // With a few dark pixels to both sides: as far as the taps of the outermost pixels reach.
    constexpr int side = 18;
    std::vector<float> column(size_t(n) + 2 * side);
    for (int y = y0 + from; y < y0 + to; ++y) {
      const int c = 2 * (y - grid.margin) + in.grid.margin;
      std::fill(column.begin(), column.end(), 0.0f);
      static constexpr float w[5] = {1.0f / 16, 4.0f / 16, 6.0f / 16, 4.0f / 16, 1.0f / 16};
      for (int k = -2; k <= 2; ++k) {
        if (!in.has(c + k)) continue;
        const float* p = in.row(c + k);
        for (int i = 0; i < n; ++i) column[size_t(i) + side] += w[k + 2] * p[i];
      }
      float* o = out.own.data() + size_t(y - y0) * size_t(out.part.width) * 3;
      for (int x = x0; x < x1; ++x, o += 3) {
        const int cx = 2 * (x - grid.margin) + in.grid.margin;
        if (cx < 0 || cx >= in.grid.width) continue;
        const float* p = column.data() + side + 3 * (cx - in.part.x);
        for (int j = 0; j < 3; ++j) o[j] = (p[j - 6] + p[j + 6]) * w[0] + (p[j - 3] + p[j + 3]) * w[1] + p[j] * w[2];
      }
    }
  });
  return out;
}

// Which blurs at which level make a kernel.
struct Plan {
  std::vector<std::vector<Blur>> blurs; ///< by level
  int reach = 0;                        ///< pixels of the finest level that light goes at most
  int deepest() const { return int(blurs.size()) - 1; }
};

Plan planOf(const GaussianSum& kernel) {
  // Per level: the variance that coming down and going up again adds, in its own pixels squared. Down: v' = (v + 1) /
  // 4; up from the next: 1 pixel² of the finer level each.
  constexpr float narrowest = 1.7f; // pixels of its level
  Plan plan;
  plan.blurs.resize(1);
  for (size_t i = 0; i < kernel.lobes.size(); ++i) {
    const GaussianSum::Lobe& lobe = kernel.lobes[i];
    int l = 0;
    // The widest lobe alone is seen at its far end, where a coarse grid would show: it stays a little finer.
    while (lobe.sigma / float(1 << (l + 1)) >= (i == 0 ? 1.4f * narrowest : narrowest)) ++l;
    plan.blurs.resize(std::max(plan.blurs.size(), size_t(l) + 1));
    // The widest lobe goes out to where a bright lamp's halo is no longer seen to end; where the others end, the next
    // wider one outshines them.
    const float reach = i == 0 ? 5.5f : 4.2f;
    Blur b{{1.0f}, lobe.weight, lobe.tint};
    if (l > 0) {
      float down = 0, up = 0;
      for (int k = 0; k < l; ++k) down = (down + 1) / 4;
      for (int k = 0; k < l; ++k) up = (up + 1) / 4;
      // The integral over a pixel is a box of variance 1/12 more.
      const float variance = (sqr(lobe.sigma) + 1.0f / 12) / float(1 << (2 * l));
      b.taps = gaussianTaps(std::sqrt(std::max(1e-4f, variance - down - up)), false, reach);
    } else if (lobe.sigma >= 0.02f)
      b.taps = gaussianTaps(lobe.sigma, true, reach);
    // Two pixels more for each level down and up again.
    plan.reach = std::max(plan.reach, (int(b.taps.size()) - 1 + (l ? 4 : 0)) << l);
    plan.blurs[size_t(l)].push_back(std::move(b));
  }
  return plan;
}

} // namespace

Region convolvedRegion(const GaussianSum& kernel, const Region& part, int width, int height) {
  const Plan plan = planOf(kernel);
  // Where pixels of the coarsest level begin.
  const auto before = [&](int at) { return std::max(0, at - plan.reach) >> plan.deepest() << plan.deepest(); };
  Region to{before(part.x), before(part.y)};
  to.width = std::min(width, part.x + part.width + plan.reach) - to.x;
  to.height = std::min(height, part.y + part.height + plan.reach) - to.y;
  return to;
}

void convolve(const Picture& light, const Region& part, const GaussianSum& kernel, const Region& to, const Tasks& tasks,
              const GiveSpread& give) {
  const Plan plan = planOf(kernel);
  std::vector<LevelLight> pyramid;
  pyramid.emplace_back(Grid{to.width, to.height, 0}, Region{part.x - to.x, part.y - to.y, part.width, part.height},
                       light.rgb.data());
  for (int l = 1; l <= plan.deepest(); ++l) pyramid.push_back(halve(pyramid.back(), tasks));
  std::optional<LevelSpread> coarser;
  for (int l = plan.deepest(); l >= 0; --l) {
    const LevelLight& in = pyramid[size_t(l)];
    std::optional<LevelSpread> out;
    if (l > 0) out.emplace(in.grid);
    tasks.forEach(Tile::count(in.grid), [&](int index) {
      Tile tile(in.grid, index);
      addBlurred(in, tile, plan.blurs[size_t(l)]);
      if (coarser) addDoubled(*coarser, in.grid, tile);
      for (int y = tile.y0; y < tile.y1; ++y)
        if (out)
          std::copy_n(tile.row(y), 3 * tile.width, out->at(tile.x0, y));
        else
          give(tile.x0, y, tile.width, tile.row(y));
    });
    coarser = std::move(out);
  }
}

Picture convolve(const Picture& light, const Region& part, const GaussianSum& kernel, const Region& to,
                 const Tasks& tasks) {
  Picture out(to.width, to.height);
  convolve(light, part, kernel, to, tasks,
           [&](int x, int y, int pixels, const float* spread) { std::copy_n(spread, 3 * pixels, out.at(x, y)); });
  return out;
}

Picture convolve(const Picture& in, const GaussianSum& kernel, const Tasks& tasks) {
  const Region all{0, 0, in.width, in.height};
  return convolve(in, all, kernel, all, tasks);
}

} // namespace ilumbra
