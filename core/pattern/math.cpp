#include "core/pattern/coordinates.h"

namespace ilumbra {
namespace {

using namespace numbers;

enum class Doing {
  Add,
  Subtract,
  Multiply,
  Divide,
  Power,
  Least,
  Most,
  Remainder,
  Difference,
  Over,
  Absolute,
  Root,
  Sine,
  Whole,
  Sign
};
const std::vector<std::string> doings = {"add",       "subtract",  "multiply",  "divide",     "power",
                                         "least",     "most",      "remainder", "difference", "1 where a is over b",
                                         "size of a", "root of a", "sine of a", "whole of a", "sign of a"};

template <class T> T done(Doing what, const T& a, const T& b) {
  switch (what) {
  case Doing::Add:
    return a + b;
  case Doing::Subtract:
    return a - b;
  case Doing::Multiply:
    return a * b;
  case Doing::Divide: // by 0: 0
    return choose(abs(b) <= T(0.0f), T(0.0f), a / b);
  case Doing::Power: // of what is below 0: of 0
    return pow(max(a, T(0.0f)), b);
  case Doing::Least:
    return min(a, b);
  case Doing::Most:
    return max(a, b);
  case Doing::Remainder: { // from 0 up to b
    const T q = choose(abs(b) <= T(0.0f), T(0.0f), a / b);
    return choose(abs(b) <= T(0.0f), T(0.0f), fract(q) * b);
  }
  case Doing::Difference:
    return abs(a - b);
  case Doing::Over:
    return choose(b < a, T(1.0f), T(0.0f));
  case Doing::Absolute:
    return abs(a);
  case Doing::Root: // of what is below 0: 0
    return sqrt(max(a, T(0.0f)));
  case Doing::Sine: // a turn is 1
    return sin(fract(a) * T(2 * pi));
  case Doing::Whole:
    return floor(a);
  case Doing::Sign:
    return choose(a < T(0.0f), T(-1.0f), choose(T(0.0f) < a, T(1.0f), T(0.0f)));
  }
  return a;
}

// Inputs: a, b, c.
struct Arithmetic {
  Doing what;
  bool cut;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    ValuesOf<T> out = in[0];
    for (int k = 0; k < 3; ++k) {
      out[k] = done(what, in[0][k], in[1][k]) + in[2][k];
      if (cut) out[k] = clamp01(out[k]);
    }
    return out;
  }
};

// Inputs: the value, the number of steps, how soft they are.
struct Steps {
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    ValuesOf<T> out = in[0];
    const T n = max(in[1].x, T(1.0f)), soft = clamp01(in[2].x);
    for (int k = 0; k < 3; ++k) {
      const T t = in[0][k] * n, step = floor(t), within = fract(t);
      // The passage lies about the end of a step.
      const T passed = choose(soft <= T(0.0f), T(0.0f), smooth((within - T(1.0f)) / max(soft, T(1e-6f)) + T(1.0f)));
      out[k] = choose(n <= T(1.0f), in[0][k], (step + passed) / max(n - T(1.0f), T(1e-6f)));
    }
    return out;
  }
};

} // namespace

PatternKind mathPattern() {
  return {
      {.id = "pattern.math",
       .label = "Math",
       .helpText = "One calculation with two values, channel by channel.",
       .params =
           {choice("does", "Does", doings)
                .matters()
                .help("What is done with a and b; by 0 nothing is divided: that is 0"),
            color("a", "a", {0.5, 0.5, 0.5}).soft(0, 1).range(-1e6, 1e6).patterned().matters().help("The first value"),
            color("b", "b", {0.5, 0.5, 0.5}).soft(0, 1).range(-1e6, 1e6).patterned().matters().help("The second value"),
            color("then_add", "Then add", {0, 0, 0})
                .soft(-1, 1)
                .range(-1e6, 1e6)
                .patterned()
                .help("Added to the result"),
            flag("cut", "Cut at 0 and 1", false).fixed().help("Nothing goes beyond them")},
       .existence = Invalidation::Shading},
      [](const Params& p, PatternCompiler& c) {
        return c.emit(Arithmetic{choiceOf<Doing>(p, "does"), p.flag("cut")},
                      {c.input(p, "a"), c.input(p, "b"), c.input(p, "then_add")});
      },
      PatternGroup::Operation,
      {},
      true};
}

PatternKind stepsPattern() {
  return {
      {.id = "pattern.steps",
       .label = "Steps",
       .helpText = "Another pattern in a few even steps: contour bands, poster colours.",
       .params = {color("value", "Pattern", {0.5, 0.5, 0.5}).soft(0, 1).patterned().matters().help("What is stepped"),
                  number("steps", "Steps", "", 4)
                      .soft(2, 16)
                      .range(1, 1e4)
                      .patterned()
                      .matters()
                      .help("From 0 to 1; 1: none"),
                  number("soft", "Soft", "%", 0)
                      .range(0, 1)
                      .patterned()
                      .matters()
                      .help("How much of a step passes over into the next")},
       .existence = Invalidation::Shading},
      [](const Params& p, PatternCompiler& c) {
        return c.emit(Steps{}, {c.input(p, "value"), c.amount(p, "steps"), c.amount(p, "soft")});
      },
      PatternGroup::Operation,
      {},
      true};
}

} // namespace ilumbra
