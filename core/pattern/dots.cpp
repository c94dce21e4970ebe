// Dots, and cells with their borders: what lies about strewn or even points.
#include "core/base/hash.h"
#include "core/pattern/shape.h"

namespace ilumbra {
namespace {

struct Dots {
  int axes; // 2: dots in a plane, 3: balls
  bool staggered;
  uint32_t seed;

  // Metres to the nearest dot's edge, below 0 inside. Only the dots of the cells around are looked at: none reaches
  // further.
  template <class T>
  T distance(const Imath::Vec3<T>& p, const T& pitch, const T& radius, const T& strewn, const T& variety) const {
    using namespace numbers;
    T least = pitch * T(2.0f);
    const T x = p.x / pitch, y = p.y / pitch, z = p.z / pitch;
    for (int dz = axes == 3 ? -1 : 0; dz <= (axes == 3 ? 1 : 0); ++dz)
      for (int dy = -1; dy <= 1; ++dy) {
        const T cy = floor(y) + T(float(dy)), cz = axes == 3 ? floor(z) + T(float(dz)) : T(0.0f);
        // Every other row lies half a pitch aside.
        const T aside = staggered ? fract((cy + cz) * T(0.5f)) : T(0.0f);
        for (int dx = -1; dx <= 1; ++dx) {
          const T cx = floor(x - aside) + T(float(dx));
          const T own = cellRandom(cx, cy, cz, seed);
          const T ox = (cellRandom(cx, cy, cz, seed + 1u) - T(0.5f)) * strewn,
                  oy = (cellRandom(cx, cy, cz, seed + 2u) - T(0.5f)) * strewn,
                  oz = (cellRandom(cx, cy, cz, seed + 3u) - T(0.5f)) * strewn;
          const T ax = x - aside - cx - T(0.5f) - ox, ay = y - cy - T(0.5f) - oy,
                  az = axes == 3 ? z - cz - T(0.5f) - oz : T(0.0f);
          const T r = min(radius, pitch) * (T(1.0f) - own * variety);
          least = min(least, sqrt(square(ax) + square(ay) + square(az)) * pitch - r);
        }
      }
    return least;
  }
  // Inputs: the place, pitch, radius, strewn, variety, edge, low, high.
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    const T pitch = numbers::max(in[1].x, T(1e-6f));
    const T d = distance(placeOf(in[0]), pitch, in[2].x, numbers::clamp01(in[3].x), numbers::clamp01(in[4].x));
    return coloured(in, d, pitch);
  }
  Bounds4 operator()(const InputsOf<Interval>& in, const PointOf<Interval>&) const {
    const Interval pitch = numbers::max(in[1].x, 1e-6f);
    Interval d(-pitch.high, 2 * pitch.high);
    if (pitch.one() && in[2].x.one() && in[3].x.one() && in[4].x.one()) {
      Bounds4 place = in[0];
      if (axes == 2) place.z = 0.0f;
      const float at = distance(middleOf(place), pitch.low, in[2].x.low, clamp01(in[3].x.low), clamp01(in[4].x.low)),
                  reach = halfDiagonal(place) + 1e-5f;
      // No distance changes faster than the place. Dots that are not looked at are further than this: what is less is
      // the distance to the nearest of all.
      const float sure = pitch.low - std::min(in[2].x.low, pitch.low);
      d = {std::min(at, sure) - reach, at + reach <= sure ? at + reach : 2 * pitch.high};
    }
    return coloured(in, d, pitch);
  }

 private:
  template <class T> ValuesOf<T> coloured(const InputsOf<T>& in, const T& d, const T& pitch) const {
    using namespace numbers;
    const T r = in[2].x / pitch, mean = axes == 2 ? T(pi) * square(r) : T(4 * pi / 3) * square(r) * r;
    return ilumbra::between(in[6], in[7], unlessFine(edged(-d, in[5].x, in[0].w), clamp01(mean), in[0].w, pitch));
  }
};

enum class CellGives { Border, Distance, Own };

// Voronoi cells about strewn points (Worley 1996).
struct Cells {
  int axes;
  CellGives gives;
  uint32_t seed;
  template <class T> struct Near {
    T first, second, own; // metres to the nearest two points, and the nearest one's own number
  };
  template <class T> Near<T> near(const Imath::Vec3<T>& p, const T& pitch, const T& strewn) const {
    using namespace numbers;
    Near<T> n{pitch * T(4.0f), pitch * T(4.0f), T(0.0f)};
    const T x = p.x / pitch, y = p.y / pitch, z = p.z / pitch;
    for (int dz = axes == 3 ? -1 : 0; dz <= (axes == 3 ? 1 : 0); ++dz)
      for (int dy = -1; dy <= 1; ++dy)
        for (int dx = -1; dx <= 1; ++dx) {
          const T cx = floor(x) + T(float(dx)), cy = floor(y) + T(float(dy)),
                  cz = axes == 3 ? floor(z) + T(float(dz)) : T(0.0f);
          const auto off = [&](uint32_t k) { return T(0.5f) + (cellRandom(cx, cy, cz, seed + k) - T(0.5f)) * strewn; };
          const T ax = cx + off(1) - x, ay = cy + off(2) - y, az = axes == 3 ? cz + off(3) - z : T(0.0f);
          const T d = sqrt(square(ax) + square(ay) + square(az)) * pitch;
          const auto nearer = d < n.first;
          n.own = choose(nearer, cellRandom(cx, cy, cz, seed), n.own);
          n.second = choose(nearer, n.first, min(n.second, d));
          n.first = min(n.first, d);
        }
    return n;
  }
  // Inputs: the place, pitch, strewn, border, edge, low, high.
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    const T pitch = numbers::max(in[1].x, T(1e-6f));
    return coloured(in, near(placeOf(in[0]), pitch, numbers::clamp01(in[2].x)), pitch);
  }
  Bounds4 operator()(const InputsOf<Interval>& in, const PointOf<Interval>&) const {
    const Interval pitch = numbers::max(in[1].x, 1e-6f);
    const Interval all(0, 4 * pitch.high);
    Near<Interval> n{all, all, {0, 1}};
    if (pitch.one() && in[2].x.one()) {
      Bounds4 place = in[0];
      if (axes == 2) place.z = 0.0f;
      const Near<float> at = near(middleOf(place), pitch.low, clamp01(in[2].x.low));
      const float reach = halfDiagonal(place) + 1e-5f;
      // No way to a point changes faster than the place. Points that are not looked at are further than a pitch: what
      // is less is the way to the nearest of all.
      const auto bounds = [&](float way) {
        return Interval(std::max(0.0f, std::min(way, pitch.low) - reach),
                        way + reach <= pitch.low ? way + reach : 4 * pitch.high);
      };
      n.first = bounds(at.first);
      n.second = bounds(at.second);
      if (at.second - at.first > 2 * reach && at.first + reach <= pitch.low) n.own = at.own;
    }
    return coloured(in, n, pitch);
  }

