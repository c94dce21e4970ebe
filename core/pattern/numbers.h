#pragma once
#include "core/base/vec.h"

#include <cstdint>
#include <immintrin.h>
#include <limits>

namespace ilumbra {

// The numbers that patterns run over. What an operation does is written once, over a number T and vectors of it; so it
// gives its value at a place (float), at eight places at once (Lanes), all that it can be within a box (Interval), and
// how it changes from place to place (Slope). Decisions are made by choose(condition, yes, no): a comparison gives a
// bool, one answer a lane, or "either".

/// Eight floats.
struct Lanes {
  using Floats = float __attribute__((vector_size(32)));
  using Bits = int32_t __attribute__((vector_size(32)));
  static constexpr int count = 8;
  Floats v;
  Lanes() = default;
  Lanes(float x) : v{x, x, x, x, x, x, x, x} {}
  explicit Lanes(Floats x) : v(x) {}
  float operator[](int i) const { return v[i]; }
  void set(int i, float x) { v[i] = x; }
};
struct LaneMask {
  Lanes::Bits v; ///< all bits of a lane, or none
};

/// All from `low` to `high`. Results are rounded outwards, so that nothing that floats come to lies outside.
struct Interval {
  float low = 0, high = 0;
  Interval() = default;
  Interval(float x) : low(x), high(x) {}
  Interval(float l, float h) : low(l), high(h) {}
  bool one() const { return low == high; }
  bool has(float x) const { return low <= x && x <= high; }
};
enum class Truth { No, Yes, Either };

/// A number and how it changes along x, y and z of the object's own space.
struct Slope {
  float v = 0;
  V3f d{0.0f};
  Slope() = default;
  Slope(float x) : v(x) {}
  Slope(float x, const V3f& by) : v(x), d(by) {}
};

namespace numbers {

// ---- one place
inline float min(float a, float b) { return b < a ? b : a; }
inline float max(float a, float b) { return a < b ? b : a; }
inline float abs(float a) { return std::abs(a); }
inline float floor(float a) { return std::floor(a); }
inline float sqrt(float a) { return std::sqrt(a); }
inline float sin(float a) { return std::sin(a); }
inline float cos(float a) { return std::cos(a); }
inline float tan(float a) { return std::tan(a); }
inline float asin(float a) { return std::asin(a); }
inline float acos(float a) { return std::acos(a); }
inline float atan(float a) { return std::atan(a); }
inline float atan2(float a, float b) { return std::atan2(a, b); }
inline float exp(float a) { return std::exp(a); }
inline float log(float a) { return std::log(a); }
inline float pow(float a, float b) { return std::pow(a, b); }
inline float choose(bool c, float yes, float no) { return c ? yes : no; }
inline bool both(bool a, bool b) { return a && b; }

// ---- eight places
inline Lanes of(__m256 v) { return Lanes(Lanes::Floats(v)); }
inline __m256 raw(const Lanes& a) { return __m256(a.v); }
inline Lanes min(const Lanes& a, const Lanes& b) { return Lanes(b.v < a.v ? b.v : a.v); }
inline Lanes max(const Lanes& a, const Lanes& b) { return Lanes(a.v < b.v ? b.v : a.v); }
inline Lanes abs(const Lanes& a) { return of(_mm256_andnot_ps(_mm256_set1_ps(-0.0f), raw(a))); }
inline Lanes floor(const Lanes& a) { return of(_mm256_floor_ps(raw(a))); }
inline Lanes sqrt(const Lanes& a) { return of(_mm256_sqrt_ps(raw(a))); }
Lanes sin(const Lanes& a);
Lanes cos(const Lanes& a);
Lanes tan(const Lanes& a);
Lanes asin(const Lanes& a);
Lanes acos(const Lanes& a);
Lanes atan(const Lanes& a);
Lanes atan2(const Lanes& a, const Lanes& b);
Lanes exp(const Lanes& a);
Lanes log(const Lanes& a);
Lanes pow(const Lanes& a, const Lanes& b);
inline Lanes choose(const LaneMask& c, const Lanes& yes, const Lanes& no) { return Lanes(c.v ? yes.v : no.v); }
inline LaneMask both(const LaneMask& a, const LaneMask& b) { return {a.v & b.v}; }

// ---- all within a box
inline Interval hull(const Interval& a, const Interval& b) {
  return {std::min(a.low, b.low), std::max(a.high, b.high)};
}
/// By as much as rounding may have moved the ends; what is no number may be anything.
inline Interval outwards(float low, float high, float ulps = 1) {
  constexpr float most = std::numeric_limits<float>::infinity();
  const float e = ulps * 1.2e-7f;
  if (!(low <= high)) return {-most, most};
  return {low - std::abs(low) * e - 1e-37f, high + std::abs(high) * e + 1e-37f};
}
inline Interval min(const Interval& a, const Interval& b) { return {std::min(a.low, b.low), std::min(a.high, b.high)}; }
inline Interval max(const Interval& a, const Interval& b) { return {std::max(a.low, b.low), std::max(a.high, b.high)}; }
inline Interval abs(const Interval& a) {
  if (a.low >= 0) return a;
  if (a.high <= 0) return {-a.high, -a.low};
  return {0, std::max(-a.low, a.high)};
}
inline Interval floor(const Interval& a) { return {std::floor(a.low), std::floor(a.high)}; }
inline Interval sqrt(const Interval& a) {
  return outwards(std::sqrt(std::max(0.0f, a.low)), std::sqrt(std::max(0.0f, a.high)));
}
Interval sin(const Interval& a);
Interval cos(const Interval& a);
Interval tan(const Interval& a);
Interval asin(const Interval& a);
Interval acos(const Interval& a);
Interval atan(const Interval& a);
Interval atan2(const Interval& a, const Interval& b);
Interval exp(const Interval& a);
Interval log(const Interval& a);
/// Of bases from 0 on.
Interval pow(const Interval& a, const Interval& b);
inline Interval choose(Truth c, const Interval& yes, const Interval& no) {
  return c == Truth::Yes ? yes : c == Truth::No ? no : hull(yes, no);
}
inline Truth both(Truth a, Truth b) {
  return a == Truth::No || b == Truth::No ? Truth::No : a == Truth::Yes && b == Truth::Yes ? Truth::Yes : Truth::Either;
}

// ---- with its slope
inline Slope min(const Slope& a, const Slope& b) { return b.v < a.v ? b : a; }
inline Slope max(const Slope& a, const Slope& b) { return a.v < b.v ? b : a; }
inline Slope abs(const Slope& a) { return a.v < 0 ? Slope(-a.v, -a.d) : a; }
inline Slope floor(const Slope& a) { return std::floor(a.v); }
/// `f` is the value of a function at a, `by` its derivative there.
inline Slope chain(const Slope& a, float f, float by) { return {f, a.d * (std::isfinite(by) ? by : 0)}; }
inline Slope sqrt(const Slope& a) {
  const float r = std::sqrt(a.v);
  return chain(a, r, 0.5f / r);
}
inline Slope sin(const Slope& a) { return chain(a, std::sin(a.v), std::cos(a.v)); }
inline Slope cos(const Slope& a) { return chain(a, std::cos(a.v), -std::sin(a.v)); }
inline Slope tan(const Slope& a) { return chain(a, std::tan(a.v), 1 / sqr(std::cos(a.v))); }
inline Slope asin(const Slope& a) { return chain(a, std::asin(a.v), 1 / std::sqrt(1 - a.v * a.v)); }
inline Slope acos(const Slope& a) { return chain(a, std::acos(a.v), -1 / std::sqrt(1 - a.v * a.v)); }
inline Slope atan(const Slope& a) { return chain(a, std::atan(a.v), 1 / (1 + a.v * a.v)); }
inline Slope atan2(const Slope& a, const Slope& b) {
  const float r2 = a.v * a.v + b.v * b.v;
  return {std::atan2(a.v, b.v), r2 > 0 ? (a.d * b.v - b.d * a.v) * (1 / r2) : V3f(0.0f)};
}
inline Slope exp(const Slope& a) { return chain(a, std::exp(a.v), std::exp(a.v)); }
inline Slope log(const Slope& a) { return chain(a, std::log(a.v), 1 / a.v); }
inline Slope pow(const Slope& a, const Slope& b) {
  const float p = std::pow(a.v, b.v), byBase = b.v == 0 ? 0 : b.v * std::pow(a.v, b.v - 1),
              byExponent = p * std::log(a.v);
  return {p, a.d * (std::isfinite(byBase) ? byBase : 0) + b.d * (std::isfinite(byExponent) ? byExponent : 0)};
}
inline Slope choose(bool c, const Slope& yes, const Slope& no) { return c ? yes : no; }

// ---- of all kinds
template <class T> T clamp(const T& x, const T& low, const T& high) { return min(high, max(low, x)); }
template <class T> T clamp01(const T& x) { return min(T(1.0f), max(T(0.0f), x)); }
template <class T> T fract(const T& x) { return x - floor(x); }
/// The widest that it can be: a whole number may lie between the ends.
inline Interval fract(const Interval& x) {
  const float below = std::floor(x.low);
  return std::floor(x.high) == below ? outwards(x.low - below, x.high - below) : Interval(0, 1);
}
template <class T> T square(const T& x) { return x * x; }
inline Interval square(const Interval& x) {
  const float a = std::max(std::abs(x.low), std::abs(x.high)),
              b = x.has(0) ? 0 : std::min(std::abs(x.low), std::abs(x.high));
  return outwards(b * b, a * a);
}
/// Smooth from 0 at 0 to 1 at 1, level at both; what lies outside is clamped.
template <class T> T smooth(const T& x) {
  const T t = clamp01(x);
  return t * t * (T(3.0f) - t * 2.0f);
}
inline Interval smooth(const Interval& x) { return outwards(smoothstep(x.low), smoothstep(x.high), 4); }
/// From a at 0 to b at 1.
template <class T> T between(const T& a, const T& b, const T& t) { return a * (T(1.0f) - t) + b * t; }
/// It is straight in t: the ends of t bound it.
inline Interval between(const Interval& a, const Interval& b, const Interval& t) {
  const auto times = [](const Interval& x, float f) {
    return f < 0 ? Interval(x.high * f, x.low * f) : Interval(x.low * f, x.high * f);
  };
  const auto at = [&](float s) {
    const Interval x = times(a, 1 - s), y = times(b, s);
    return Interval(x.low + y.low, x.high + y.high);
  };
  const Interval h = hull(at(t.low), at(t.high));
  // What cancels has been rounded by the size of its parts.
  const float e = 4e-7f * (std::max(std::abs(a.low), std::abs(a.high)) + std::max(std::abs(b.low), std::abs(b.high))) *
                  (1 + std::max(std::abs(t.low), std::abs(t.high)));
  return outwards(h.low - e, h.high + e);
}

} // namespace numbers

inline Lanes operator+(const Lanes& a, const Lanes& b) { return Lanes(a.v + b.v); }
inline Lanes operator-(const Lanes& a, const Lanes& b) { return Lanes(a.v - b.v); }
inline Lanes operator*(const Lanes& a, const Lanes& b) { return Lanes(a.v * b.v); }
inline Lanes operator/(const Lanes& a, const Lanes& b) { return Lanes(a.v / b.v); }
inline Lanes operator-(const Lanes& a) { return Lanes(-a.v); }
inline LaneMask operator<(const Lanes& a, const Lanes& b) { return {a.v < b.v}; }
inline LaneMask operator<=(const Lanes& a, const Lanes& b) { return {a.v <= b.v}; }

inline Interval operator+(const Interval& a, const Interval& b) {
  return numbers::outwards(a.low + b.low, a.high + b.high);
}
inline Interval operator-(const Interval& a, const Interval& b) {
  return numbers::outwards(a.low - b.high, a.high - b.low);
}
inline Interval operator-(const Interval& a) { return {-a.high, -a.low}; }
inline Interval operator*(const Interval& a, const Interval& b) {
  const auto times = [](float x, float y) { return x == 0 || y == 0 ? 0.0f : x * y; };
  const float p = times(a.low, b.low), q = times(a.low, b.high), r = times(a.high, b.low), s = times(a.high, b.high);
  return numbers::outwards(std::min(std::min(p, q), std::min(r, s)), std::max(std::max(p, q), std::max(r, s)));
}
inline Interval operator/(const Interval& a, const Interval& b) {
  if (b.has(0)) return {-std::numeric_limits<float>::infinity(), std::numeric_limits<float>::infinity()};
  const float p = a.low / b.low, q = a.low / b.high, r = a.high / b.low, s = a.high / b.high;
  return numbers::outwards(std::min(std::min(p, q), std::min(r, s)), std::max(std::max(p, q), std::max(r, s)));
}
inline Truth operator<(const Interval& a, const Interval& b) {
  return a.high < b.low ? Truth::Yes : a.low >= b.high ? Truth::No : Truth::Either;
}
inline Truth operator<=(const Interval& a, const Interval& b) {
  return a.high <= b.low ? Truth::Yes : a.low > b.high ? Truth::No : Truth::Either;
}

inline Slope operator+(const Slope& a, const Slope& b) { return {a.v + b.v, a.d + b.d}; }
inline Slope operator-(const Slope& a, const Slope& b) { return {a.v - b.v, a.d - b.d}; }
inline Slope operator-(const Slope& a) { return {-a.v, -a.d}; }
inline Slope operator*(const Slope& a, const Slope& b) { return {a.v * b.v, a.d * b.v + b.d * a.v}; }
inline Slope operator/(const Slope& a, const Slope& b) {
  const float q = a.v / b.v;
  return {q, (a.d - b.d * q) * (1 / b.v)};
}
inline bool operator<(const Slope& a, const Slope& b) { return a.v < b.v; }
inline bool operator<=(const Slope& a, const Slope& b) { return a.v <= b.v; }

// What Imath's vectors of them ask for.
template <class T>
T& operator+=(T& a,
              const T& b) requires std::is_same_v<T, Lanes> || std::is_same_v<T, Interval> || std::is_same_v<T, Slope> {
  return a = a + b;
}

} // namespace ilumbra
