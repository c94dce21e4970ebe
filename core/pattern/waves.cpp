#include "core/pattern/shape.h"

namespace ilumbra {
namespace {

enum class WaveForm { Straight, Rings, Balls };
enum class Profile { Sine, Triangle, Saw };

// Inputs: the place, length, phase, push, low, high.
struct Waves {
  WaveForm form;
  Profile profile;
  int axis; // along which straight ones run, or about which rings lie
  float run;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    using namespace numbers;
    const T length = max(in[1].x, T(1e-6f));
    T way = in[0][axis];
    if (form != WaveForm::Straight) {
      const T a = square(in[0][(axis + 1) % 3]) + square(in[0][(axis + 2) % 3]);
      way = sqrt(form == WaveForm::Rings ? a : a + square(in[0][axis]));
    }
    const T t = (way + in[3].x) / length + in[2].x * T(1 / 360.0f) - T(run);
    T v(0.0f);
    switch (profile) {
    case Profile::Sine:
      v = T(0.5f) - T(0.5f) * cos(fract(t) * T(2 * pi));
      break;
    case Profile::Triangle:
      v = T(1.0f) - abs(fract(t) * T(2.0f) - T(1.0f));
      break;
    case Profile::Saw:
      v = fract(t);
      break;
    }
    return ilumbra::between(in[4], in[5], unlessFine(v, T(0.5f), in[0].w, length));
  }
};

} // namespace

PatternKind wavesPattern() {
  return {
      {.id = "pattern.waves",
       .label = "Waves",
       .helpText = "Waves that run straight, out in rings about an axis, or out from a point in balls.",
       .params = join(
           {{choice("form", "Form", {"straight", "rings", "balls"})
                 .matters()
                 .help("Along an axis, out from it, or out from the middle"),
             choice("profile", "Profile", {"sine", "triangle", "saw"}).matters().help("How each wave rises and falls"),
             spaceParam(1),
             choice("axis", "Axis", {"y", "x", "z"})
                 .when("form", "straight|rings")
                 .help("Along which they run, or about which the rings lie"),
             number("length", "Length", "m", 0.2)
                 .soft(0.005, 2)
                 .range(1e-6, 1e6)
                 .log()
                 .patterned()
                 .matters()
                 .help("From one crest to the next"),
             number("phase", "Phase", "°", 0)
                 .soft(-180, 180)
                 .patterned()
                 .help("Where a wave begins; a whole one is 360°"),
             number("push", "Pushed", "m", 0)
                 .soft(-0.5, 0.5)
                 .range(-1e6, 1e6)
                 .patterned()
                 .matters()
                 .help("Moves them on; by a pattern it bends them: wood, marble, agate")},
            shapeColors("In the troughs", "On the crests"),
            runParams("Run", "1/s", "How many waves go by in a second")}),
       .existence = Invalidation::Shading,
       .changesByTime = runs},
      [](const Params& p, PatternCompiler& c) {
        const std::string axis = p.text("axis");
        return c.emit(
            Waves{choiceOf<WaveForm>(p, "form"), choiceOf<Profile>(p, "profile"), axisOf(p, "axis"), runOf(p, c)},
            {c.place(spaceOf(p)), c.amount(p, "length"), c.amount(p, "phase"), c.amount(p, "push"), c.input(p, "low"),
             c.input(p, "high")});
      }};
}

} // namespace ilumbra
