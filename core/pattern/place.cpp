// What a place itself says: where it is, which way it faces, how far it is from the camera; and chance and time.
#include "core/base/hash.h"
#include "core/pattern/body.h"
#include "core/pattern/shape.h"

namespace ilumbra {
namespace {

using namespace numbers;

// Inputs: the place, the scale.
struct Coordinates {
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    const T s = max(in[1].x, T(1e-6f));
    return {in[0].x / s, in[0].y / s, in[0].z / s, T(1.0f)};
  }
};

enum class NormalGives { Up, Direction };
// Inputs: low, high.
struct NormalOf {
  static constexpr bool looks = true;
  NormalGives gives;
  int axis;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>& at) const {
    const auto half = [](const T& x) { return clamp01(T(0.5f) + T(0.5f) * x); };
    if (gives == NormalGives::Direction) return {half(at.normal.x), half(at.normal.y), half(at.normal.z), T(1.0f)};
    return ilumbra::between(in[0], in[1], half(at.normal[axis]));
  }
};

// Inputs: near, far, the colours there.
struct Depth {
  static constexpr bool looks = true;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>& at) const {
    const T from = in[0].x, to = max(in[1].x, from + T(1e-5f));
    return ilumbra::between(in[2], in[3], clamp01((at.screen.z - from) / (to - from)));
  }
};

// Inputs: low, high.
enum class ChanceOf { Object, Copy, Piece };
struct Chance {
  static constexpr bool looks = true;
  uint32_t seed;
  ChanceOf of;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>& at) const {
    const T own = floor((of == ChanceOf::Object ? at.random : at.copyRandom) * T(16777216.0f));
    return ilumbra::between(in[0], in[1], cellRandom(own, piece(at), T(0.0f), seed));
  }
  // Within a body it is one number.
  Bounds4 operator()(const InputsOf<Interval>& in, const PointOf<Interval>& at) const {
    const Interval& r = of == ChanceOf::Object ? at.random : at.copyRandom;
    if (!r.one() || of == ChanceOf::Piece) return ilumbra::between(in[0], in[1], Interval(0, 1));
    return ilumbra::between(in[0], in[1],
                            cellRandom(Interval(std::floor(r.low * 16777216.0f)), Interval(0), Interval(0), seed));
  }

 private:
  // Pieces are counted from 1: a body that is whole is as one of its own.
  float piece(const PatternPoint& at) const {
    return of == ChanceOf::Piece && at.body ? 1 + float(at.body->piece(at.position)) : 0;
  }
  Slope piece(const PointOf<Slope>& at) const { return piece(stepped(at, -1, 0)); }
  Lanes piece(const PointOf<Lanes>& at) const {
    Lanes out(0.0f);
    if (of == ChanceOf::Piece && at.body)
      for (int lane = 0; lane < Lanes::count; ++lane) out.set(lane, piece(laneOf(at, lane)));
    return out;
  }
};

} // namespace

PatternKind coordinatesPattern() {
  return {{.id = "pattern.coordinates",
           .label = "Coordinates",
           .helpText = "The place itself as a colour: x in red, y in green, z in blue. For formulas and for pushing.",
           .params = {spaceParam(1), number("scale", "One is", "m", 1)
                                         .soft(0.01, 10)
                                         .range(1e-6, 1e6)
                                         .log()
                                         .patterned()
                                         .matters()
                                         .help("The distance from the middle that comes out as 1")},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            return c.emit(Coordinates{}, {c.place(spaceOf(p)), c.amount(p, "scale")});
          },
          PatternGroup::Place};
}

PatternKind normalPattern() {
  return {{.id = "pattern.normal",
           .label = "Facing",
           .helpText = "Which way the surface faces: snow and dust on what looks up, moss on one side.",
           .params = join(
               {{choice("gives", "Gives", {"colours", "direction"})
                     .matters()
                     .help("From what faces away from the axis to what faces along it; or the direction itself, 0 to 1 "
                           "in each channel"),
                 choice("axis", "Axis", {"y", "x", "z"})
                     .when("gives", "colours")
                     .matters()
                     .help("Of the object's own space; y is up")},
                {color("low", "Away", {0, 0, 0})
                     .soft(0, 1)
                     .patterned()
                     .when("gives", "colours")
                     .matters()
                     .help("Where it faces the other way"),
                 color("high", "Along", {1, 1, 1})
                     .soft(0, 1)
                     .patterned()
                     .when("gives", "colours")
                     .matters()
                     .help("Where it faces along the axis")}}),
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            return c.emit(NormalOf{choiceOf<NormalGives>(p, "gives"), axisOf(p, "axis")},
                          {c.input(p, "low"), c.input(p, "high")});
          },
          PatternGroup::Place};
}

