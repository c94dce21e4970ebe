// Lines and squares at even distances.
#include "core/pattern/shape.h"

namespace ilumbra {
namespace {

// Inputs: the place, pitch, line, edge, low, high.
struct Grid {
  int axes;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    using namespace numbers;
    const T pitch = max(in[1].x, T(1e-6f)), line = max(in[2].x, T(0.0f)), share = clamp01(line / pitch);
    T none = T(1.0f), mean = T(1.0f);
    for (int k = 0; k < axes; ++k) {
      // Lines lie where the coordinate is whole.
      const T away = (T(0.5f) - abs(fract(in[0][k] / pitch) - T(0.5f))) * pitch;
      none = none * (T(1.0f) - edged(line * T(0.5f) - away, in[3].x, in[0].w));
      mean = mean * (T(1.0f) - share);
    }
    return ilumbra::between(in[4], in[5], unlessFine(T(1.0f) - none, T(1.0f) - mean, in[0].w, pitch));
  }
};

// Inputs: the place, cell, edge, low, high.
struct Checker {
  int axes;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    using namespace numbers;
    const T cell = max(in[1].x, T(1e-6f)), edge = max(max(in[2].x, in[0].w), T(1e-6f));
    T sign = T(1.0f);
    for (int k = 0; k < axes; ++k) {
      // From -1 to 1 within the edge, from cell to cell.
      const T away = (abs(fract(in[0][k] / (cell * T(2.0f)) + T(0.25f)) - T(0.5f)) * T(2.0f) - T(0.5f)) * cell;
      sign = sign * clamp(away * T(2.0f) / edge, T(-1.0f), T(1.0f));
    }
    return ilumbra::between(in[3], in[4], unlessFine(T(0.5f) + T(0.5f) * sign, T(0.5f), in[0].w, cell));
  }
};

} // namespace

PatternKind gridPattern() {
  return {{.id = "pattern.grid",
           .label = "Grid",
           .helpText = "Lines that cross at even distances: graph paper, a cage, a field of a hologram.",
           .params = join({{spaceParam(1), fillsParam(),
                            number("pitch", "Pitch", "m", 0.1)
                                .soft(0.005, 1)
                                .range(1e-6, 1e6)
                                .log()
                                .patterned()
                                .matters()
                                .help("From one line to the next"),
                            number("line", "Line", "m", 0.008)
                                .soft(0, 0.1)
                                .range(0, 1e6)
                                .patterned()
                                .matters()
                                .help("Thickness of the lines"),
                            edgeParam(0.002)},
                           shapeColors("Between the lines", "In the lines")}),
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            return c.emit(Grid{filledAxes(p)}, {c.place(spaceOf(p)), c.amount(p, "pitch"), c.amount(p, "line"),
                                                c.amount(p, "edge"), c.input(p, "low"), c.input(p, "high")});
          }};
}

PatternKind checkerPattern() {
  return {{.id = "pattern.checker",
           .label = "Checker",
           .helpText = "Squares or cubes by turns: a tiled floor, a board.",
           .params = join({{spaceParam(1), fillsParam(),
                            number("cell", "Cell", "m", 0.1)
                                .soft(0.005, 1)
                                .range(1e-6, 1e6)
                                .log()
                                .patterned()
                                .matters()
                                .help("Side of a square"),
                            edgeParam(0.001)},
                           shapeColors("One half of the squares", "The other half")}),
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            return c.emit(Checker{filledAxes(p)}, {c.place(spaceOf(p)), c.amount(p, "cell"), c.amount(p, "edge"),
                                                   c.input(p, "low"), c.input(p, "high")});
          }};
}

} // namespace ilumbra
