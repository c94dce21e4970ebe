#pragma once
#include <bit>
#include <cstdint>

namespace ilumbra {

// Powers within 2e-6 of the true ones, without branches and tables, so that loops over them run in vector registers.

/// log2 of a positive normal number: the mantissa between √½ and √2 by the series of 2 artanh, to the ninth power.
inline float quickLog2(float v) {
  const auto bits = std::bit_cast<int32_t>(v);
  const int32_t e = (bits - 0x3f3504f3) >> 23; // 0x3f3504f3: √½
  const float m = std::bit_cast<float>(bits - (e << 23)), s = (m - 1) / (m + 1), q = s * s;
  return float(e) + s * (2.8853900817779268f +
                         q * (0.9617966939259756f +
                              q * (0.5770780163555854f + q * (0.4121985831111324f + q * 0.3205988979753252f))));
}

/// 2 to the power of v, -126 to 127; beyond it stays at those ends.
inline float quickExp2(float v) {
  v = v < -126 ? -126 : v > 127 ? 127 : v;
  const float shifted = v + 12582912.0f; // 1.5 · 2²³: rounds to a whole number
  const float f = v - (shifted - 12582912.0f);
  const float p = 1 + f * (0.6931471805599453f +
                           f * (0.2402265069591007f +
                                f * (0.0555041086648216f +
                                     f * (0.0096181291076285f + f * (0.0013333558146428f + f * 0.0001540353039338f)))));
  return p * std::bit_cast<float>((std::bit_cast<int32_t>(shifted) - 0x4b400000 + 127) << 23);
}

/// A positive number to any power.
inline float quickPower(float base, float exponent) { return quickExp2(exponent * quickLog2(base)); }

} // namespace ilumbra
