#pragma once
#include "core/base/vec.h"

#include <array>
#include <cmath>

namespace ilumbra {

/// Linear Rec. 709 (D65) to ACEScg (AP1, D60) and back, by Bradford adaptation. White stays (1, 1, 1).
/// Matrices from the primaries of ITU-R BT.709 and of AMPAS S-2014-004.
inline Color acescgFrom709(const Color& c) {
  return {0.6130974f * c.x + 0.3395231f * c.y + 0.0473795f * c.z,
          0.0701937f * c.x + 0.9163539f * c.y + 0.0134524f * c.z,
          0.0206156f * c.x + 0.1095698f * c.y + 0.8698146f * c.z};
}
inline Color rec709FromAcescg(const Color& c) {
  return {1.7050510f * c.x - 0.6217921f * c.y - 0.0832589f * c.z,
          -0.1302564f * c.x + 1.1408048f * c.y - 0.0105484f * c.z,
          -0.0240034f * c.x - 0.1289690f * c.y + 1.1529724f * c.z};
}
/// A colour of the document in the working space.
inline Color working(const std::array<double, 3>& t) { return acescgFrom709({float(t[0]), float(t[1]), float(t[2])}); }
/// The sRGB curve of IEC 61966-2-1, from linear light to code values and back, both 0 to 1 for white.
template <typename T> T srgbEncoded(T linear) {
  return linear <= T(0.0031308) ? T(12.92) * linear : T(1.055) * std::pow(linear, 1 / T(2.4)) - T(0.055);
}
template <typename T> T srgbDecoded(T encoded) {
  return encoded <= T(0.04045) ? encoded / T(12.92) : std::pow((encoded + T(0.055)) / T(1.055), T(2.4));
}
/// The same hue and saturation with luminance 1; black becomes white, so that a power keeps its meaning.
inline Color chromaticity(const Color& c) {
  const float y = luminance(c);
  return y > 0 ? c * (1 / y) : Color(1.0f);
}

} // namespace ilumbra
