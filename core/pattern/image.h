#pragma once
#include "core/base/vec.h"

#include <cstdint>
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
  /// Bilinear at (u, v), v upwards; outside [0, 1] it tiles. With `decode` as in texel().
  Imath::Vec4<float> lookup(float u, float v, bool decode) const;
  static size_t bytesPerTexel(Encoding e) { return e == Encoding::Half ? 8 : 4; }

private:
  int m_width, m_height;
  Encoding m_encoding;
  std::vector<uint8_t> m_texels;
};

} // namespace ilumbra
