#include "core/film/denoiser_network.h"

#include <immintrin.h>

#include <algorithm>
#include <array>
#include <cstdint>
#include <stdexcept>

__asm__(".section .rodata\n.balign 16\nilumbra_denoiser_weights_begin:\n.incbin \"" ILUMBRA_SOURCE
        "/core/film/denoiser.weights\"\nilumbra_denoiser_weights_end:\n.previous\n");
extern "C" const uint16_t ilumbra_denoiser_weights_begin[];
extern "C" const uint16_t ilumbra_denoiser_weights_end[];

namespace ilumbra {

ChannelRows::ChannelRows(int channels, int width, int height)
    : m_channels(channels), m_width(width), m_height(height), m_stride(margin + padded(width) + margin),
      m_data(std::make_unique_for_overwrite<float[]>(size_t(channels) * size_t(height + 2) * size_t(m_stride))) {
  for (int c = 0; c < channels; ++c) {
    std::fill_n(row(c, -1) - margin, m_stride, 0.0f);
    std::fill_n(row(c, height) - margin, m_stride, 0.0f);
    for (int y = 0; y < height; ++y) std::fill_n(row(c, y) - margin, margin, 0.0f);
  }
  for (int y = 0; y < height; ++y) close(y);
}

void ChannelRows::close(int y) {
  for (int c = 0; c < m_channels; ++c) std::fill_n(row(c, y) + m_width, m_stride - margin - m_width, 0.0f);
}

namespace denoiser_network {
namespace {

constexpr std::array widths = {16, 32, 48, 48, 48};
constexpr int block = 4; ///< channels that are computed at once

/// A convolution of 1 × 1 or 3 × 3 pixels.
struct Convolution {
  int in = 0, out = 0, taps = 1; ///< taps: 1 or 9
  /// By blocks of output channels, then input channel, tap and channel of the block; those past the last are 0.
  std::vector<float> weights, bias;

