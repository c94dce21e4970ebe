#include "core/pattern/numbers.h"

// The C library's own functions for eight floats at once (libmvec), within four units in the last place.
extern "C" {
__m256 _ZGVdN8v_sinf(__m256);
__m256 _ZGVdN8v_cosf(__m256);
__m256 _ZGVdN8v_tanf(__m256);
__m256 _ZGVdN8v_asinf(__m256);
__m256 _ZGVdN8v_acosf(__m256);
__m256 _ZGVdN8v_atanf(__m256);
__m256 _ZGVdN8vv_atan2f(__m256, __m256);
__m256 _ZGVdN8v_expf(__m256);
__m256 _ZGVdN8v_logf(__m256);
__m256 _ZGVdN8vv_powf(__m256, __m256);
}

namespace ilumbra::numbers {

Lanes sin(const Lanes& a) { return of(_ZGVdN8v_sinf(raw(a))); }
Lanes cos(const Lanes& a) { return of(_ZGVdN8v_cosf(raw(a))); }
Lanes tan(const Lanes& a) { return of(_ZGVdN8v_tanf(raw(a))); }
Lanes asin(const Lanes& a) { return of(_ZGVdN8v_asinf(raw(a))); }
Lanes acos(const Lanes& a) { return of(_ZGVdN8v_acosf(raw(a))); }
Lanes atan(const Lanes& a) { return of(_ZGVdN8v_atanf(raw(a))); }
Lanes atan2(const Lanes& a, const Lanes& b) { return of(_ZGVdN8vv_atan2f(raw(a), raw(b))); }
Lanes exp(const Lanes& a) { return of(_ZGVdN8v_expf(raw(a))); }
Lanes log(const Lanes& a) { return of(_ZGVdN8v_logf(raw(a))); }
Lanes pow(const Lanes& a, const Lanes& b) { return of(_ZGVdN8vv_powf(raw(a), raw(b))); }

namespace {

constexpr float infinite = std::numeric_limits<float>::infinity();

// Functions that only rise. Four units in the last place for what the library may be off, and a little about 0.
template <class F> Interval rising(const Interval& a, F f) {
  const Interval r = outwards(f(a.low), f(a.high), 6);
  return {r.low - 1e-7f, r.high + 1e-7f};
}

// True if some x + k · period lies within, k whole.
bool meets(const Interval& a, double x, double period) {
  const double slack = 1e-6 * (1 + std::abs(double(a.low)) + std::abs(double(a.high)));
  return std::ceil((double(a.low) - slack - x) / period) <= std::floor((double(a.high) + slack - x) / period);
}

} // namespace

Interval sin(const Interval& a) {
  if (!(a.high - a.low < 6.2831f)) return {-1, 1};
  const float x = std::sin(a.low), y = std::sin(a.high);
  Interval r = outwards(std::min(x, y), std::max(x, y), 6);
  r.low -= 1e-7f;
  r.high += 1e-7f;
  if (meets(a, M_PI / 2, 2 * M_PI)) r.high = 1;
  if (meets(a, -M_PI / 2, 2 * M_PI)) r.low = -1;
  return {std::max(-1.0f, r.low), std::min(1.0f, r.high)};
}
Interval cos(const Interval& a) {
  if (!(a.high - a.low < 6.2831f)) return {-1, 1};
  const float x = std::cos(a.low), y = std::cos(a.high);
  Interval r = outwards(std::min(x, y), std::max(x, y), 6);
  r.low -= 1e-7f;
  r.high += 1e-7f;
  if (meets(a, 0, 2 * M_PI)) r.high = 1;
  if (meets(a, M_PI, 2 * M_PI)) r.low = -1;
  return {std::max(-1.0f, r.low), std::min(1.0f, r.high)};
}
Interval tan(const Interval& a) {
  if (!(a.high - a.low < 3.1415f) || meets(a, M_PI / 2, M_PI)) return {-infinite, infinite};
  return rising(a, [](float x) { return std::tan(x); });
}
Interval asin(const Interval& a) {
  return rising({std::clamp(a.low, -1.0f, 1.0f), std::clamp(a.high, -1.0f, 1.0f)},
                [](float x) { return std::asin(x); });
}
Interval acos(const Interval& a) {
  return rising({std::clamp(-a.high, -1.0f, 1.0f), std::clamp(-a.low, -1.0f, 1.0f)},
                [](float x) { return std::acos(-x); });
}
Interval atan(const Interval& a) {
  return rising(a, [](float x) { return std::atan(x); });
}
Interval atan2(const Interval& a, const Interval& b) {
  // About the origin, and across the line where it jumps, it is all there is.
  if (a.has(0) && b.low <= 0) return {-pi - 1e-6f, pi + 1e-6f};
  float low = infinite, high = -infinite;
  for (const float y : {a.low, a.high})
    for (const float x : {b.low, b.high}) {
      const float v = std::atan2(y, x);
      low = std::min(low, v);
      high = std::max(high, v);
    }
  const Interval r = outwards(low, high, 6);
  return {r.low - 1e-7f, r.high + 1e-7f};
}
Interval exp(const Interval& a) { return outwards(std::exp(a.low), std::exp(a.high), 6); }
Interval log(const Interval& a) {
  if (!(a.high > 0)) return {-infinite, infinite};
  return rising({std::max(0.0f, a.low), a.high}, [](float x) { return std::log(x); });
}
Interval pow(const Interval& a, const Interval& b) {
  // It only rises or only falls in each: its corners bound it.
  float low = infinite, high = -infinite;
  for (const float x : {std::max(0.0f, a.low), std::max(0.0f, a.high)})
    for (const float y : {b.low, b.high}) {
      const float v = std::pow(x, y);
      low = std::min(low, v);
      high = std::max(high, v);
    }
  // 0 to the 0 is 1, beside 0 to a little.
  if (a.low <= 0 && b.has(0)) {
    low = std::min(low, 0.0f);
    high = std::max(high, 1.0f);
  }
  return outwards(low, high, 8);
}

} // namespace ilumbra::numbers