 private:
  template <class T> ValuesOf<T> coloured(const InputsOf<T>& in, const Near<T>& n, const T& pitch) const {
    using namespace numbers;
    if (gives == CellGives::Own) return ilumbra::between(in[5], in[6], n.own);
    if (gives == CellGives::Distance) return ilumbra::between(in[5], in[6], clamp01(n.first / pitch));
    const T toBorder = max(T(0.0f), (n.second - n.first) * T(0.5f));
    return ilumbra::between(in[5], in[6],
                            unlessFine(edged(in[3].x * T(0.5f) - toBorder, in[4].x, in[0].w), T(0.2f), in[0].w, pitch));
  }
};

} // namespace

PatternKind dotsPattern() {
  return {{.id = "pattern.dots",
           .label = "Dots",
           .helpText = "Round dots or balls at even places or strewn: a screen, stars, bubbles, rivets.",
           .params = join(
               {{spaceParam(1), fillsParam(),
                 choice("rows", "Rows", {"staggered", "straight"}).help("Every other row half a pitch aside, or not"),
                 number("pitch", "Pitch", "m", 0.1)
                     .soft(0.005, 1)
                     .range(1e-6, 1e6)
                     .log()
                     .patterned()
                     .matters()
                     .help("From one dot to the next"),
                 number("radius", "Radius", "m", 0.03)
                     .soft(0, 0.5)
                     .range(0, 1e6)
                     .patterned()
                     .matters()
                     .help("Of the largest; no dot is larger than the pitch"),
                 number("strewn", "Strewn", "%", 0)
                     .range(0, 1)
                     .patterned()
                     .matters()
                     .help("How far each lies from its even place"),
                 number("variety", "Variety", "%", 0)
                     .range(0, 1)
                     .patterned()
                     .matters()
                     .help("How much smaller some are than others"),
                 edgeParam(0.003),
                 integer("seed", "Seed", 1).soft(0, 100).range(0, 1e9).help("Each number strews them anew")},
                shapeColors("Between the dots", "In the dots")}),
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            return c.emit(Dots{filledAxes(p), p.text("rows") == "staggered", mixBits(uint32_t(p.number("seed")))},
                          {c.place(spaceOf(p)), c.amount(p, "pitch"), c.amount(p, "radius"), c.amount(p, "strewn"),
                           c.amount(p, "variety"), c.amount(p, "edge"), c.input(p, "low"), c.input(p, "high")});
          }};
}

PatternKind cellsPattern() {
  return {{.id = "pattern.cells",
           .label = "Cells",
           .helpText = "Cells about strewn points, with their borders: cracked glaze, scales, stained glass, foam.",
           .params = join({{choice("gives", "Gives", {"borders", "distance", "a colour each"})
                                .matters()
                                .help("The borders between cells; the way to each one's middle; or between the two "
                                      "colours by each one's own chance"),
                            spaceParam(1), fillsParam(),
                            number("pitch", "Size", "m", 0.12)
                                .soft(0.005, 1)
                                .range(1e-6, 1e6)
                                .log()
                                .patterned()
                                .matters()
                                .help("Of a cell, in the mean"),
                            number("strewn", "Strewn", "%", 1)
                                .range(0, 1)
                                .patterned()
                                .matters()
                                .help("How uneven they are; 0: squares"),
                            number("border", "Border", "m", 0.008)
                                .soft(0, 0.1)
                                .range(0, 1e6)
                                .patterned()
                                .when("gives", "borders")
                                .matters()
                                .help("Thickness between two cells"),
                            edgeParam(0.004).when("gives", "borders"),
                            integer("seed", "Seed", 1).soft(0, 100).range(0, 1e9).help("Each number strews them anew")},
                           shapeColors("In the cells; at a middle; of one cell",
                                       "At the borders; far from a middle; of another cell")}),
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            return c.emit(Cells{filledAxes(p), choiceOf<CellGives>(p, "gives"), mixBits(uint32_t(p.number("seed")))},
                          {c.place(spaceOf(p)), c.amount(p, "pitch"), c.amount(p, "strewn"), c.amount(p, "border"),
                           c.amount(p, "edge"), c.input(p, "low"), c.input(p, "high")});
          }};
}

} // namespace ilumbra
