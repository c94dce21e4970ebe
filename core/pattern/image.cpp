#include "core/pattern/image.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/document/document.h"
#include "core/document/units.h"

#include <array>
#include <cstring>
#include <half.h>

namespace ilumbra {

Image::Image(int width, int height, Encoding encoding, std::vector<uint8_t> texels, bool associated)
    : m_width(width), m_height(height), m_encoding(encoding), m_associated(associated), m_texels(std::move(texels)) {
  if (width < 1 || height < 1 || m_texels.size() != size_t(width) * size_t(height) * bytesPerTexel(encoding))
    throw badInput("the picture's size does not fit its data");
  measure();
  m_half = halved();
}

std::shared_ptr<const Image> Image::paged(const Image& image, std::shared_ptr<const PagedTexels> pages) {
  const auto make = [](const Image& from, std::shared_ptr<const PagedTexels> source, int level,
                       const auto& self) -> std::shared_ptr<const Image> {
    std::shared_ptr<Image> out(new Image);
    out->m_width = from.m_width;
    out->m_height = from.m_height;
    out->m_encoding = from.m_encoding;
    out->m_associated = from.m_associated;
    out->m_level = level;
    for (int i = 0; i < 2; ++i) out->m_low[i] = from.m_low[i], out->m_high[i] = from.m_high[i];
    if (from.m_half) out->m_half = self(*from.m_half, source, level + 1, self);
    out->m_pages = std::move(source);
    return out;
  };
  return make(image, std::move(pages), 0, make);
}

void Image::copyRows(int first, int rows, uint8_t* out) const {
  const size_t row = size_t(m_width) * bytesPerTexel(m_encoding);
  if (!m_pages) {
    std::copy_n(m_texels.data() + size_t(first) * row, size_t(rows) * row, out);
    return;
  }
  for (int y = first; y < first + rows; ++y)
    for (int x = 0; x < m_width; ++x, out += bytesPerTexel(m_encoding)) m_pages->fetch(m_level, x, y, out);
}

// Means of two by two texels in linear light; a last odd row or column counts once more.
std::shared_ptr<const Image> Image::halved() const {
  if (m_width == 1 && m_height == 1) return nullptr;
  static const std::array<uint8_t, 4097> encode = [] {
    std::array<uint8_t, 4097> t{};
    for (size_t i = 0; i <= 4096; ++i) t[i] = uint8_t(std::lround(255 * srgbEncoded<double>(double(i) / 4096)));
    return t;
  }();
  const int w = std::max(1, m_width / 2), h = std::max(1, m_height / 2);
  std::vector<uint8_t> out(size_t(w) * size_t(h) * bytesPerTexel(m_encoding));
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      const int x0 = std::min(2 * x, m_width - 1), x1 = std::min(2 * x + 1, m_width - 1),
                y0 = std::min(2 * y, m_height - 1), y1 = std::min(2 * y + 1, m_height - 1);
      const auto m = (texel(x0, y0, true) + texel(x1, y0, true) + texel(x0, y1, true) + texel(x1, y1, true)) * 0.25f;
      const size_t i = size_t(y) * size_t(w) + size_t(x);
      if (m_encoding == Encoding::Half) {
        const Imath::half v[4] = {Imath::half(m.x), Imath::half(m.y), Imath::half(m.z), Imath::half(m.w)};
        std::memcpy(out.data() + 8 * i, v, 8);
        continue;
      }
      for (int c = 0; c < 4; ++c)
        out[4 * i + size_t(c)] = m_encoding == Encoding::Srgb8 && c < 3 ? encode[size_t(clamp01(m[c]) * 4096 + 0.5f)]
                                                                        : uint8_t(clamp01(m[c]) * 255 + 0.5f);
    }
  return std::make_shared<const Image>(w, h, m_encoding, std::move(out));
}

// Decoding is monotone: the extremes of what is stored are those of what is decoded.
void Image::measure() {
  size_t low[4] = {0, 0, 0, 0}, high[4] = {0, 0, 0, 0}; // texels that have them
  if (m_encoding == Encoding::Half) {
    Imath::Vec4<float> least = texel(0, 0, false), most = least;
    for (size_t i = 0; i < m_texels.size() / 8; ++i) {
      const auto t = texel(int(i % size_t(m_width)), int(i / size_t(m_width)), false);
      for (int c = 0; c < 4; ++c) {
        if (t[c] < least[c]) least[c] = t[c];
        if (t[c] > most[c]) most[c] = t[c];
      }
    }
    m_low[0] = m_low[1] = least;
    m_high[0] = m_high[1] = most;
    return;
  }
  std::array<uint8_t, 4> least{255, 255, 255, 255}, most{};
  for (size_t i = 0; i < m_texels.size(); i += 4)
    for (size_t c = 0; c < 4; ++c) {
      if (m_texels[i + c] < least[c] || i == 0) least[c] = m_texels[i + c], low[c] = i / 4;
      if (m_texels[i + c] > most[c] || i == 0) most[c] = m_texels[i + c], high[c] = i / 4;
    }
  for (const bool decode : {false, true})
    for (int c = 0; c < 4; ++c) {
      const auto at = [&](size_t i) { return texel(int(i % size_t(m_width)), int(i / size_t(m_width)), decode)[c]; };
      m_low[decode][c] = at(low[c]);
      m_high[decode][c] = at(high[c]);
    }
}

Imath::Vec4<float> Image::lookup(float u, float v, bool decode, float footprint) const {
  if (!std::isfinite(u) || !std::isfinite(v)) return {0, 0, 0, 1};
  const Image* fine = this;
  float texels = footprint * float(std::max(m_width, m_height));
  while (texels >= 2 && fine->m_half) {
    fine = fine->m_half.get();
    texels *= 0.5f;
  }
  const auto a = fine->bilinear(u, v, decode);
  if (!(texels > 1) || !fine->m_half) return a;
  const float t = std::min(1.0f, texels - 1);
  return a * (1 - t) + fine->m_half->bilinear(u, v, decode) * t;
}

Imath::Vec4<float> Image::texel(int x, int y, bool decode) const {
  static const std::array<float, 256> srgb = [] {
    std::array<float, 256> t{};
    for (size_t i = 0; i < 256; ++i) t[i] = float(srgbDecoded<double>(double(i) / 255));
    return t;
  }();
  uint8_t fetched[8];
  const uint8_t* p = fetched;
  if (m_pages)
    m_pages->fetch(m_level, x, y, fetched);
  else
    p = m_texels.data() + bytesPerTexel(m_encoding) * (size_t(y) * size_t(m_width) + size_t(x));
  if (m_encoding == Encoding::Half) {
    Imath::half h[4];
    std::memcpy(h, p, 8);
    return {h[0], h[1], h[2], h[3]};
  }
  if (decode && m_encoding == Encoding::Srgb8) return {srgb[p[0]], srgb[p[1]], srgb[p[2]], float(p[3]) / 255};
  constexpr float k = 1.0f / 255;
  return {float(p[0]) * k, float(p[1]) * k, float(p[2]) * k, float(p[3]) * k};
}

Imath::Vec4<float> Image::bilinear(float u, float v, bool decode) const {
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