PatternKind depthPattern() {
  return {
      {.id = "pattern.depth",
       .label = "Depth",
       .helpText = "How far the place is from the camera: what fades or turns another colour with the distance.",
       .params =
           {number("near", "Near", "m", 1)
                .soft(0, 20)
                .range(0, 1e6)
                .patterned()
                .matters()
                .help("Up to here it is near"),
            number("far", "Far", "m", 10)
                .soft(0, 50)
                .range(0, 1e6)
                .patterned()
                .matters()
                .help("From here on it is far"),
            color("low", "Near colour", {1, 1, 1}).soft(0, 1).patterned().matters().help("Up to the near distance"),
            color("high", "Far colour", {0, 0, 0}).soft(0, 1).patterned().matters().help("From the far distance on")},
       .existence = Invalidation::Shading},
      [](const Params& p, PatternCompiler& c) {
        return c.emit(Depth{}, {c.amount(p, "near"), c.amount(p, "far"), c.input(p, "low"), c.input(p, "high")});
      },
      PatternGroup::Place};
}

PatternKind chancePattern() {
  return {
      {.id = "pattern.chance",
       .label = "Chance",
       .helpText = "One value for each object, each copy or each piece, by chance: no two alike.",
       .params = join({{choice("of", "For each", {"object", "copy", "piece"})
                            .matters()
                            .help("Object of the list; copy that an arrangement makes of it; or part of it that hangs "
                                  "together, as a burst leaves them"),
                        integer("seed", "Seed", 1).soft(0, 100).range(0, 1e9).matters().help("Each number deals anew")},
                       {color("low", "From", {0, 0, 0}).soft(0, 1).patterned().matters().help("One end"),
                        color("high", "To", {1, 1, 1}).soft(0, 1).patterned().matters().help("The other end")}}),
       .existence = Invalidation::Shading},
      [](const Params& p, PatternCompiler& c) {
        return c.emit(Chance{mixBits(uint32_t(p.number("seed"))), choiceOf<ChanceOf>(p, "of")},
                      {c.input(p, "low"), c.input(p, "high")});
      },
      PatternGroup::Place};
}

PatternKind timePattern() {
  return {
      {.id = "pattern.time",
       .label = "Time",
       .helpText = "A number that goes on with the frames: the same everywhere, another at each frame.",
       .params =
           {choice("gives", "Gives", {"seconds", "share of frames", "a wave"})
                .matters()
                .help("Seconds from frame 0; 0 to 1 from one frame to another; or back and forth between 0 and 1"),
            number("period", "Period", "s", 2)
                .soft(0.1, 20)
                .range(1e-3, 1e6)
                .when("gives", "a wave")
                .matters()
                .help("From one crest to the next"),
            number("first", "First frame", "", 1).soft(1, 250).when("gives", "share of frames").help("Where it is 0"),
            number("last", "Last frame", "", 120)
                .soft(1, 250)
                .when("gives", "share of frames")
                .matters()
                .help("Where it is 1"),
            number("offset", "Offset", "s", 0).soft(-10, 10).help("Moves it on in time"),
            number("scale", "Times", "×", 1).soft(0, 10).matters().help("What it is multiplied with")},
       .existence = Invalidation::Shading,
       .changesByTime = [](const Params&) { return true; }},
      [](const Params& p, PatternCompiler& c) {
        const double rate = std::max(1e-3, c.rate()), seconds = c.frame() / rate + p.number("offset");
        double v = seconds;
        if (p.text("gives") == "a wave") {
          v = 0.5 - 0.5 * std::cos(2 * M_PI * seconds / std::max(1e-3, p.number("period")));
        } else if (p.text("gives") == "share of frames") {
          const double first = p.number("first"), last = p.number("last");
          v = last > first ? std::clamp((seconds * rate - first) / (last - first), 0.0, 1.0) : 0;
        }
        const auto x = float(v * p.number("scale"));
        return c.constant({x, x, x, 1});
      },
      PatternGroup::Place,
      {},
      true};
}

} // namespace ilumbra
