// Another pattern, laid elsewhere: turned and scaled, repeated, mirrored.
#include "core/pattern/shape.h"

namespace ilumbra {
namespace {

using namespace numbers;

// Inputs: the place, shift, scale. Row vectors: p' = p · turn.
struct Turned {
  M44f turn; // the other way around: what lies there comes here
  V3f middle;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    ValuesOf<T> out = in[0];
    T d[3];
    for (int k = 0; k < 3; ++k) d[k] = in[0][k] - T(middle[k]) - in[1][k];
    for (int k = 0; k < 3; ++k)
      out[k] =
          (d[0] * T(turn[0][k]) + d[1] * T(turn[1][k]) + d[2] * T(turn[2][k])) / max(in[2].x, T(1e-6f)) + T(middle[k]);
    out.w = in[0].w / max(in[2].x, T(1e-6f));
    return out;
  }
};

// Inputs: the place, the pitch along each axis.
struct Repeated {
  bool mirrored;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    ValuesOf<T> out = in[0];
    for (int k = 0; k < 3; ++k) {
      const T pitch = max(in[1][k], T(1e-6f)), t = in[0][k] / pitch + T(0.5f), cell = floor(t);
      T within = fract(t) - T(0.5f);
      // Every other one the other way around: those with a half left over.
      const T half = cell * T(0.5f), left = half - floor(half + T(0.25f));
      if (mirrored) within = choose(left < T(0.25f), within, -within);
      out[k] = choose(in[1][k] <= T(0.0f), in[0][k], within * pitch);
    }
    return out;
  }
};

// Inputs: the place, where the mirror stands.
struct Mirrored {
  int axis;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    ValuesOf<T> out = in[0];
    out[axis] = in[1].x + abs(in[0][axis] - in[1].x);
    return out;
  }
};

ParamDef valueParam() {
  return color("value", "Pattern", {0.5, 0.5, 0.5}).soft(0, 1).patterned().matters().help("What is laid elsewhere");
}

} // namespace

PatternKind turnPattern() {
  return {{.id = "pattern.turn",
           .label = "Turn and scale",
           .helpText = "Another pattern, turned, scaled and moved within its space.",
           .params = {valueParam(), spaceParam(1),
                      vector("turn", "Turn", "°", {0, 0, 0})
                          .soft(-180, 180)
                          .matters()
                          .help("About each axis in turn; in textures and pictures about z"),
                      number("scale", "Scale", "×", 1)
                          .soft(0.05, 20)
                          .range(1e-6, 1e6)
                          .log()
                          .patterned()
                          .matters()
                          .help("More than 1 makes it larger"),
                      vector("shift", "Shift", "m", {0, 0, 0}).soft(-1, 1).matters().help("Moves it along each axis"),
                      vector("middle", "About", "m", {0, 0, 0}).soft(-1, 1).help("The place that stays where it is")},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            const PatternSpace space = spaceOf(p);
            M44f turn;
            turn.rotate(triple(p, "turn") * (pi / 180));
            const V3f shift = triple(p, "shift");
            const int at = c.emit(Turned{turn.transposed(), triple(p, "middle")},
                                  {c.place(space), c.constant({shift.x, shift.y, shift.z, 1}), c.amount(p, "scale")});
            return c.moved(space, at, [&] { return c.input(p, "value"); });
          },
          PatternGroup::Operation};
}

PatternKind repeatPattern() {
  return {{.id = "pattern.repeat",
           .label = "Repeat",
           .helpText = "Another pattern over and over: what lies about the middle lies in every cell.",
           .params = {valueParam(), spaceParam(1),
                      vector("pitch", "Pitch", "m", {0.5, 0.5, 0.5})
                          .soft(0, 2)
                          .matters()
                          .help("From one to the next along each axis; 0: it does not repeat along this one"),
                      flag("mirrored", "Mirrored", false)
                          .fixed()
                          .help("Every other one the other way around, so that they meet without a seam")},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            const PatternSpace space = spaceOf(p);
            const V3f pitch = triple(p, "pitch");
            const int at =
                c.emit(Repeated{p.flag("mirrored")}, {c.place(space), c.constant({pitch.x, pitch.y, pitch.z, 1})});
            return c.moved(space, at, [&] { return c.input(p, "value"); });
          },
          PatternGroup::Operation};
}

PatternKind mirrorPattern() {
  return {{.id = "pattern.mirror",
           .label = "Mirror",
           .helpText = "Another pattern, the same on both sides of a plane.",
           .params = {valueParam(), spaceParam(1),
                      choice("axis", "Axis", {"x", "y", "z"}).matters().help("Across which the plane stands"),
                      number("at", "At", "m", 0)
                          .soft(-1, 1)
                          .range(-1e6, 1e6)
                          .patterned()
                          .matters()
                          .help("Where the plane stands on the axis")},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            const PatternSpace space = spaceOf(p);
            const int at = c.emit(Mirrored{axisOf(p, "axis")}, {c.place(space), c.amount(p, "at")});
            return c.moved(space, at, [&] { return c.input(p, "value"); });
          },
          PatternGroup::Operation};
}

} // namespace ilumbra
