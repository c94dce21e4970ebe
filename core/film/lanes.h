#pragma once
#include <cstdint>
#include <immintrin.h>

namespace ilumbra {

/// Eight numbers at a time.
constexpr int lanes = 8;
inline int wholeLanes(int n) { return (n + lanes - 1) / lanes * lanes; }

inline __m256 fromHalves(const uint16_t* halves) {
  return _mm256_cvtph_ps(_mm_loadu_si128(reinterpret_cast<const __m128i*>(halves)));
}
inline void toHalves(uint16_t* to, __m256 v) {
  _mm_storeu_si128(reinterpret_cast<__m128i*>(to), _mm256_cvtps_ph(v, _MM_FROUND_TO_NEAREST_INT | _MM_FROUND_NO_EXC));
}

/// e^x to 2e-7 of it, x held between −87 and 87: 2^n × a polynomial of the rest (Cephes, expf).
inline __m256 exponential(__m256 x) {
  x = _mm256_max_ps(_mm256_min_ps(x, _mm256_set1_ps(87)), _mm256_set1_ps(-87));
  const __m256 n =
      _mm256_round_ps(_mm256_mul_ps(x, _mm256_set1_ps(1.44269504f)), _MM_FROUND_TO_NEAREST_INT | _MM_FROUND_NO_EXC);
  x = _mm256_fnmadd_ps(n, _mm256_set1_ps(0.693359375f), x);
  x = _mm256_fnmadd_ps(n, _mm256_set1_ps(-2.12194440e-4f), x);
  __m256 p = _mm256_set1_ps(1.9875691500e-4f);
  for (const float c : {1.3981999507e-3f, 8.3334519073e-3f, 4.1665795894e-2f, 1.6666665459e-1f, 5.0000001201e-1f})
    p = _mm256_fmadd_ps(p, x, _mm256_set1_ps(c));
  p = _mm256_add_ps(_mm256_fmadd_ps(p, _mm256_mul_ps(x, x), x), _mm256_set1_ps(1));
  const __m256i power = _mm256_slli_epi32(_mm256_add_epi32(_mm256_cvtps_epi32(n), _mm256_set1_epi32(127)), 23);
  return _mm256_mul_ps(p, _mm256_castsi256_ps(power));
}

inline __m256 logistic(__m256 x) {
  const __m256 one = _mm256_set1_ps(1);
  return _mm256_div_ps(one, _mm256_add_ps(one, exponential(_mm256_sub_ps(_mm256_setzero_ps(), x))));
}

/// ln x to 1e-6, of positive normal numbers: the exponent, and (m − 1) / (m + 1) of the mantissa m from √½ to √2
/// (ln m = 2 atanh of it).
inline __m256 logarithm(__m256 x) {
  const __m256i bits = _mm256_castps_si256(x);
  const __m256i shifted = _mm256_sub_epi32(bits, _mm256_set1_epi32(0x3f3504f3)); // √½
  const __m256 exponent = _mm256_cvtepi32_ps(_mm256_srai_epi32(shifted, 23));
  const __m256 m = _mm256_castsi256_ps(
      _mm256_add_epi32(_mm256_and_si256(shifted, _mm256_set1_epi32(0x007fffff)), _mm256_set1_epi32(0x3f3504f3)));
  const __m256 one = _mm256_set1_ps(1), t = _mm256_div_ps(_mm256_sub_ps(m, one), _mm256_add_ps(m, one)),
               t2 = _mm256_mul_ps(t, t);
  __m256 p = _mm256_set1_ps(2.0f / 9);
  for (const float c : {2.0f / 7, 2.0f / 5, 2.0f / 3, 2.0f}) p = _mm256_fmadd_ps(p, t2, _mm256_set1_ps(c));
  return _mm256_fmadd_ps(exponent, _mm256_set1_ps(0.69314718f), _mm256_mul_ps(t, p));
}

} // namespace ilumbra
