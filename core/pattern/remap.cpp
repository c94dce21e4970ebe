#include "core/pattern/coordinates.h"

namespace ilumbra {
namespace {

using namespace numbers;

struct Remap {
  bool bent, invert; // a gamma other than 1
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    ValuesOf<T> out = in[0];
    const T floor = in[1].x, ceiling = in[2].x, low = in[4].x, high = in[5].x;
    for (int k = 0; k < 3; ++k) {
      T t = clamp01((out[k] - floor) / (ceiling - floor));
      t = choose(floor < ceiling, t, choose(out[k] < floor, T(0.0f), T(1.0f)));
      if (bent) t = pow(t, T(1.0f) / max(T(1e-3f), in[3].x));
      if (invert) t = T(1.0f) - t;
      out[k] = numbers::between(low, high, t);
    }
    return out;
  }
  // It only rises or falls in each of its numbers: their corners bound it.
  Bounds4 operator()(const InputsOf<Interval>& in, const PointOf<Interval>&) const {
    Bounds4 out = in[0];
    std::array<Sample4, 6> corner;
    constexpr std::array<uint32_t, 6> order = {0, 1, 2, 3, 4, 5};
    for (int k = 0; k < 3; ++k) {
      Interval all(std::numeric_limits<float>::max(), -std::numeric_limits<float>::max());
      for (int c = 0; c < 64; ++c) {
        for (size_t i = 0; i < 6; ++i) {
          const Interval& x = in[i][i == 0 ? k : 0];
          corner[i] = spread(c >> i & 1 ? x.high : x.low);
        }
        const float v = (*this)(InputsOf<float>(corner.data(), order), PatternPoint()).x;
        all = hull(all, v);
      }
      out[k] = outwards(all.low, all.high, 8);
    }
    return out;
  }
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
        const int gamma = c.amount(p, "gamma");
        const Sample4* even = c.constantAt(gamma); // until the next register is added
        const Remap form{!even || even->x != 1, p.flag("invert")};
        return c.emit(form, {c.input(p, "value"), c.amount(p, "floor"), c.amount(p, "ceiling"), gamma,
                             c.amount(p, "low"), c.amount(p, "high")});
      },
      PatternGroup::Operation,
      {},
      true};
}

} // namespace ilumbra