  size_t at(int o, int i, int tap) const {
    return ((size_t(o / block) * size_t(in) + size_t(i)) * size_t(taps) + size_t(tap)) * block + size_t(o % block);
  }
  /// The part that reads `count` input channels from `first` on; the bias goes with the last one.
  Convolution part(int first, int count) const {
    Convolution p{count, out, taps, {}, {}};
    p.weights.assign(weights.size() / size_t(in) * size_t(count), 0.0f);
    p.bias.assign(bias.size(), 0.0f);
    if (first + count == in) p.bias = bias;
    for (int o = 0; o < out; ++o)
      for (int i = 0; i < count; ++i)
        for (int t = 0; t < taps; ++t) p.weights[p.at(o, i, t)] = weights[at(o, first + i, t)];
    return p;
  }
};

enum class Start { Bias, Adds }; ///< Adds: to what is there already
enum class End { Plain, Positive };

/// Some pixels of one block of channels: what is summed up to there is added to.
struct Patch {
  const float* in;                 ///< the first tap of the first pixel in the first channel
  std::ptrdiff_t channel, line;    ///< from a number of `in` to that of the next channel, and of the row below
  int channels;                    ///< of `in`
  int side;                        ///< taps a row, and rows: 1 or 3
  const float* weights;            ///< of the block
  float (*sum)[ChannelRows::tile]; ///< by channel of the block
};

/// The same sums in the same order for every pixel, whatever the vectors' width: so they have the same bits.
void addEight(const Patch& p) {
  constexpr int vectors = 3;
  for (int x = 0; x < ChannelRows::tile; x += 8 * vectors) {
    __m256 sum[block][vectors];
    for (int k = 0; k < block; ++k)
      for (int v = 0; v < vectors; ++v) sum[k][v] = _mm256_loadu_ps(p.sum[k] + x + 8 * v);
    const float* w = p.weights;
    for (int i = 0; i < p.channels; ++i)
      for (int j = 0; j < p.side; ++j)
        for (int t = 0; t < p.side; ++t, w += block) {
          const float* from = p.in + i * p.channel + j * p.line + t + x;
          __m256 pixels[vectors];
          for (int v = 0; v < vectors; ++v) {
            pixels[v] = _mm256_loadu_ps(from + 8 * v);
            __asm__("" : "+x"(pixels[v])); // keeps it: the compiler would read it anew for every channel
          }
          for (int k = 0; k < block; ++k) {
            const __m256 weight = _mm256_broadcast_ss(w + k);
            for (int v = 0; v < vectors; ++v) sum[k][v] = _mm256_fmadd_ps(weight, pixels[v], sum[k][v]);
          }
        }
    for (int k = 0; k < block; ++k)
      for (int v = 0; v < vectors; ++v) _mm256_storeu_ps(p.sum[k] + x + 8 * v, sum[k][v]);
  }
}

__attribute__((target("avx512f"))) void addSixteen(const Patch& p) {
  constexpr int vectors = ChannelRows::tile / 16;
  __m512 sum[block][vectors];
  for (int k = 0; k < block; ++k)
    for (int v = 0; v < vectors; ++v) sum[k][v] = _mm512_loadu_ps(p.sum[k] + 16 * v);
  const float* w = p.weights;
  for (int i = 0; i < p.channels; ++i)
    for (int j = 0; j < p.side; ++j)
      for (int t = 0; t < p.side; ++t, w += block) {
        const float* from = p.in + i * p.channel + j * p.line + t;
        __m512 pixels[vectors];
        for (int v = 0; v < vectors; ++v) {
          pixels[v] = _mm512_loadu_ps(from + 16 * v);
          __asm__("" : "+v"(pixels[v]));
        }
        for (int k = 0; k < block; ++k) {
          const __m512 weight = _mm512_set1_ps(w[k]);
          for (int v = 0; v < vectors; ++v) sum[k][v] = _mm512_fmadd_ps(weight, pixels[v], sum[k][v]);
        }
      }
  for (int k = 0; k < block; ++k)
    for (int v = 0; v < vectors; ++v) _mm512_storeu_ps(p.sum[k] + 16 * v, sum[k][v]);
}

const auto addPatch = __builtin_cpu_supports("avx512f") ? addSixteen : addEight;

/// Row y of all output channels, from row y of `in`, into row `to` of `out`.
void convolveRow(const Convolution& c, const ChannelRows& in, int y, ChannelRows& out, int to, Start start, End end) {
  constexpr int tile = ChannelRows::tile;
  const int side = c.taps == 9 ? 3 : 1, reach = side / 2;
  float sum[block][tile];
  Patch patch{nullptr, in.row(1, 0) - in.row(0, 0), in.row(0, 1) - in.row(0, 0), c.in, side, nullptr, sum};
  for (int x = 0; x < ChannelRows::padded(out.width()); x += tile) {
    patch.in = in.row(0, y - reach) + x - reach;
    for (int o = 0; o < c.out; o += block) {
      patch.weights = c.weights.data() + c.at(o, 0, 0);
      for (int k = 0; k < block; ++k) {
        const float* before = start == Start::Adds && o + k < c.out ? out.row(o + k, to) + x : nullptr;
        for (int v = 0; v < tile; ++v) sum[k][v] = c.bias[size_t(o + k)] + (before ? before[v] : 0);
      }
      addPatch(patch);
      for (int k = 0; k < std::min(block, c.out - o); ++k) {
        float* row = out.row(o + k, to) + x;
        for (int v = 0; v < tile; ++v) row[v] = end == End::Positive ? std::max(0.0f, sum[k][v]) : sum[k][v];
      }
    }
  }
  out.close(to);
}

void convolve(const Convolution& c, const ChannelRows& in, ChannelRows& out, Start start, End end, const Tasks& tasks) {
  tasks.forEach(in.height(), [&](int y) { convolveRow(c, in, y, out, y, start, end); });
}
ChannelRows convolved(const Convolution& c, const ChannelRows& in, End end, const Tasks& tasks) {
  ChannelRows out(c.out, in.width(), in.height());
  convolve(c, in, out, Start::Bias, end, tasks);
  return out;
}

/// Means of 2 × 2 pixels.
ChannelRows halved(const ChannelRows& in, const Tasks& tasks) {
  ChannelRows out(in.channels(), in.width() / 2, in.height() / 2);
  tasks.forEach(out.height(), [&](int y) {
    for (int c = 0; c < in.channels(); ++c) {
      const float *a = in.row(c, 2 * y), *b = in.row(c, 2 * y + 1);
      float* o = out.row(c, y);
      for (int x = 0; x < out.width(); ++x) o[x] = 0.25f * (a[2 * x] + a[2 * x + 1] + b[2 * x] + b[2 * x + 1]);
    }
  });
  return out;
}

/// A coarser scale joined to a finer one: the coarser one's share is computed at its own size.
ChannelRows joined(const Convolution& c, const ChannelRows& coarse, const ChannelRows& fine, const Tasks& tasks) {
  const ChannelRows share = convolved(c.part(0, coarse.channels()), coarse, End::Plain, tasks);
  const Convolution rest = c.part(coarse.channels(), fine.channels());
  ChannelRows out(c.out, fine.width(), fine.height());
  tasks.forEach(fine.height(), [&](int y) {
    for (int o = 0; o < c.out; ++o) {
      const float* from = share.row(o, y / 2);
      float* to = out.row(o, y);
      for (int x = 0; x < fine.width(); ++x) to[x] = from[x / 2];
    }
    convolveRow(rest, fine, y, out, y, Start::Adds, End::Positive);
  });
  return out;
}

/// Row y of twice the size, bilinear; past the edges as at them.
void riseRow(const ChannelRows& in, int y, ChannelRows& out, int to) {
  const int near = y / 2, other = std::clamp(near + (y % 2 ? 1 : -1), 0, in.height() - 1), w = in.width();
  std::vector<float> mixed(size_t(w) + 2);
  for (int c = 0; c < in.channels(); ++c) {
    const float *a = in.row(c, near), *b = in.row(c, other);
    float* m = mixed.data() + 1;
    for (int x = 0; x < w; ++x) m[x] = 0.75f * a[x] + 0.25f * b[x];
    m[-1] = m[0];
    m[w] = m[w - 1];
    float* o = out.row(c, to);
    for (int x = 0; x < w; ++x) {
      o[2 * x] = 0.75f * m[x] + 0.25f * m[x - 1];
      o[2 * x + 1] = 0.75f * m[x] + 0.25f * m[x + 1];
    }
  }
}

struct Network {
  Convolution enter, fold, down1, down2, down2b, down3, down4, down4b, join3, up3, join2, up2, join1, up1, join0;
  std::array<Convolution, scales> say;

