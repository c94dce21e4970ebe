#pragma once
#include "core/base/tasks.h"
#include "core/image/picture.h"

#include <array>
#include <cstdint>

namespace ilumbra {

/// Numbers of pixels, none below 0, kept small, each tile of 16 × 16 pixels at a scale of its own, so that lamps fit as
/// well as shadows. Colours have nine bits a channel and an exponent in common (as in the shared-exponent formats of
/// graphics hardware): within 2^-9 of the pixel's largest channel. Single numbers are halves. Tiles of one single value
/// take next to no room, and those that matter less a quarter.
class PackedPixels {
 public:
  PackedPixels() = default;
  /// `channels` numbers a pixel, 1 or 3, interleaved, rows from the top. What is below 0, or no number, becomes 0.
  /// Tiles that lie within `coarse` pixels of the edge are kept as means of 2 × 2.
  PackedPixels(const std::vector<float>& values, int width, int height, int channels, const Tasks& tasks,
               int coarse = 0);
  explicit PackedPixels(const Picture& p, const Tasks& tasks, int coarse = 0)
      : PackedPixels(p.rgb, p.width, p.height, 3, tasks, coarse) {}
  int width() const { return m_width; }
  int height() const { return m_height; }
  bool empty() const { return m_width == 0; }
  /// True if all is 0.
  bool isBlack() const;
  size_t bytes() const;
  Region whole() const { return {0, 0, m_width, m_height}; }
  /// The smallest that holds all tiles that are not 0; width 0: there is none.
  Region lit() const;
  struct Term {
    const PackedPixels* pixels;
    std::array<float, 3> scale; ///< of each channel
  };
  /// to += the sum of these, all of one size, made with one `coarse`, of three channels; `to` has the window's pixels.
  static void addTo(std::vector<float>& to, const std::vector<Term>& sum, const Region& window, const Tasks& tasks);
  std::vector<float> unpacked(const Tasks& tasks) const;

 private:
  static constexpr int side = 16;
  struct Tile {
    int32_t at = -1;            ///< where its pixels begin in the data; -1: all of them are `value`
    bool coarse = false;        ///< 8 × 8 of them, each for 2 × 2
    float value[3] = {0, 0, 0}; ///< of a tile in the data: its scale, first
  };
  void addTiles(int ty, float* to, const Region& w, const std::array<float, 3>& scale) const;
  int across() const { return (m_width + m_shift + side - 1) / side; }
  int down() const { return (m_height + m_shift + side - 1) / side; }
  int m_width = 0, m_height = 0, m_channels = 0;
  int m_shift = 0; ///< the first tile begins so many pixels beyond the edge, so that coarse ones end where they may
  std::vector<Tile> m_tiles;
  std::vector<uint32_t> m_colors; ///< of three channels: tiles one after the other, each in full, rows from its top
  std::vector<uint16_t> m_halves; ///< of one
};

} // namespace ilumbra
