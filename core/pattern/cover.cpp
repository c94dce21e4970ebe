// What lies on a surface: where another pattern is high, as much of it as its amount says.
#include "core/pattern/coordinates.h"

namespace ilumbra {
namespace {

// Inputs: the pattern, amount, edge, how much it settles, outside and inside.
struct Covered {
  static constexpr bool looks = true; // whither the surface faces
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>& at) const {
    using namespace numbers;
    const T edge = max(in[2].x, T(1e-3f)), amount = clamp01(in[1].x);
    const T high = (in[0].x + in[0].y + in[0].z) * T(1 / 3.0f) + in[3].x * (at.facing.y - T(0.5f));
    // None of it at nothing, all of it at all, for what lies between 0 and 1.
    const T cut = (T(1.0f) - amount) * (T(1.0f) + edge) - edge;
    return ilumbra::between(in[4], in[5], smooth(clamp01((high - cut) / edge)));
  }
};

} // namespace

PatternKind coverPattern() {
  return {
      {.id = "pattern.cover",
       .label = "Cover",
       .helpText = "What lies on a surface: where another pattern is high, as much of it as the amount says. Rust, "
                   "frost and dust are made with it.",
       .params = {color("value", "Pattern", {0.5, 0.5, 0.5})
                      .soft(0, 1)
                      .patterned()
                      .says("where high")
                      .matters()
                      .help("Where it is high, there it lies first"),
                  number("amount", "Amount", "%", 0.5)
                      .range(0, 1)
                      .patterned()
                      .says("as much as")
                      .matters()
                      .help("From none of it to nothing else"),
                  number("edge", "Soft edge", "%", 0.15)
                      .range(0, 1)
                      .patterned()
                      .says("as soft as")
                      .matters()
                      .help("How gently it begins: a share of the pattern's range"),
                  number("settles", "Settles", "%", 0)
                      .soft(0, 1)
                      .range(-10, 10)
                      .patterned()
                      .matters()
                      .help("How much it prefers what faces up; below 0, what faces down"),
                  color("low", "Elsewhere", {0, 0, 0}).soft(0, 1).patterned().says("elsewhere").help("Where it is not"),
                  color("high", "There", {1, 1, 1}).soft(0, 1).patterned().says("there").help("Where it lies")},
       .existence = Invalidation::Shading},
      [](const Params& p, PatternCompiler& c) {
        return c.emit(Covered{}, {c.amount(p, "value"), c.amount(p, "amount"), c.amount(p, "edge"),
                                  c.amount(p, "settles"), c.input(p, "low"), c.input(p, "high")});
      },
      PatternGroup::Operation};
}

} // namespace ilumbra
