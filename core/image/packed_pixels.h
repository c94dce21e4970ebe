#pragma once
#include "core/base/tasks.h"
#include "core/image/picture.h"

#include <cstdint>

namespace ilumbra {

/// Numbers of pixels, kept small: halves, each tile of 16 × 16 pixels at a scale of its own, so that lamps fit as well
/// as shadows; tiles of nothing but 0 take no room. Within 2^-11 of a tile's largest number, and of each number that is
/// not far smaller.
class PackedPixels {
 public:
  PackedPixels() = default;
  /// `channels` numbers a pixel, interleaved, rows from the top. What is no number becomes 0.
  PackedPixels(const std::vector<float>& values, int width, int height, int channels, const Tasks& tasks);
  explicit PackedPixels(const Picture& p, const Tasks& tasks) : PackedPixels(p.rgb, p.width, p.height, 3, tasks) {}
  int width() const { return m_width; }
  int height() const { return m_height; }
  bool empty() const { return m_width == 0; }
  /// True if all is 0.
  bool isBlack() const { return m_data.empty(); }
  size_t bytes() const;
  /// to += these, each channel times its scale; `to` has as many numbers. `scale`: as many as there are channels.
  void addTo(std::vector<float>& to, const float* scale, const Tasks& tasks) const;
  std::vector<float> unpacked(const Tasks& tasks) const;

 private:
  static constexpr int tile = 16;
  int tilesAcross() const { return (m_width + tile - 1) / tile; }
  int m_width = 0, m_height = 0, m_channels = 0;
  std::vector<int32_t> m_at;    ///< by tile, where its halves begin in so many tiles; -1: it has none
  std::vector<float> m_scale;   ///< by tile that has some
  std::vector<uint16_t> m_data; ///< tiles one after the other, each in full
};

} // namespace ilumbra
