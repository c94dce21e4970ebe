#include "core/base/hash.h"
#include "core/pattern/shape.h"

namespace ilumbra {
namespace {

// Inputs: the place, width, height, joint, edge, shift, variety, joint's colour, brick's, another brick's.
struct Bricks {
  uint32_t seed;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    using namespace numbers;
    const T width = max(in[1].x, T(1e-6f)), height = max(in[2].x, T(1e-6f)), joint = max(in[3].x, T(0.0f));
    const T rows = in[0].y / height, row = floor(rows), columns = in[0].x / width + row * in[5].x,
            column = floor(columns);
    const T besideJoint =
                min((T(0.5f) - abs(fract(columns) - T(0.5f))) * width, (T(0.5f) - abs(fract(rows) - T(0.5f))) * height),
            brick = edged(besideJoint - joint * T(0.5f), in[4].x, in[0].w),
            share = max(T(0.0f), (T(1.0f) - joint / width) * (T(1.0f) - joint / height));
    const T which = clamp01(T(0.5f) + (cellRandom(column, row, T(0.0f), seed) - T(0.5f)) * in[6].x) *
                    choose(in[6].x <= T(0.0f), T(0.0f), T(1.0f));
    return ilumbra::between(in[7], ilumbra::between(in[8], in[9], which),
                            unlessFine(brick, share, in[0].w, min(width, height)));
  }
};

// A place as the sides of a body have it: along the one of six that the surface faces most. Input: the place.
struct SidePlace {
  PatternSpace space;
  static constexpr bool looks = true;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>& at) const {
    using namespace numbers;
    const Imath::Vec3<T>& n = space == PatternSpace::World ? at.facing : at.normal;
    const Imath::Vec3<T> p = placeOf(in[0]);
    const T ax = abs(n.x), ay = abs(n.y), az = abs(n.z), zero(0.0f);
    const T u = choose(max(ay, az) < ax, choose(n.x < zero, p.z, zero - p.z),
                       choose(max(ax, az) < ay, p.x, choose(n.z < zero, zero - p.x, p.x))),
            v = choose(max(ax, az) < ay, choose(n.y < zero, p.z, zero - p.z), p.y);
    return {u, v, zero, in[0].w};
  }
};

int sidePlace(const Params& p, PatternCompiler& c) {
  const PatternSpace space = spaceOf(p);
  const int place = c.place(space);
  const bool onBody = space == PatternSpace::Object || space == PatternSpace::World;
  return onBody && p.flag("around") ? c.emit(SidePlace{space}, {place}) : place;
}

} // namespace

PatternKind bricksPattern() {
  return {
      {.id = "pattern.bricks",
       .label = "Bricks",
       .helpText = "Bricks, tiles or boards in rows, each a little different from the next.",
       .params = join({{spaceParam(1),
                        flag("around", "Around the body", true)
                            .matters()
                            .help("In the object or the world: on each side as it faces; off: in the plane of x and y, "
                                  "straight through"),
                        number("width", "Width", "m", 0.24)
                            .soft(0.01, 2)
                            .range(1e-6, 1e6)
                            .log()
                            .patterned()
                            .matters()
                            .help("Of a brick and its joint, along x"),
                        number("height", "Height", "m", 0.08)
                            .soft(0.01, 2)
                            .range(1e-6, 1e6)
                            .log()
                            .patterned()
                            .matters()
                            .help("Of a row and its joint, along y"),
                        number("joint", "Joint", "m", 0.01)
                            .soft(0, 0.1)
                            .range(0, 1e6)
                            .patterned()
                            .matters()
                            .help("Width of the gap between two"),
                        edgeParam(0.003),
                        number("shift", "Row shift", "%", 0.5)
                            .range(-1, 1)
                            .matters()
                            .help("How far each row is moved against the one below; 0: tiles in columns"),
                        number("variety", "Variety", "%", 1)
                            .range(0, 1)
                            .patterned()
                            .matters()
                            .help("How far bricks go over into the other colour, each by its own chance"),
                        integer("seed", "Seed", 1).soft(0, 100).range(0, 1e9).help("Each number deals the bricks anew"),
                        color("low", "Joint's", {0.1, 0.1, 0.1}).soft(0, 1).patterned().matters().help("In the joints"),
                        color("high", "Bricks", {0.9, 0.9, 0.9}).soft(0, 1).patterned().matters().help("Most bricks"),
                        color("other", "Other bricks", {0.6, 0.6, 0.6})
                            .soft(0, 1)
                            .patterned()
                            .matters()
                            .help("What bricks vary towards")}}),
       .existence = Invalidation::Shading},
      [](const Params& p, PatternCompiler& c) {
        return c.emit(Bricks{mixBits(uint32_t(p.number("seed")))},
                      {sidePlace(p, c), c.amount(p, "width"), c.amount(p, "height"), c.amount(p, "joint"),
                       c.amount(p, "edge"), c.amount(p, "shift"), c.amount(p, "variety"), c.input(p, "low"),
                       c.input(p, "high"), c.input(p, "other")});
      }};
}

} // namespace ilumbra
