#include "core/pattern/image.h"

#include "core/base/error.h"
#include "core/document/document.h"
#include "core/document/units.h"

#include <array>
#include <cstring>
#include <half.h>

namespace ilumbra {

Image::Image(int width, int height, Encoding encoding, std::vector<uint8_t> texels)
    : m_width(width), m_height(height), m_encoding(encoding), m_texels(std::move(texels)) {
  if (width < 1 || height < 1 || m_texels.size() != size_t(width) * size_t(height) * bytesPerTexel(encoding))
    throw badInput("the picture's size does not fit its data");
}

Imath::Vec4<float> Image::texel(int x, int y, bool decode) const {
  static const std::array<float, 256> srgb = [] {
    std::array<float, 256> t{};
    for (size_t i = 0; i < 256; ++i) t[i] = float(srgbToLinear(double(i) / 255));
    return t;
  }();
  const size_t i = size_t(y) * size_t(m_width) + size_t(x);
  if (m_encoding == Encoding::Half) {
    Imath::half h[4];
    std::memcpy(h, m_texels.data() + 8 * i, 8);
    return {h[0], h[1], h[2], h[3]};
  }
  const uint8_t* p = m_texels.data() + 4 * i;
  if (decode && m_encoding == Encoding::Srgb8) return {srgb[p[0]], srgb[p[1]], srgb[p[2]], float(p[3]) / 255};
  constexpr float k = 1.0f / 255;
  return {float(p[0]) * k, float(p[1]) * k, float(p[2]) * k, float(p[3]) * k};
}

Imath::Vec4<float> Image::lookup(float u, float v, bool decode) const {
  if (!std::isfinite(u) || !std::isfinite(v)) return {0, 0, 0, 1};
  u -= std::floor(u);
  v -= std::floor(v);
  const float x = u * float(m_width) - 0.5f, y = (1 - v) * float(m_height) - 0.5f;
  const float fx = std::floor(x), fy = std::floor(y), tx = x - fx, ty = y - fy;
  const auto wrap = [](int i, int n) { return i < 0 ? i + n : i >= n ? i - n : i; };
  const int x0 = wrap(int(fx), m_width), x1 = wrap(int(fx) + 1, m_width);
  const int y0 = wrap(int(fy), m_height), y1 = wrap(int(fy) + 1, m_height);
  return (texel(x0, y0, decode) * (1 - tx) + texel(x1, y0, decode) * tx) * (1 - ty) +
         (texel(x0, y1, decode) * (1 - tx) + texel(x1, y1, decode) * tx) * ty;
}

} // namespace ilumbra