  /// From the file's numbers, in the order in which tools/denoiser/network.py has its modules.
  Network() {
    const uint16_t *from = ilumbra_denoiser_weights_begin, *const end = ilumbra_denoiser_weights_end;
    const auto next = [&] { return _cvtsh_ss(*from++); };
    const auto read = [&](Convolution& c, int in, int out, int taps) {
      c = {in, out, taps, {}, {}};
      const size_t blocks = size_t((out + block - 1) / block);
      c.weights.assign(blocks * block * size_t(in) * size_t(taps), 0.0f);
      c.bias.assign(blocks * block, 0.0f);
      if (end - from < std::ptrdiff_t(out) * (in * taps + 1))
        throw std::logic_error("The denoiser's weights are not of its network");
      for (int o = 0; o < out; ++o)
        for (int i = 0; i < in; ++i)
          for (int t = 0; t < taps; ++t) c.weights[c.at(o, i, t)] = next();
      for (int o = 0; o < out; ++o) c.bias[size_t(o)] = next();
    };
    const auto [w0, w1, w2, w3, w4] = widths;
    read(enter, inputs, w0, 1);
    read(fold, 4 * w0, w1, 1);
    read(down1, w1, w1, 9);
    read(down2, w1, w2, 9);
    read(down2b, w2, w2, 9);
    read(down3, w2, w3, 9);
    read(down4, w3, w4, 9);
    read(down4b, w4, w4, 9);
    read(join3, w4 + w3, w3, 1);
    read(up3, w3, w3, 9);
    read(join2, w3 + w2, w2, 1);
    read(up2, w2, w2, 9);
    read(join1, w2 + w1, w1, 1);
    read(up1, w1, w1, 9);
    read(join0, w1 + w0, w0, 1);
    for (int s = 0; s < scales; ++s) read(say[size_t(s)], widths[size_t(s)], says(s), 1);
    if (from != end) throw std::logic_error("The denoiser's weights are not of its network");
  }
};

} // namespace

std::vector<ChannelRows> run(int width, int height, const std::function<void(int y, ChannelRows& to)>& input,
                             const Tasks& tasks) {
  static const Network n;
  if (width % multiple || height % multiple) throw std::logic_error("The denoiser's picture is not a multiple of 16");
  // The finest scale is not kept: its rows are made where they are needed, twice.
  const auto enterRow = [&](int y, ChannelRows& raw, ChannelRows& out, int to) {
    input(y, raw);
    convolveRow(n.enter, raw, 0, out, to, Start::Bias, End::Positive);
  };
  ChannelRows d1;
  {
    ChannelRows folded(widths[1], width / 2, height / 2);
    tasks.forEach(height / 2, [&](int y) {
      ChannelRows raw(inputs, width, 1), two(widths[0], width, 2), apart(4 * widths[0], width / 2, 1);
      for (int j = 0; j < 2; ++j) enterRow(2 * y + j, raw, two, j);
      for (int c = 0; c < widths[0]; ++c)
        for (int j = 0; j < 2; ++j) {
          const float* from = two.row(c, j);
          float *even = apart.row(4 * c + 2 * j, 0), *odd = apart.row(4 * c + 2 * j + 1, 0);
          for (int x = 0; x < width / 2; ++x) {
            even[x] = from[2 * x];
            odd[x] = from[2 * x + 1];
          }
        }
      convolveRow(n.fold, apart, 0, folded, y, Start::Bias, End::Positive);
    });
    d1 = convolved(n.down1, folded, End::Positive, tasks);
  }
  std::vector<ChannelRows> said(scales);
  {
    const auto deeper = [&](const ChannelRows& from, const Convolution& c) {
      return convolved(c, halved(from, tasks), End::Positive, tasks);
    };
    const ChannelRows e2 = convolved(n.down2b, deeper(d1, n.down2), End::Positive, tasks), e3 = deeper(e2, n.down3),
                      e4 = convolved(n.down4b, deeper(e3, n.down4), End::Positive, tasks);
    const ChannelRows d3 = convolved(n.up3, joined(n.join3, e4, e3, tasks), End::Positive, tasks),
                      d2 = convolved(n.up2, joined(n.join2, d3, e2, tasks), End::Positive, tasks);
    said[4] = convolved(n.say[4], e4, End::Plain, tasks);
    said[3] = convolved(n.say[3], d3, End::Plain, tasks);
    said[2] = convolved(n.say[2], d2, End::Plain, tasks);
    d1 = joined(n.join1, d2, d1, tasks);
  }
  d1 = convolved(n.up1, d1, End::Positive, tasks);
  said[1] = convolved(n.say[1], d1, End::Plain, tasks);
  const ChannelRows share = convolved(n.join0.part(0, widths[1]), d1, End::Plain, tasks);
  const Convolution rest = n.join0.part(widths[1], widths[0]);
  said[0] = ChannelRows(says(0), width, height);
  tasks.forEach(height, [&](int y) {
    ChannelRows raw(inputs, width, 1), e0(widths[0], width, 1), d0(widths[0], width, 1);
    enterRow(y, raw, e0, 0);
    riseRow(share, y, d0, 0);
    convolveRow(rest, e0, 0, d0, 0, Start::Adds, End::Positive);
    convolveRow(n.say[0], d0, 0, said[0], y, Start::Bias, End::Plain);
  });
  return said;
}

} // namespace denoiser_network
} // namespace ilumbra
