#pragma once
#include "core/base/vec.h"

#include <cstdint>
#include <memory>
#include <vector>

namespace ilumbra {

/// Texels that are kept elsewhere than in memory. Asked from several threads.
class PagedTexels {
 public:
  virtual ~PagedTexels() = default;
  /// One texel of a level (0: full size, then half the size each), as many bytes as it has.
  virtual void fetch(int level, int x, int y, uint8_t* out) const = 0;
};

/// A picture, in memory if it is not paged: rows from the top, four channels, linear Rec. 709 with unassociated alpha,
/// or raw numbers. Held at 8 bits when it came so, else as half floats.
class Image {
 public:
  enum class Encoding { Srgb8, Linear8, Half };
  Image(int width, int height, Encoding encoding, std::vector<uint8_t> texels, bool associated = false);

  int width() const { return m_width; }
  int height() const { return m_height; }
  Encoding encoding() const { return m_encoding; }
  /// Colours are multiplied by alpha already, as OpenEXR has them: light where alpha is 0 is light that covers nothing.
  bool associated() const { return m_associated; }
  /// A copy whose texels are fetched from pages that hold all levels of `image`.
  static std::shared_ptr<const Image> paged(const Image& image, std::shared_ptr<const PagedTexels> pages);
  /// The picture of half the size, or null.
  const Image* half() const { return m_half.get(); }
  /// What it holds in memory, all sizes.
  size_t bytes() const { return m_texels.size() + (m_half ? m_half->bytes() : 0); }
  /// Rows as they are stored.
  void copyRows(int first, int rows, uint8_t* out) const;
  /// The texel as stored: with `decode`, 8-bit colours go through the sRGB curve when encoded so.
  Imath::Vec4<float> texel(int x, int y, bool decode) const;
  /// Bilinear at (u, v), v upwards; outside [0, 1] it tiles. With `decode` as in texel(). A `footprint` (of the sample,
  /// in picture widths) beyond a texel is answered from pictures of half the size each, two of them mixed.
  Imath::Vec4<float> lookup(float u, float v, bool decode, float footprint = 0) const;
  /// The least and the most of each channel.
  void bounds(bool decode, Imath::Vec4<float>& low, Imath::Vec4<float>& high) const {
    low = m_low[decode];
    high = m_high[decode];
  }
  static size_t bytesPerTexel(Encoding e) { return e == Encoding::Half ? 8 : 4; }

 private:
  Image() = default;
  Imath::Vec4<float> bilinear(float u, float v, bool decode) const;
  /// Null once it is a single texel.
  std::shared_ptr<const Image> halved() const;
  void measure();
  std::shared_ptr<const Image> m_half;        ///< of half the size, which has its own in turn
  std::shared_ptr<const PagedTexels> m_pages; ///< null: they are in memory
  int m_level = 0, m_width = 0, m_height = 0;
  Encoding m_encoding = Encoding::Linear8;
  bool m_associated = false;
  std::vector<uint8_t> m_texels;
  Imath::Vec4<float> m_low[2], m_high[2]; ///< raw, decoded
};

} // namespace ilumbra
