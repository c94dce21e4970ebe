#pragma once
#include "core/base/vec.h"

#include <vector>

namespace ilumbra {

/// A rectangle of pixels from the top left; with width 0 all of a picture.
struct Region {
  int x = 0, y = 0, width = 0, height = 0;
  bool operator==(const Region&) const = default;
};

/// Scene-linear light, three interleaved floats a pixel, rows from the top.
struct Picture {
  int width = 0, height = 0;
  std::vector<float> rgb;
  Picture() = default;
  Picture(int w, int h) : width(w), height(h), rgb(size_t(w) * size_t(h) * 3, 0.0f) {}
  size_t pixels() const { return size_t(width) * size_t(height); }
  float* at(int x, int y) { return rgb.data() + 3 * (size_t(y) * size_t(width) + size_t(x)); }
  const float* at(int x, int y) const { return rgb.data() + 3 * (size_t(y) * size_t(width) + size_t(x)); }
  Color color(int x, int y) const {
    const float* p = at(x, y);
    return {p[0], p[1], p[2]};
  }
  /// A region as it is, all pixels for one of width 0.
  Region whole(const Region& region) const { return region.width ? region : Region{0, 0, width, height}; }
  bool operator==(const Picture&) const = default;
};

} // namespace ilumbra
