#pragma once
#include "core/pattern/coordinates.h"

#include <limits>

namespace ilumbra {

/// The usual arithmetic of layers, channel by channel.
enum class Blend { Over, Multiply, Add, Subtract, Screen, Lighter, Darker, Difference, Overlay };
inline const std::vector<std::string> blendNames = {"over",    "multiply", "add",        "subtract", "screen",
                                                    "lighter", "darker",   "difference", "overlay"};

/// Of a lower value `a` and an upper one `b`.
template <class T> T blend(Blend mode, const T& a, const T& b) {
  switch (mode) {
  case Blend::Over:
    return b;
  case Blend::Multiply:
    return a * b;
  case Blend::Add:
    return a + b;
  case Blend::Subtract:
    return a - b;
  case Blend::Screen:
    return a + b - a * b;
  case Blend::Lighter:
    return numbers::max(a, b);
  case Blend::Darker:
    return numbers::min(a, b);
  case Blend::Difference:
    return numbers::abs(a - b);
  case Blend::Overlay:
    return numbers::choose(a < T(0.5f), T(2.0f) * a * b, T(1.0f) - T(2.0f) * (T(1.0f) - a) * (T(1.0f) - b));
  }
  return b;
}
// Every mode is bilinear on each side of its bend, so that corners and the bend bound it.
inline Interval blend(Blend mode, const Interval& a, const Interval& b) {
  Interval all(std::numeric_limits<float>::max(), -std::numeric_limits<float>::max());
  const auto corners = [&](float x0, float x1) {
    for (const float x : {x0, x1})
      for (const float y : {b.low, b.high}) all = numbers::hull(all, blend(mode, x, y));
  };
  corners(a.low, a.high);
  if (mode == Blend::Difference && a.low <= b.high && b.low <= a.high) all.low = 0;
  if (mode == Blend::Overlay && a.low < 0.5f && a.high >= 0.5f) corners(std::nextafter(0.5f, 0.0f), 0.5f);
  return numbers::outwards(all.low, all.high, 4);
}

/// One value laid over another: inputs are the lower, the upper and how much of that there is.
struct Mixed {
  Blend mode = Blend::Over;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    const ValuesOf<T>&a = in[0], &b = in[1];
    const T t = numbers::clamp01(in[2].x) * numbers::clamp01(b.w);
    ValuesOf<T> out;
    for (int i = 0; i < 3; ++i) out[i] = numbers::between(a[i], blend(mode, a[i], b[i]), t);
    out.w = numbers::between(a.w, T(1.0f), t);
    return out;
  }
};

} // namespace ilumbra
