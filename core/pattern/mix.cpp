#include "core/pattern/coordinates.h"

#include <limits>

namespace ilumbra {
namespace {

// The usual arithmetic of layers, channel by channel.
enum class Blend { Over, Multiply, Add, Subtract, Screen, Lighter, Darker, Difference, Overlay };
const std::vector<std::string> blendNames = {"over",    "multiply", "add",        "subtract", "screen",
                                             "lighter", "darker",   "difference", "overlay"};

using namespace numbers;

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
    return max(a, b);
  case Blend::Darker:
    return min(a, b);
  case Blend::Difference:
    return abs(a - b);
  case Blend::Overlay:
    return choose(a < T(0.5f), T(2.0f) * a * b, T(1.0f) - T(2.0f) * (T(1.0f) - a) * (T(1.0f) - b));
  }
  return b;
}
// Every mode is bilinear on each side of its bend, so that corners and the bend bound it.
Interval blend(Blend mode, const Interval& a, const Interval& b) {
  Interval all(std::numeric_limits<float>::max(), -std::numeric_limits<float>::max());
  const auto corners = [&](float x0, float x1) {
    for (const float x : {x0, x1})
      for (const float y : {b.low, b.high}) all = hull(all, blend(mode, x, y));
  };
  corners(a.low, a.high);
  if (mode == Blend::Difference && a.low <= b.high && b.low <= a.high) all.low = 0;
  if (mode == Blend::Overlay && a.low < 0.5f && a.high >= 0.5f) corners(std::nextafter(0.5f, 0.0f), 0.5f);
  return outwards(all.low, all.high, 4);
}

struct Mixed {
  Blend mode;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    const ValuesOf<T>&a = in[0], &b = in[1];
    const T t = clamp01(in[2].x) * clamp01(b.w);
    ValuesOf<T> out;
    for (int i = 0; i < 3; ++i) out[i] = numbers::between(a[i], blend(mode, a[i], b[i]), t);
    out.w = numbers::between(a.w, T(1.0f), t);
    return out;
  }
};

} // namespace

PatternKind mixPattern() {
  return {{.id = "pattern.mix",
           .label = "Mix",
           .helpText = "One pattern laid over another, through a mask.",
           .params = {choice("mode", "Mode", blendNames).matters().help("How the upper meets the lower"),
                      color("below", "Below", {0, 0, 0}).soft(0, 1).patterned().matters().help("The lower value"),
                      color("above", "Above", {1, 1, 1})
                          .soft(0, 1)
                          .patterned()
                          .matters()
                          .help("The upper value; its alpha counts"),
                      number("mask", "Mask", "", 1).range(0, 1).patterned().matters().help("Where the upper shows")},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            return c.emit(Mixed{choiceOf<Blend>(p, "mode")},
                          {c.input(p, "below"), c.input(p, "above"), c.amount(p, "mask")});
          }};
}

} // namespace ilumbra
