#include "core/pattern/shape.h"

namespace ilumbra {
namespace {

// Inputs: the place, pitch, share, edge, push, low, high.
struct Spiral {
  bool flat; // textures and pictures; otherwise about the vertical
  bool widening;
  float arms, run;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    using namespace numbers;
    const T middle(flat ? 0.5f : 0.0f); // of a texture or the picture
    const T pitch = max(in[1].x, T(1e-6f)), share = clamp01(in[2].x), x = in[0].x - middle,
            y = flat ? in[0].y - middle : -in[0].z, r = sqrt(square(x) + square(y)) + in[4].x,
            around = atan2(y, x) * T(1 / (2 * pi));
    // How many arms have been crossed on the way out; a widening one crosses as many from each size to the double.
    const T out = widening ? log(max(r, T(1e-6f)) / pitch) * T(1.442695f) : r / pitch,
            wide = widening ? max(r, T(1e-6f)) * T(0.6931472f) : pitch;
    const T at = fract(out + around * T(arms) - T(run));
    const T inside = (share * T(0.5f) - abs(at - T(0.5f))) * wide;
    const T amount =
        choose(share <= T(0.0f), T(0.0f), choose(T(1.0f) <= share, T(1.0f), edged(inside, in[3].x, in[0].w)));
    return ilumbra::between(in[5], in[6], unlessFine(amount, share, in[0].w, wide));
  }
};

} // namespace

PatternKind spiralPattern() {
  return {
      {.id = "pattern.spiral",
       .label = "Spiral",
       .helpText = "Arms that wind outwards about the middle: a groove, a whirl, a galaxy.",
       .params = join(
           {{spaceParam(1),
             choice("winds", "Winds", {"evenly", "wider and wider"})
                 .matters()
                 .help("As far apart everywhere, or further the further out"),
             integer("arms", "Arms", 1)
                 .soft(-8, 8)
                 .range(-1000, 1000)
                 .matters()
                 .help("Below 0 they wind the other way; 0: rings"),
             number("pitch", "Pitch", "m", 0.1)
                 .soft(0.005, 1)
                 .range(1e-6, 1e6)
                 .log()
                 .patterned()
                 .matters()
                 .help("From one arm to the next; where it widens, the size at which it begins"),
             number("share", "Share", "%", 0.5).range(0, 1).patterned().matters().help("How much of the way is arm"),
             edgeParam(0.004),
             number("push", "Pushed", "m", 0)
                 .soft(-0.2, 0.2)
                 .range(-1e6, 1e6)
                 .patterned()
                 .help("Moves the arms outwards; by a pattern it makes them waver")},
            shapeColors("Between the arms", "In the arms"),
            runParams("Run", "1/s", "How many arms go by in a second")}),
       .existence = Invalidation::Shading,
       .changesByTime = runs},
      [](const Params& p, PatternCompiler& c) {
        const PatternSpace space = spaceOf(p);
        return c.emit(Spiral{space == PatternSpace::Texture || space == PatternSpace::Camera,
                             p.text("winds") != "evenly", float(std::round(p.number("arms"))), runOf(p, c)},
                      {c.place(space), c.amount(p, "pitch"), c.amount(p, "share"), c.amount(p, "edge"),
                       c.amount(p, "push"), c.input(p, "low"), c.input(p, "high")});
      }};
}

} // namespace ilumbra
