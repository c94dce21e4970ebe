// How thick a body is where light would go in: thin ears and leaves that glow through, deep wax that stays dark.
#include "core/pattern/body.h"
#include "core/pattern/coordinates.h"

namespace ilumbra {
namespace {

enum class ThicknessBy { AllAround, StraightIn };

// Inputs: the depth that counts as thick, thin, thick.
struct Thickness {
  static constexpr bool looks = true;
  static constexpr size_t inputs = 3;
  ThicknessBy by;
  bool metres;

  Sample4 one(const InputsOf<float>& in, const PatternPoint& at) const {
    const float thick = std::max(in[0].x, 1e-6f), within = metres ? mostMetres : thick;
    float sum = 0, weight = 0;
    if (at.body) {
      const V3f in1 = -at.normal;
      const V3f x = normalize(std::abs(in1.x) < 0.5f ? cross(in1, V3f(1, 0, 0)) : cross(in1, V3f(0, 1, 0))),
                y = cross(in1, x);
      const auto look = [&](float across, float angle) {
        const float ahead = std::sqrt(1 - across * across);
        const V3f d = in1 * ahead + (x * std::cos(angle) + y * std::sin(angle)) * across;
        sum += ahead * at.body->chord(at.position, d, within);
        weight += ahead;
      };
      look(0, 0);
      // And six ways on a cone of 45 degrees, by their cosines, as light would spread.
      if (by == ThicknessBy::AllAround)
        for (int k = 0; k < 6; ++k) look(0.70711f, float(k) * pi / 3);
    }
    const float depth = weight > 0 ? sum / weight : within;
    return metres ? spread(depth) : ilumbra::between(in[1], in[2], clamp01(depth / thick));
  }
  Bounds4 operator()(const InputsOf<Interval>& in, const PointOf<Interval>&) const {
    return metres ? spread(Interval(0, mostMetres)) : ilumbra::between(in[1], in[2], Interval(0, 1));
  }

 private:
  static constexpr float mostMetres = 1e4f;
};

} // namespace

PatternKind thicknessPattern() {
  return {{.id = "pattern.thickness",
           .label = "Thickness",
           .helpText =
               "How far light that goes in has to the other side: thin edges that glow through, thick middles that "
               "stay deep. Measured at each place by seven rays within the body, or by one.",
           .params = {choice("by", "Measured", {"all around", "straight in"})
                          .matters()
                          .help("The mean of seven ways into the body, or the one straight in, which is quicker"),
                      choice("gives", "Gives", {"colours", "metres"})
                          .matters()
                          .help("From the thin colour to the thick one; or the number of metres"),
                      number("depth", "Thick is", "m", 0.1)
                          .soft(0.005, 1)
                          .range(1e-6, 1e4)
                          .log()
                          .patterned()
                          .when("gives", "colours")
                          .matters()
                          .help("From here on it is thick, in the object's own space"),
                      color("low", "Thin", {1, 1, 1})
                          .soft(0, 1)
                          .patterned()
                          .when("gives", "colours")
                          .matters()
                          .help("Where there is hardly any body"),
                      color("high", "Thick", {0, 0, 0})
                          .soft(0, 1)
                          .patterned()
                          .when("gives", "colours")
                          .matters()
                          .help("Where it is as thick as that, or more")},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            return c.emit(Thickness{choiceOf<ThicknessBy>(p, "by"), p.text("gives") == "metres"},
                          {c.amount(p, "depth"), c.input(p, "low"), c.input(p, "high")});
          },
          PatternGroup::Place};
}

} // namespace ilumbra
