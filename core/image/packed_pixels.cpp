#include "core/image/packed_pixels.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <half.h>

namespace ilumbra {

namespace {

constexpr int mantissa = 9, exponents = 32;

// Three numbers from 0 to 2^(exponents - 1), in units of the tile's scale.
uint32_t packed(const float* v) {
  const float most = std::max({v[0], v[1], v[2]});
  if (!(most > 0)) return 0;
  // Rounding may carry the largest channel over the top.
  int e = std::clamp(std::ilogb(most) + 1, 0, exponents - 1);
  if (most * std::ldexp(1.0f, mantissa - e) >= float(1 << mantissa) - 0.5f) e = std::min(e + 1, exponents - 1);
  const float by = std::ldexp(1.0f, mantissa - e);
  uint32_t out = uint32_t(e) << 27;
  for (int c = 0; c < 3; ++c)
    out |= uint32_t(std::min(float((1 << mantissa) - 1), std::floor(v[c] * by + 0.5f))) << (mantissa * c);
  return out;
}

} // namespace

PackedPixels::PackedPixels(const std::vector<float>& values, int width, int height, int channels, const Tasks& tasks,
                           int coarse)
    : m_width(width), m_height(height), m_channels(channels), m_shift((side - coarse % side) % side),
      m_tiles(size_t(across()) * size_t(down())) {
  const auto number = [&](int x, int y, int c) {
    const float v = values[(size_t(y) * size_t(width) + size_t(x)) * size_t(channels) + size_t(c)];
    return std::isfinite(v) && v > 0 ? v : 0.0f;
  };
  const auto top = [&](int t) { return std::max(0, t * side - m_shift); };
  const auto end = [&](int t) { return (t + 1) * side - m_shift; };
  const auto pixels = [&](int tx, int ty, int step, const auto& f) {
    for (int y = top(ty); y < std::min(height, end(ty)); y += step)
      for (int x = top(tx); x < std::min(width, end(tx)); x += step) f(x, y);
  };
  std::vector<float> most(m_tiles.size(), -1.0f); // below 0: all alike
  tasks.forEach(down(), [&](int ty) {
    for (int tx = 0; tx < across(); ++tx) {
      Tile& t = m_tiles[size_t(ty) * size_t(across()) + size_t(tx)];
      t.coarse = end(tx) <= coarse || end(ty) <= coarse || top(tx) >= width - coarse || top(ty) >= height - coarse;
      float largest = 0;
      bool alike = true;
      for (int c = 0; c < channels; ++c) t.value[c] = number(top(tx), top(ty), c);
      pixels(tx, ty, 1, [&](int x, int y) {
        for (int c = 0; c < channels; ++c) {
          const float v = number(x, y, c);
          largest = std::max(largest, v);
          alike = alike && v == t.value[c];
        }
      });
      if (!alike) most[size_t(&t - m_tiles.data())] = largest;
    }
  });
  // Numbers of a row of a tile, or rows of it.
  const auto kept = [&](int t, int edge, int step) {
    return size_t((std::min(edge, end(t)) - top(t) + step - 1) / step);
  };
  size_t used = 0;
  for (size_t t = 0; t < most.size(); ++t)
    if (most[t] > 0) {
      const int tx = int(t) % across(), ty = int(t) / across(), step = m_tiles[t].coarse ? 2 : 1;
      m_tiles[t].at = int32_t(used);
      used += kept(tx, width, step) * kept(ty, height, step);
      // A power of two, so that packing rounds once: the largest comes near the top of what there is.
      m_tiles[t].value[0] =
          std::ldexp(1.0f, std::clamp(std::ilogb(most[t]) + 1 - (channels == 3 ? exponents - 2 : 15), -140, 120));
    }
  if (channels == 3)
    m_colors.resize(used);
  else
    m_halves.resize(used);
  tasks.forEach(down(), [&](int ty) {
    for (int tx = 0; tx < across(); ++tx) {
      const Tile& t = m_tiles[size_t(ty) * size_t(across()) + size_t(tx)];
      if (t.at < 0) continue;
      const int step = t.coarse ? 2 : 1;
      pixels(tx, ty, step, [&](int x, int y) {
        const size_t at =
            size_t(t.at) + size_t((y - top(ty)) / step) * kept(tx, width, step) + size_t((x - top(tx)) / step);
        float v[3] = {0, 0, 0};
        for (int c = 0; c < channels; ++c) {
          int n = 0;
          for (int j = y; j < std::min(height, y + step); ++j)
            for (int i = x; i < std::min(width, x + step); ++i, ++n) v[c] += number(i, j, c);
          v[c] /= float(n) * t.value[0];
        }
        if (channels == 3)
          m_colors[at] = packed(v);
        else
          m_halves[at] = Imath::half(v[0]).bits();
      });
    }
  });
}

bool PackedPixels::isBlack() const {
  return std::all_of(m_tiles.begin(), m_tiles.end(),
                     [](const Tile& t) { return t.at < 0 && !t.value[0] && !t.value[1] && !t.value[2]; });
}

Region PackedPixels::lit() const {
  int x0 = m_width, y0 = m_height, x1 = 0, y1 = 0;
  for (int ty = 0; ty < down(); ++ty)
    for (int tx = 0; tx < across(); ++tx) {
      const Tile& t = m_tiles[size_t(ty) * size_t(across()) + size_t(tx)];
      if (t.at < 0 && !t.value[0] && !t.value[1] && !t.value[2]) continue;
      x0 = std::min(x0, std::max(0, tx * side - m_shift));
      y0 = std::min(y0, std::max(0, ty * side - m_shift));
      x1 = std::max(x1, std::min(m_width, (tx + 1) * side - m_shift));
      y1 = std::max(y1, std::min(m_height, (ty + 1) * side - m_shift));
    }
  return x0 < x1 ? Region{x0, y0, x1 - x0, y1 - y0} : Region{};
}

size_t PackedPixels::bytes() const {
  return m_tiles.capacity() * sizeof(Tile) + m_colors.capacity() * sizeof(uint32_t) +
         m_halves.capacity() * sizeof(uint16_t);
}

void PackedPixels::addTiles(int ty, float* to, const Region& w, const std::array<float, 3>& scale) const {
  constexpr uint32_t mask = (1u << mantissa) - 1;
  const int top = std::max(0, ty * side - m_shift), y0 = std::max(top, w.y),
            y1 = std::min({m_height, (ty + 1) * side - m_shift, w.y + w.height});
  if (y1 <= y0) return;
  for (int tx = 0; tx < across(); ++tx) {
    const Tile& t = m_tiles[size_t(ty) * size_t(across()) + size_t(tx)];
    const int left = std::max(0, tx * side - m_shift), right = std::min(m_width, (tx + 1) * side - m_shift),
              x0 = std::max(left, w.x), x1 = std::min(right, w.x + w.width);
    const bool nothing = t.at < 0 && !t.value[0] && !t.value[1] && !t.value[2];
    if (nothing || x1 <= x0) continue;
    float by[3];
    for (size_t c = 0; c < 3; ++c) by[c] = t.value[0] * scale[c];
    const int halved = t.coarse ? 1 : 0;
    for (int y = y0; y < y1; ++y) {
      float* out = to + (size_t(y - w.y) * size_t(w.width) + size_t(x0 - w.x)) * size_t(m_channels);
      const size_t row =
          size_t(std::max(0, t.at)) + size_t((y - top) >> halved) * size_t((right - left + halved) >> halved);
      if (t.at < 0) {
        for (int x = x0; x < x1; ++x)
          for (int c = 0; c < m_channels; ++c) *out++ += t.value[c] * scale[size_t(c)];
      } else if (m_channels == 3) {
        // Channel by channel, several at once: a power of two is its exponent's bits.
        const uint32_t* from = m_colors.data() + row;
        float channels[3][side];
        for (int c = 0; c < 3; ++c)
          for (int k = 0; k < ((right - left + halved) >> halved); ++k) {
            const uint32_t v = from[k];
            const float unit = std::bit_cast<float>(((v >> 27) + 127 - mantissa) << 23);
            channels[c][k] = float(int(v >> (mantissa * c) & mask)) * unit * by[c];
          }
        for (int k = x0 - left; k < x1 - left; ++k, out += 3)
          for (int c = 0; c < 3; ++c) out[c] += channels[c][k >> halved];
      } else {
        for (int k = x0 - left; k < x1 - left; ++k) {
          Imath::half h;
          h.setBits(m_halves[row + size_t(k >> halved)]);
          *out++ += float(h) * (t.value[0] * scale[0]);
        }
      }
    }
  }
}

void PackedPixels::addTo(std::vector<float>& to, const std::vector<Term>& sum, const Region& window,
                         const Tasks& tasks) {
  if (sum.empty()) return;
  // All of a row of tiles while it is near.
  tasks.forEach(sum.front().pixels->down(), [&](int ty) {
    for (const Term& t : sum) t.pixels->addTiles(ty, to.data(), window, t.scale);
  });
}

std::vector<float> PackedPixels::unpacked(const Tasks& tasks) const {
  std::vector<float> out(size_t(m_width) * size_t(m_height) * size_t(m_channels), 0.0f);
  tasks.forEach(down(), [&](int ty) { addTiles(ty, out.data(), whole(), {1, 1, 1}); });
  return out;
}

} // namespace ilumbra
