#include "core/image/packed_pixels.h"

#include <cmath>
#include <half.h>

namespace ilumbra {

namespace {

uint16_t bitsOf(float v) { return Imath::half(v).bits(); }

} // namespace

PackedPixels::PackedPixels(const std::vector<float>& values, int width, int height, int channels, const Tasks& tasks)
    : m_width(width), m_height(height), m_channels(channels) {
  const int across = tilesAcross(), down = (height + tile - 1) / tile;
  std::vector<float> most(size_t(across) * size_t(down), 0.0f);
  const auto number = [&](int x, int y, int c) {
    const float v = values[(size_t(y) * size_t(width) + size_t(x)) * size_t(channels) + size_t(c)];
    return std::isfinite(v) ? v : 0.0f;
  };
  tasks.forEach(down, [&](int ty) {
    for (int tx = 0; tx < across; ++tx) {
      float m = 0;
      for (int y = ty * tile; y < std::min(height, (ty + 1) * tile); ++y)
        for (int x = tx * tile; x < std::min(width, (tx + 1) * tile); ++x)
          for (int c = 0; c < channels; ++c) m = std::max(m, std::abs(number(x, y, c)));
      most[size_t(ty) * size_t(across) + size_t(tx)] = m;
    }
  });
  m_at.resize(most.size(), -1);
  int32_t used = 0;
  for (size_t t = 0; t < most.size(); ++t)
    if (most[t] > 0) {
      m_at[t] = used++;
      // A power of two: what is packed is rounded once. Below the largest half by far, so that sums of rounding fit.
      m_scale.push_back(std::ldexp(1.0f, std::clamp(std::ilogb(most[t]) - 13, -120, 120)));
    }
  const size_t each = size_t(tile) * size_t(tile) * size_t(channels);
  m_data.resize(size_t(used) * each);
  tasks.forEach(down, [&](int ty) {
    for (int tx = 0; tx < across; ++tx) {
      const int32_t at = m_at[size_t(ty) * size_t(across) + size_t(tx)];
      if (at < 0) continue;
      const float by = 1 / m_scale[size_t(at)];
      uint16_t* out = m_data.data() + size_t(at) * each;
      for (int y = ty * tile; y < (ty + 1) * tile; ++y)
        for (int x = tx * tile; x < (tx + 1) * tile; ++x)
          for (int c = 0; c < channels; ++c) *out++ = y < height && x < width ? bitsOf(number(x, y, c) * by) : 0;
    }
  });
}

size_t PackedPixels::bytes() const {
  return m_at.capacity() * sizeof(int32_t) + m_scale.capacity() * sizeof(float) + m_data.capacity() * sizeof(uint16_t);
}

void PackedPixels::addTo(std::vector<float>& to, const float* scale, const Tasks& tasks) const {
  const int across = tilesAcross(), down = (m_height + tile - 1) / tile;
  const size_t row = size_t(tile) * size_t(m_channels), each = size_t(tile) * row;
  tasks.forEach(down, [&](int ty) {
    for (int tx = 0; tx < across; ++tx) {
      const int32_t at = m_at[size_t(ty) * size_t(across) + size_t(tx)];
      if (at < 0) continue;
      float by[4];
      for (int c = 0; c < m_channels; ++c) by[c] = m_scale[size_t(at)] * scale[c];
      const int x0 = tx * tile, x1 = std::min(m_width, x0 + tile);
      for (int y = ty * tile; y < std::min(m_height, (ty + 1) * tile); ++y) {
        const uint16_t* in = m_data.data() + size_t(at) * each + size_t(y - ty * tile) * row;
        float* out = to.data() + (size_t(y) * size_t(m_width) + size_t(x0)) * size_t(m_channels);
        for (int x = x0; x < x1; ++x)
          for (int c = 0; c < m_channels; ++c) {
            Imath::half h;
            h.setBits(*in++);
            *out++ += float(h) * by[c];
          }
      }
    }
  });
}

std::vector<float> PackedPixels::unpacked(const Tasks& tasks) const {
  std::vector<float> out(size_t(m_width) * size_t(m_height) * size_t(m_channels), 0.0f);
  const float one[4] = {1, 1, 1, 1};
  addTo(out, one, tasks);
  return out;
}

} // namespace ilumbra
