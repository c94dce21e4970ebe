#include "core/pattern/coordinates.h"

namespace ilumbra {
namespace {

class RemapOp : public PatternOp {
 public:
  RemapOp(int value, int floor, int ceiling, int gamma, int low, int high, bool invert)
      : m_value(value), m_floor(floor), m_ceiling(ceiling), m_gamma(gamma), m_low(low), m_high(high), m_invert(invert) {
  }
  Sample4 value(const Sample4* r, const PatternPoint&) const override {
    Sample4 out = r[m_value];
    for (int k = 0; k < 3; ++k)
      out[k] = one(out[k], r[m_floor].x, r[m_ceiling].x, r[m_gamma].x, r[m_low].x, r[m_high].x);
    return out;
  }
  // Monotone in each of its numbers but the gamma, in which it is too.
  Bounds4 bounds(const Bounds4* r, const PatternBox&) const override {
    Bounds4 out = r[m_value];
    for (int k = 0; k < 3; ++k) {
      float least = std::numeric_limits<float>::max(), most = -least;
      for (int corner = 0; corner < 64; ++corner) {
        const auto at = [&](int slot, int bit, int channel) {
          return corner >> bit & 1 ? r[slot].high[channel] : r[slot].low[channel];
        };
        const float v = one(at(m_value, 0, k), at(m_floor, 1, 0), at(m_ceiling, 2, 0), at(m_gamma, 3, 0),
                            at(m_low, 4, 0), at(m_high, 5, 0));
        least = std::min(least, v);
        most = std::max(most, v);
      }
      out.low[k] = least;
      out.high[k] = most;
    }
    return out;
  }
  std::vector<int*> inputs() override { return {&m_value, &m_floor, &m_ceiling, &m_gamma, &m_low, &m_high}; }

 private:
  float one(float v, float floor, float ceiling, float gamma, float low, float high) const {
    float t = ceiling > floor ? clamp01((v - floor) / (ceiling - floor)) : v >= floor ? 1.0f : 0.0f;
    if (gamma != 1) t = std::pow(t, 1 / std::max(1e-3f, gamma));
    if (m_invert) t = 1 - t;
    return low + (high - low) * t;
  }
  int m_value, m_floor, m_ceiling, m_gamma, m_low, m_high;
  bool m_invert;
};

} // namespace

PatternKind remapPattern() {
  return {
      {.id = "pattern.remap",
       .label = "Remap",
       .helpText = "Another pattern's values cut at a floor and a ceiling and spread anew.",
       .params =
           {color("value", "Pattern", {0.5, 0.5, 0.5}).soft(0, 1).patterned().matters().help("What is remapped"),
            number("floor", "Floor", "", 0)
                .soft(0, 1)
                .range(-1e6, 1e6)
                .patterned()
                .matters()
                .help("Values up to here come out as the least"),
            number("ceiling", "Ceiling", "", 1)
                .soft(0, 1)
                .range(-1e6, 1e6)
                .patterned()
                .matters()
                .help("Values from here on come out as the most"),
            number("gamma", "Gamma", "", 1)
                .soft(0.2, 5)
                .range(1e-3, 1e3)
                .log()
                .patterned()
                .help("More than 1 lifts the middle"),
            flag("invert", "Invert", false).fixed().help("The least comes out as the most"),
            number("low", "Least", "", 0).soft(0, 1).range(-1e6, 1e6).patterned().help("What the floor comes out as"),
            number("high", "Most", "", 1)
                .soft(0, 1)
                .range(-1e6, 1e6)
                .patterned()
                .help("What the ceiling comes out as")},
       .existence = Invalidation::Shading},
      [](const Params& p, PatternCompiler& c) {
        return c.emit(std::make_shared<RemapOp>(c.input(p, "value"), c.amount(p, "floor"), c.amount(p, "ceiling"),
                                                c.amount(p, "gamma"), c.amount(p, "low"), c.amount(p, "high"),
                                                p.flag("invert")));
      }};
}

} // namespace ilumbra
