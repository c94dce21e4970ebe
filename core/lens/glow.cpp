#include "core/lens/glow.h"

#include "core/base/colorspace.h"

namespace ilumbra {

GlowKernel::GlowKernel(float size, float falloff, int frameHeight) {
  float weight = 1, sum = 0, sigma = size * float(frameHeight);
  for (int i = 0; i < count; ++i) {
    lobes.push_back({weight, std::max(sigma, 0.0f)});
    sum += weight;
    weight *= falloff;
    sigma *= 0.5f;
  }
  for (Lobe& l : lobes) l.weight /= sum;
}

double GlowKernel::at(double r) const {
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

double GlowKernel::pixel(int dx, int dy) const {
  double k = 0;
  for (const Lobe& l : lobes) k += double(l.weight) * pixelShare(dx, double(l.sigma)) * pixelShare(dy, double(l.sigma));
  return k;
}

namespace {

// A level of the pyramid: pixels of twice the size of the level before, with a margin that holds what spreads over the
// frame's edge and comes back. Pixel (x, y) of level l + 1 lies on pixel (2x, 2y) of level l.
struct Level {
  static constexpr int margin = 6;
  int width, height; ///< with margins
  std::vector<float> rgb;
  Level(int w, int h) : width(w + 2 * margin), height(h + 2 * margin), rgb(size_t(width) * size_t(height) * 3, 0.0f) {}
  float* row(int y) { return rgb.data() + size_t(y) * size_t(width) * 3; }
  const float* row(int y) const { return rgb.data() + size_t(y) * size_t(width) * 3; }
};

constexpr int band = 16; // rows of one task

void inBands(const Tasks& tasks, int rows, const std::function<void(int, int)>& f) {
  tasks.forEach((rows + band - 1) / band, [&](int i) { f(i * band, std::min(rows, (i + 1) * band)); });
}

// out += or = Σ_k weight_k in[i + 3 (k - radius)], for a row of n floats with zeros beyond.
void blurRow(const float* in, float* out, int n, const std::vector<float>& half, std::vector<float>& padded) {
  const int r = int(half.size()) - 1;
  padded.assign(size_t(n + 6 * r), 0.0f);
  std::copy(in, in + n, padded.begin() + 3 * r);
  const float* p = padded.data() + 3 * r;
  for (int i = 0; i < n; ++i) out[i] = half[0] * p[i];
  for (int k = 1; k <= r; ++k) {
    const float w = half[size_t(k)];
    const float *a = p - 3 * k, *b = p + 3 * k;
    for (int i = 0; i < n; ++i) out[i] += w * (a[i] + b[i]);
  }
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

// Adds weight · (in blurred by sigma) to out.
void addBlurred(const Level& in, Level& out, float sigma, float weight, bool whole, float reach, const Tasks& tasks) {
  const int n = in.width * 3;
  if (sigma < 0.02f) {
    inBands(tasks, in.height, [&](int y0, int y1) {
      for (int y = y0; y < y1; ++y)
        for (int i = 0; i < n; ++i) out.row(y)[i] += weight * in.row(y)[i];
    });
    return;
  }
  const std::vector<float> taps = gaussianTaps(sigma, whole, reach);
  const int r = int(taps.size()) - 1;
  // Sideways, the whole level; then downwards in tiles whose rows stay in the cache.
  std::vector<float> rows(size_t(in.height) * size_t(n));
  inBands(tasks, in.height, [&](int y0, int y1) {
    std::vector<float> padded;
    for (int y = y0; y < y1; ++y) blurRow(in.row(y), rows.data() + size_t(y) * size_t(n), n, taps, padded);
  });
  constexpr int across = 768, tall = 96;
  const int columns = (n + across - 1) / across, bands = (in.height + tall - 1) / tall;
  tasks.forEach(columns * bands, [&](int tile) {
    const int x0 = tile % columns * across, width = std::min(across, n - x0), y0 = tile / columns * tall;
    for (int y = y0; y < std::min(in.height, y0 + tall); ++y) {
      float* __restrict o = out.row(y) + x0;
      const auto source = [&](int row) { return rows.data() + size_t(row) * size_t(n) + x0; };
      const float* middle = source(y);
      for (int i = 0; i < width; ++i) o[i] += weight * taps[0] * middle[i];
      for (int k = 1; k <= r; ++k) {
        const float w = weight * taps[size_t(k)];
        const bool above = y - k >= 0, below = y + k < in.height;
        const float* __restrict a = above ? source(y - k) : nullptr;
        const float* __restrict b = below ? source(y + k) : nullptr;
        if (above && below)
          for (int i = 0; i < width; ++i) o[i] += w * (a[i] + b[i]);
        else if (above || below)
          for (int i = 0; i < width; ++i) o[i] += w * (above ? a : b)[i];
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
      const int c = 2 * (y - Level::margin) + Level::margin;
      std::fill(column.begin(), column.end(), 0.0f);
      static constexpr float w[5] = {1.0f / 16, 4.0f / 16, 6.0f / 16, 4.0f / 16, 1.0f / 16};
      for (int k = -2; k <= 2; ++k) {
        if (c + k < 0 || c + k >= in.height) continue;
        const float* p = in.row(c + k);
        for (int i = 0; i < n; ++i) column[size_t(i) + 6] += w[k + 2] * p[i];
      }
      float* o = out.row(y);
      for (int x = 0; x < out.width; ++x) {
        const int cx = 2 * (x - Level::margin) + Level::margin;
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
    std::vector<float> line(static_cast<size_t>(n));
    for (int y = y0; y < y1; ++y) {
      const int f = y - Level::margin;
      const int c = (f >> 1) + Level::margin;
      const auto row = [&](int r) { return coarse.row(std::clamp(r, 0, coarse.height - 1)); };
      if (f & 1) {
        const float *a = row(c), *b = row(c + 1);
        for (int i = 0; i < n; ++i) line[size_t(i)] = 0.5f * (a[i] + b[i]);
      } else {
        const float *a = row(c - 1), *b = row(c), *d = row(c + 1);
        for (int i = 0; i < n; ++i) line[size_t(i)] = 0.125f * (a[i] + d[i]) + 0.75f * b[i];
      }
      float* o = fine.row(y);
      const auto at = [&](int x) { return line.data() + 3 * std::clamp(x, 0, coarse.width - 1); };
      for (int x = 0; x < fine.width; ++x) {
        const int fx = x - Level::margin, cx = (fx >> 1) + Level::margin;
        if (fx & 1) {
          const float *a = at(cx), *b = at(cx + 1);
          for (int j = 0; j < 3; ++j) o[3 * x + j] += 0.5f * (a[j] + b[j]);
        } else {
          const float *a = at(cx - 1), *b = at(cx), *d = at(cx + 1);
          for (int j = 0; j < 3; ++j) o[3 * x + j] += 0.125f * (a[j] + d[j]) + 0.75f * b[j];
        }
      }
    }
  });
}

} // namespace

Picture convolve(const Picture& in, const GlowKernel& kernel, const Tasks& tasks) {
  // Per level: the variance that coming down and going up again adds, in its own pixels squared. Down: v' = (v + 1) / 4;
  // up from the next: 1 pixel² of the finer level each.
  constexpr float widest = 1.7f;
  int deepest = 0;
  std::vector<int> levelOf;
  for (const auto& l : kernel.lobes) {
    int level = 0;
    while (l.sigma / float(1 << (level + 1)) >= widest) ++level;
    levelOf.push_back(level);
    deepest = std::max(deepest, level);
  }
  std::vector<Level> pyramid, spread;
  pyramid.emplace_back(in.width, in.height);
  inBands(tasks, in.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) std::copy_n(in.at(0, y), in.width * 3, pyramid[0].row(y + Level::margin) + 3 * Level::margin);
  });
  int w = in.width, h = in.height;
  for (int l = 1; l <= deepest; ++l) {
    w = w / 2 + 1;
    h = h / 2 + 1;
    pyramid.push_back(halve(pyramid.back(), w, h, tasks));
  }
  w = in.width;
  h = in.height;
  for (int l = 0; l <= deepest; ++l) {
    spread.emplace_back(w, h);
    w = w / 2 + 1;
    h = h / 2 + 1;
  }
  for (size_t i = 0; i < kernel.lobes.size(); ++i) {
    const int l = levelOf[i];
    float down = 0, up = 0;
    for (int k = 0; k < l; ++k) down = (down + 1) / 4;
    for (int k = 0; k < l; ++k) up = (up + 1) / 4;
    // The widest lobe goes out to where a bright lamp's halo is no longer seen to end; where the others end, the next
    // wider one outshines them.
    const float reach = i == 0 ? 5.5f : 4.2f;
    if (l == 0) {
      addBlurred(pyramid[0], spread[0], kernel.lobes[i].sigma, kernel.lobes[i].weight, true, reach, tasks);
      continue;
    }
    // The integral over a pixel is a box of variance 1/12 more.
    const float variance = (sqr(kernel.lobes[i].sigma) + 1.0f / 12) / float(1 << (2 * l));
    addBlurred(pyramid[size_t(l)], spread[size_t(l)], std::sqrt(std::max(0.0f, variance - down - up)), kernel.lobes[i].weight, false, reach, tasks);
  }
  for (int l = deepest; l > 0; --l) addDoubled(spread[size_t(l)], spread[size_t(l) - 1], tasks);
  Picture out(in.width, in.height);
  inBands(tasks, in.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) std::copy_n(spread[0].row(y + Level::margin) + 3 * Level::margin, in.width * 3, out.at(0, y));
  });
  return out;
}

float keyShare(float y, float key, float knee) {
  if (key <= 0) return 1;
  if (!(y > 0)) return 0;
  const float soft = key * clamp01(knee);
  float pass = y - key;
  if (soft > 0 && y > key - soft && y < key + soft) {
    const float t = y - key + soft;
    pass = t * t / (4 * soft);
  }
  return pass > 0 ? pass / y : 0;
}

namespace {

LensWork glow(const Params& p, const Picture& layer, const Picture& source, const Tasks& tasks) {
  const float strength = p.real("strength"), key = p.flag("keyed") ? float(std::exp2(p.number("key"))) : 0, knee = p.real("knee");
  LensWork work;
  work.taken = Picture(layer.width, layer.height);
  const auto n = int(layer.pixels());
  constexpr int chunk = 1 << 14;
  tasks.forEach((n + chunk - 1) / chunk, [&](int c) {
    for (int i = c * chunk; i < std::min(n, (c + 1) * chunk); ++i) {
      const float* s = source.rgb.data() + 3 * size_t(i);
      const float k = strength * keyShare(luminance({s[0], s[1], s[2]}), key, knee);
      for (size_t j = 0; j < 3; ++j) work.taken.rgb[3 * size_t(i) + j] = k * layer.rgb[3 * size_t(i) + j];
    }
  });
  work.spread = convolve(work.taken, GlowKernel(p.real("size"), p.real("falloff"), layer.height), tasks);
  const Color tint = chromaticity(working(p.triple("tint")));
  const bool own = p.text("color_from") == "own";
  if (own || tint != Color(1.0f))
    tasks.forEach((n + chunk - 1) / chunk, [&](int c) {
      for (int i = c * chunk; i < std::min(n, (c + 1) * chunk); ++i) {
        float* s = work.spread.rgb.data() + 3 * size_t(i);
        const Color light = own ? Color(luminance({s[0], s[1], s[2]})) : Color(s[0], s[1], s[2]);
        for (int j = 0; j < 3; ++j) s[j] = light[j] * tint[j];
      }
    });
  return work;
}

} // namespace

LensStage glowStage() {
  return {{.id = "lens.glow",
           .label = "Glow",
           .helpText = "Spreads light around what is bright, as the scatter in a lens does. What it spreads it takes away: no light is added.",
           .params = join({stageParams(),
                           {number("strength", "Strength", "%", 0.2).soft(0, 1).range(0, 1).at(Stage::Lens).matters().help("Share of the light that is spread"),
                            number("size", "Size", "%", 0.12).soft(0.005, 0.5).range(0.0001, 4).log().at(Stage::Lens).matters()
                                .help("Width of the widest halo by the frame's height"),
                            number("falloff", "Core", "×", 1).soft(0.25, 4).range(0.01, 100).log().at(Stage::Lens).matters()
                                .help("More than 1 draws the glow to its middle, less spreads it out"),
                            flag("keyed", "Key", false).at(Stage::Lens).in("Key").help("On: only what is brighter than the key glows"),
                            number("key", "Key at", "stops", 0).soft(-6, 10).range(-40, 40).at(Stage::Lens).in("Key").help("Above or below white"),
                            number("knee", "Knee", "%", 0.5).soft(0, 1).range(0, 1).at(Stage::Lens).in("Key").help("Softness of the key"),
                            choice("color_from", "Colour from", {"light", "own"}).at(Stage::Lens).in("Colour").help("Of the light, or a colour of its own"),
                            color("tint", "Tint", {1, 1, 1}).soft(0, 1).at(Stage::Lens).in("Colour").help("Hue of the glow; keeps its luminance")}}),
           .existence = Stage::Lens},
          [](const Params& p, const Picture& source, const Tasks& tasks) { return glow(p, source, source, tasks); },
          glow};
}

} // namespace ilumbra
