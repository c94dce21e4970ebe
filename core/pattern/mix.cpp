#include "core/pattern/coordinates.h"

#include <limits>

namespace ilumbra {
namespace {

// The usual arithmetic of layers, channel by channel.
enum class Blend { Over, Multiply, Add, Subtract, Screen, Lighter, Darker, Difference, Overlay };
const std::vector<std::string> blendNames = {"over",    "multiply", "add",        "subtract", "screen",
                                             "lighter", "darker",   "difference", "overlay"};

float blend(Blend mode, float a, float b) {
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
    return std::max(a, b);
  case Blend::Darker:
    return std::min(a, b);
  case Blend::Difference:
    return std::abs(a - b);
  case Blend::Overlay:
    return a < 0.5f ? 2 * a * b : 1 - 2 * (1 - a) * (1 - b);
  }
  return b;
}

class MixOp : public PatternOp {
 public:
  MixOp(Blend mode, int below, int above, int mask) : m_mode(mode), m_below(below), m_above(above), m_mask(mask) {}
  Sample4 value(const Sample4* r, const PatternPoint&) const override {
    const Sample4 &a = r[m_below], &b = r[m_above];
    const float t = clamp01(r[m_mask].x) * clamp01(b.w);
    Sample4 out;
    for (int i = 0; i < 3; ++i) out[i] = a[i] * (1 - t) + blend(m_mode, a[i], b[i]) * t;
    out.w = a.w + (1 - a.w) * t;
    return out;
  }
  Bounds4 bounds(const Bounds4* r, const PatternBox&) const override {
    const Bounds4 &a = r[m_below], &b = r[m_above];
    const float t0 = clamp01(r[m_mask].low.x) * clamp01(b.low.w), t1 = clamp01(r[m_mask].high.x) * clamp01(b.high.w);
    Bounds4 out;
    for (int i = 0; i < 3; ++i) {
      float low, high;
      blended(a.low[i], a.high[i], b.low[i], b.high[i], low, high);
      out.low[i] = std::min(a.low[i] * (1 - t0) + low * t0, a.low[i] * (1 - t1) + low * t1);
      out.high[i] = std::max(a.high[i] * (1 - t0) + high * t0, a.high[i] * (1 - t1) + high * t1);
    }
    out.low.w = std::min(a.low.w + (1 - a.low.w) * t0, a.low.w + (1 - a.low.w) * t1);
    out.high.w = std::max(a.high.w + (1 - a.high.w) * t0, a.high.w + (1 - a.high.w) * t1);
    return out;
  }
  std::vector<int*> inputs() override { return {&m_below, &m_above, &m_mask}; }

 private:
  // Every mode is bilinear on each side of its bend, so that corners and the bend bound it.
  void blended(float a0, float a1, float b0, float b1, float& low, float& high) const {
    low = std::numeric_limits<float>::max();
    high = -low;
    const auto corners = [&](float x0, float x1) {
      for (const float x : {x0, x1})
        for (const float y : {b0, b1}) {
          const float v = blend(m_mode, x, y);
          low = std::min(low, v);
          high = std::max(high, v);
        }
    };
    corners(a0, a1);
    if (m_mode == Blend::Difference && a0 <= b1 && b0 <= a1) low = 0;
    if (m_mode == Blend::Overlay && a0 < 0.5f && a1 >= 0.5f) corners(std::nextafter(0.5f, 0.0f), 0.5f);
  }
  Blend m_mode;
  int m_below, m_above, m_mask;
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
            const int below = c.input(p, "below"), above = c.input(p, "above"), mask = c.amount(p, "mask");
            const auto mode = choiceOf<Blend>(p, "mode");
            return c.emit(std::make_shared<MixOp>(mode, below, above, mask));
          }};
}

} // namespace ilumbra
