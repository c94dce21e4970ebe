// How fast a place moves with a thing: what glows as it rushes by, streaks that come with the turn of a wheel.
#include "core/document/placement.h"
#include "core/pattern/coordinates.h"

namespace ilumbra {
namespace {

// Inputs: the place in the world, fast, the colours at rest and when fast.
struct Speed {
  static constexpr bool looks = true;
  M44f way; // by which a place of the world moves in a second
  bool metres;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    using namespace numbers;
    T sum(0.0f);
    for (int k = 0; k < 3; ++k)
      sum = sum + square(in[0].x * T(way[0][k]) + in[0].y * T(way[1][k]) + in[0].z * T(way[2][k]) + T(way[3][k]));
    const T speed = sqrt(sum);
    if (metres) return spread(speed);
    return ilumbra::between(in[2], in[3], clamp01(speed / max(in[1].x, T(1e-6f))));
  }
};

} // namespace

PatternKind speedPattern() {
  return {
      {.id = "pattern.speed",
       .label = "Speed",
       .helpText = "How fast a place moves with a thing, its turning included: what rushes by glows, what rests is "
                   "dark.",
       .params = {reference("of", "Moves with", {"object.", "zone.", "light.", "camera."})
                      .zero("nothing")
                      .matters()
                      .help("The thing whose motion counts; with none, all is at rest"),
                  choice("gives", "Gives", {"colours", "metres a second"})
                      .matters()
                      .help("From the colour at rest to the fast one; or the speed as a number"),
                  number("fast", "Fast is", "m/s", 1)
                      .soft(0.05, 20)
                      .range(1e-6, 1e6)
                      .log()
                      .patterned()
                      .when("gives", "colours")
                      .matters()
                      .help("From here on it is fast"),
                  color("low", "At rest", {0, 0, 0})
                      .soft(0, 1)
                      .patterned()
                      .says("at rest")
                      .when("gives", "colours")
                      .matters()
                      .help("Where it does not move"),
                  color("high", "Fast", {1, 1, 1})
                      .soft(0, 1)
                      .patterned()
                      .says("when fast")
                      .when("gives", "colours")
                      .matters()
                      .help("Where it is that fast, or faster")},
       .existence = Invalidation::Shading,
       .changesByTime = [](const Params&) { return true; }},
      [](const Params& p, PatternCompiler& c) {
        Speed form{M44f(0.0f), p.text("gives") != "colours"};
        if (const Node* of = c.doc().find(p.reference("of").target)) {
          // By the place a tenth of a frame before and after.
          const auto at = [&](double frame) { return standingMatrix(c.doc(), *of, frame); };
          const double step = 0.1, seconds = 2 * step / std::max(1e-3, c.rate());
          const M44f back = at(c.frame()).inverse(), after = back * at(c.frame() + step),
                     before = back * at(c.frame() - step);
          for (int i = 0; i < 4; ++i)
            for (int k = 0; k < 3; ++k) form.way[i][k] = float((after[i][k] - before[i][k]) / seconds);
          c.surround({&form.way[0][0], 16});
        }
        return c.emit(form, {c.place(PatternSpace::World), c.amount(p, "fast"), c.input(p, "low"), c.input(p, "high")});
      },
      PatternGroup::Place};
}

} // namespace ilumbra
