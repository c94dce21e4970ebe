// What comes with a mesh: colours painted on its vertices, and a second set of texture coordinates.
#include "core/base/colorspace.h"
#include "core/pattern/body.h"
#include "core/pattern/coordinates.h"

namespace ilumbra {
namespace {

enum class PaintedGives { Colours, Red, Green, Blue, Alpha };

// Inputs: what is there where nothing is painted.
struct Painted {
  static constexpr bool looks = true;
  static constexpr size_t inputs = 1;
  PaintedGives gives;
  bool asColor;
  Sample4 one(const InputsOf<float>& in, const PatternPoint& at) const {
    V4f c;
    if (!at.body || !at.body->painted(at.position, c)) return in[0];
    if (gives != PaintedGives::Colours) return spread(c[int(gives) - 1]);
    if (!asColor) return {c.x, c.y, c.z, c.w};
    const Color w = acescgFrom709({c.x, c.y, c.z});
    return {w.x, w.y, w.z, c.w};
  }
  Bounds4 operator()(const InputsOf<Interval>& in, const PointOf<Interval>&) const {
    Bounds4 out;
    for (int k = 0; k < 4; ++k) out[k] = numbers::hull(Interval(0, 1), in[0][k]);
    return out;
  }
};

// Inputs: the texture's place. Gives the second one.
struct SecondPlace {
  static constexpr bool looks = true;
  static constexpr size_t inputs = 1;
  Sample4 one(const InputsOf<float>& in, const PatternPoint& at) const {
    V2f uv;
    if (!at.body || !at.body->secondCoordinates(at.position, uv)) return in[0];
    return {uv.x, uv.y, 0, in[0].w};
  }
  Bounds4 operator()(const InputsOf<Interval>& in, const PointOf<Interval>&) const {
    constexpr float far = 1e6f;
    return {Interval(-far, far), Interval(-far, far), Interval(0), in[0].w};
  }
};

} // namespace

PatternKind paintedPattern() {
  return {{.id = "pattern.painted",
           .label = "Painted colours",
           .helpText = "The colours that an imported mesh has painted on its vertices.",
           .params = {choice("gives", "Gives", {"colours", "red", "green", "blue", "alpha"})
                          .matters()
                          .help("All of them, or one channel as a number"),
                      color("far", "Elsewhere", {0.5, 0.5, 0.5})
                          .soft(0, 1)
                          .patterned()
                          .matters()
                          .help("On things that have none")},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            return c.emit(Painted{choiceOf<PaintedGives>(p, "gives"), c.asColor()}, {c.input(p, "far")});
          },
          PatternGroup::Place};
}

PatternKind secondCoordinatesPattern() {
  return {
      {.id = "pattern.second_coordinates",
       .label = "By second coordinates",
       .helpText = "Another pattern that lies in texture coordinates, by the second set of them that an imported "
                   "mesh has; where it has none, by the first.",
       .params = {color("value", "Pattern", {0.5, 0.5, 0.5}).soft(0, 1).patterned().matters().help("What lies there")},
       .existence = Invalidation::Shading},
      [](const Params& p, PatternCompiler& c) {
        const int place = c.emit(SecondPlace{}, {c.place(PatternSpace::Texture)});
        return c.moved(PatternSpace::Texture, place, [&] { return c.input(p, "value"); });
      },
      PatternGroup::Operation};
}

} // namespace ilumbra
