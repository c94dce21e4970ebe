#include "core/pattern/coordinates.h"

namespace ilumbra {
namespace {

// 0 where the surface faces the viewer, 1 at its rim.
enum class By { Angle, Cosine };

using namespace numbers;

struct Incidence {
  static constexpr bool looks = true;
  By by;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>& at) const {
    const T cosine = clamp01(at.incidence),
            rim = by == By::Cosine ? T(1.0f) - cosine : clamp01(acos(cosine) / T(0.5f * pi));
    return ilumbra::between(in[0], in[1], pow(rim, max(in[2].x, T(1e-3f))));
  }
};

} // namespace

PatternKind incidencePattern() {
  return {{.id = "pattern.incidence",
           .label = "Incidence",
           .helpText = "By the angle at which the surface is seen: from what faces the viewer to the rim.",
           .params = {choice("by", "Runs by", {"angle", "cosine"}).help("Evenly by the angle, or by its cosine"),
                      number("power", "Power", "", 1)
                          .soft(0.1, 8)
                          .range(0.001, 100)
                          .log()
                          .patterned()
                          .matters()
                          .help("More than 1 draws it to the rim"),
                      color("facing", "Facing", {0, 0, 0})
                          .soft(0, 1)
                          .patterned()
                          .matters()
                          .help("Where the surface faces the viewer"),
                      color("rim", "Rim", {1, 1, 1}).soft(0, 1).patterned().matters().help("Where it is seen edge-on")},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            return c.emit(Incidence{choiceOf<By>(p, "by")},
                          {c.input(p, "facing"), c.input(p, "rim"), c.amount(p, "power")});
          },
          PatternGroup::Place};
}

} // namespace ilumbra
