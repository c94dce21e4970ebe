#pragma once
#include "core/base/vec.h"

#include <cstdint>
#include <memory>
#include <vector>

namespace ilumbra {

/// A picture in memory: rows from the top, four channels, linear Rec. 709 with unassociated alpha, or raw numbers.
/// Held at 8 bits when it came so, else as half floats.
class Image {
public:
  enum class Encoding { Srgb8, Linear8, Half };
  Image(int width, int height, Encoding encoding, std::vector<uint8_t> texels);

  int width() const { return m_width; }
  int height() const { return m_height; }
  Encoding encoding() const { return m_encoding; }
  const std::vector<uint8_t>& texels() const { return m_texels; }
  /// The texel as stored: with `decode`, 8-bit colours go through the sRGB curve when encoded so.
  Imath::Vec4<float> texel(int x, int y, bool decode) const;
  /// Bilinear at (u, v), v upwards; outside [0, 1] it tiles. With `decode` as in texel(). A `footprint` (of the sample, in
  /// picture widths) beyond a texel is answered from pictures of half the size each, two of them mixed.
  Imath::Vec4<float> lookup(float u, float v, bool decode, float footprint = 0) const;
  /// The least and the most of each channel.
  void bounds(bool decode, Imath::Vec4<float>& low, Imath::Vec4<float>& high) const {
    low = m_low[decode];
    high = m_high[decode];
  }
  static size_t bytesPerTexel(Encoding e) { return e == Encoding::Half ? 8 : 4; }

private:
  Imath::Vec4<float> bilinear(float u, float v, bool decode) const;
  /// Null once it is a single texel.
  std::shared_ptr<const Image> halved() const;
  void measure();
  std::shared_ptr<const Image> m_half; ///< of half the size, which has its own in turn
  int m_width, m_height;
  Encoding m_encoding;
  std::vector<uint8_t> m_texels;
  Imath::Vec4<float> m_low[2], m_high[2]; ///< raw, decoded
};

} // namespace ilumbra
