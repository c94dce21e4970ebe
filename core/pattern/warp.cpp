#include "core/pattern/coordinates.h"

namespace ilumbra {
namespace {

// The place, pushed aside.
struct Pushed {
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    ValuesOf<T> out = in[0];
    for (int k = 0; k < 3; ++k) out[k] = out[k] + (in[1][k] - T(0.5f)) * (in[2].x * T(2.0f));
    return out;
  }
};

} // namespace

PatternKind warpPattern() {
  return {
      {.id = "pattern.warp",
       .label = "Warp",
       .helpText = "Another pattern, pushed aside from place to place.",
       .params = {color("value", "Pattern", {0.5, 0.5, 0.5}).soft(0, 1).patterned().matters().help("What is pushed"),
                  color("by", "Pushed by", {0.5, 0.5, 0.5})
                      .soft(0, 1)
                      .patterned()
                      .matters()
                      .help("Red pushes along x, green along y, blue along z; a half does not push"),
                  number("strength", "Strength", "m", 0.1)
                      .soft(0, 1)
                      .range(-1e6, 1e6)
                      .patterned()
                      .matters()
                      .help("How far the strongest push goes"),
                  spaceParam(1)},
       .existence = Invalidation::Shading},
      [](const Params& p, PatternCompiler& c) {
        // The space that it lies in moves alone: what lies in others stays.
        const PatternSpace space = spaceOf(p);
        const int to = c.emit(Pushed{}, {c.place(space), c.amount(p, "by"), c.amount(p, "strength")});
        return c.moved(space, to, [&] { return c.input(p, "value"); });
      },
      PatternGroup::Operation};
}

} // namespace ilumbra
