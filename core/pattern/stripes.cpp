#include "core/pattern/shape.h"

namespace ilumbra {
namespace {

// Inputs: the place, pitch, share, edge, push, low, high.
struct Stripes {
  int axis;
  float run;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    using namespace numbers;
    const T pitch = max(in[1].x, T(1e-6f)), share = clamp01(in[2].x);
    const T at = fract((in[0][axis] + in[4].x) / pitch - T(run));
    const T inside = (share * T(0.5f) - abs(at - T(0.5f))) * pitch;
    // None, or nothing but: no edge is left.
    T amount = choose(share <= T(0.0f), T(0.0f), choose(T(1.0f) <= share, T(1.0f), edged(inside, in[3].x, in[0].w)));
    return ilumbra::between(in[5], in[6], unlessFine(amount, share, in[0].w, pitch));
  }
};

} // namespace

PatternKind stripesPattern() {
  return {{.id = "pattern.stripes",
           .label = "Stripes",
           .helpText = "Even bands side by side: scan lines, blinds, brushed rings, a barred window.",
           .params = join({{spaceParam(1),
                            choice("across", "Follow along", {"x", "y", "z"})
                                .matters()
                                .help("The axis along which one stripe follows the other"),
                            number("pitch", "Pitch", "m", 0.1)
                                .soft(0.002, 1)
                                .range(1e-6, 1e6)
                                .log()
                                .patterned()
                                .matters()
                                .help("From one stripe to the next"),
                            number("share", "Share", "%", 0.5)
                                .range(0, 1)
                                .patterned()
                                .matters()
                                .help("How much of the pitch is stripe"),
                            edgeParam(0.004),
                            number("push", "Pushed", "m", 0)
                                .soft(-0.2, 0.2)
                                .range(-1e6, 1e6)
                                .patterned()
                                .help("Moves them aside; by a pattern it makes them wave or break up")},
                           shapeColors("Between the stripes", "In the stripes"),
                           runParams("Run", "1/s", "How many stripes go by in a second")}),
           .existence = Invalidation::Shading,
           .changesByTime = runs},
          [](const Params& p, PatternCompiler& c) {
            return c.emit(Stripes{axisOf(p, "across"), runOf(p, c)},
                          {c.place(spaceOf(p)), c.amount(p, "pitch"), c.amount(p, "share"), c.amount(p, "edge"),
                           c.amount(p, "push"), c.input(p, "low"), c.input(p, "high")});
          }};
}

} // namespace ilumbra
