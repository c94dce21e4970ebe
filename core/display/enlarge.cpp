#include "core/display/enlarge.h"

#include <algorithm>

namespace ilumbra {

std::vector<uint8_t> enlargedBytes(const std::vector<uint8_t>& in, int w, int h, int step, int width, int height,
                                   const Tasks& tasks) {
  std::vector<uint8_t> out(size_t(width) * size_t(height) * 4);
  const int unit = 2 * step;
  std::vector<std::pair<int, int>> columns(static_cast<size_t>(width));
  const auto place = [&](int x, int most) {
    const int f = std::clamp(2 * x + 1 - step, 0, unit * (most - 1));
    return std::pair{f / unit, f % unit};
  };
  for (int x = 0; x < width; ++x) columns[size_t(x)] = place(x, w);
  constexpr int band = 16;
  tasks.forEach((height + band - 1) / band, [&](int strip) {
    std::vector<uint16_t> row(size_t(w + 1) * 4);
    for (int y = strip * band; y < std::min(height, (strip + 1) * band); ++y) {
      const auto [y0, ty] = place(y, h);
      const uint8_t *above = in.data() + 4 * size_t(y0) * size_t(w),
                    *below = in.data() + 4 * size_t(std::min(y0 + 1, h - 1)) * size_t(w);
      for (int i = 0; i < 4 * w; ++i) row[size_t(i)] = uint16_t(above[i] * (unit - ty) + below[i] * ty);
      for (size_t k = 0; k < 4; ++k) row[4 * size_t(w) + k] = row[4 * size_t(w - 1) + k];
      uint8_t* o = out.data() + 4 * size_t(y) * size_t(width);
      for (const auto& [x0, tx] : columns) {
        const uint16_t* a = row.data() + 4 * size_t(x0);
        for (int k = 0; k < 4; ++k)
          o[k] = uint8_t((a[k] * (unit - tx) + a[k + 4] * tx + unit * unit / 2) / (unit * unit));
        o += 4;
      }
    }
  });
  return out;
}

} // namespace ilumbra
