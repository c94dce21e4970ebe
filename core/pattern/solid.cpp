// Distance fields: balls, boxes, rings and rods that run smoothly into one another or are cut out, and combs.
#include "core/pattern/coordinates.h"

#include <limits>

namespace ilumbra {
namespace {

enum class SolidForm { Ball, Box, Ring, Rod, Shell, Slab };
const std::vector<std::string> solidForms = {"ball", "box", "ring", "rod", "shell", "slab"};
enum class Joining { Add, CutOut, KeepWithin };
const std::vector<std::string> joinings = {"add", "cut out", "keep within"};

struct SolidPart {
  SolidForm form = SolidForm::Ball;
  Joining joining = Joining::Add;
  V3f at{0.0f}, size{1.0f};
  float radius = 0.3f, wall = 0.02f, join = 0;
};

float distanceTo(const SolidPart& s, const V3f& p) {
  const V3f q = p - s.at;
  const auto box = [](const V3f& x, const V3f& half) {
    const V3f d(std::abs(x.x) - half.x, std::abs(x.y) - half.y, std::abs(x.z) - half.z);
    return length(V3f(std::max(d.x, 0.0f), std::max(d.y, 0.0f), std::max(d.z, 0.0f))) +
           std::min(std::max(d.x, std::max(d.y, d.z)), 0.0f);
  };
  switch (s.form) {
  case SolidForm::Ball:
    return length(q) - s.radius;
  case SolidForm::Box:
    return box(q, vmax(s.size * 0.5f - V3f(s.wall), V3f(0.0f))) - s.wall; // its edges are round
  case SolidForm::Ring:
    return std::hypot(std::hypot(q.x, q.z) - s.radius, q.y) - s.wall;
  case SolidForm::Rod: {
    const float half = std::max(0.0f, 0.5f * s.size.y - s.radius), y = std::clamp(q.y, -half, half);
    return length(V3f(q.x, q.y - y, q.z)) - s.radius;
  }
  case SolidForm::Shell:
    return std::abs(length(q) - s.radius) - 0.5f * s.wall;
  case SolidForm::Slab:
    return std::abs(q.y) - 0.5f * s.wall;
  }
  return 0;
}

// The polynomial minimum of two distances, within `join` of each other (Quílez 2013).
float joined(float a, float b, float join) {
  if (join <= 0) return std::min(a, b);
  const float h = std::max(0.0f, join - std::abs(a - b)) / join;
  return std::min(a, b) - h * h * join * 0.25f;
}

// A half at the surface, 1 inside and 0 outside, from one to the other within a width.
float amountOf(float distance, float width) { return clamp01(0.5f - distance / std::max(1e-6f, width)); }

Interval amountBounds(const Interval& distance, const Interval& width) {
  Interval all(1, 0);
  for (const float d : {distance.low, distance.high})
    for (const float w : {width.low, width.high}) all = numbers::hull(all, amountOf(d, w));
  return numbers::outwards(all.low, all.high, 3);
}

// Inputs: the place, the width.
struct Solid {
  static constexpr size_t inputs = 2;
  std::vector<SolidPart> parts;
  Sample4 one(const InputsOf<float>& in, const PatternPoint&) const {
    return spread(amountOf(distance(placeOf(in[0])), in[1].x));
  }
  // No distance changes faster than the place.
  Bounds4 operator()(const InputsOf<Interval>& in, const PointOf<Interval>&) const {
    const float middle = distance(middleOf(in[0])), reach = halfDiagonal(in[0]) + 1e-5f;
    return spread(amountBounds({middle - reach, middle + reach}, in[1].x));
  }

 private:
  float distance(const V3f& p) const {
    float d = std::numeric_limits<float>::max();
    for (const SolidPart& s : parts) {
      const float own = distanceTo(s, p);
      if (s.joining == Joining::Add)
        d = d == std::numeric_limits<float>::max() ? own : joined(d, own, s.join);
      else
        d = -joined(-d, s.joining == Joining::CutOut ? own : -own, s.join);
    }
    return d;
  }
};

// Six-sided cells side by side in the plane across one axis: 1 in the walls.
// To the nearest wall's surface; the cells lie in x and y and run along z.
template <class T> T wallDistance(const T& px, const T& py, const T& cell, const T& wall) {
  using namespace numbers;
  const T c = max(cell, T(1e-6f)), h = T(0.8660254f); // flat to flat 1, rows h apart
  const T x = px / c, y = py / c, rows = h * T(2.0f);
  // The nearest of the two lattices of cell middles.
  const auto near = [](const T& v) { return v - floor(v + T(0.5f)); };
  const T ax = near(x), ay = near(y / rows) * rows, bx = near(x - T(0.5f)), by = near((y - h) / rows) * rows;
  const auto first = ax * ax + ay * ay < bx * bx + by * by;
  const T qx = abs(choose(first, ax, bx)), qy = abs(choose(first, ay, by));
  const T inside = T(0.5f) - max(qx, qx * T(0.5f) + h * qy); // to the cell's rim
  return inside * c - wall * T(0.5f);
}

// Inputs: the place, the cell, the wall, the width.
struct Comb {
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    const T d = wallDistance(in[0].x, in[0].y, in[1].x, in[2].x);
    return spread(numbers::clamp01(T(0.5f) - d / numbers::max(in[3].x, T(1e-6f))));
  }
  // No distance changes faster than the place.
  Bounds4 operator()(const InputsOf<Interval>& in, const PointOf<Interval>&) const {
    if (!in[1].x.one() || !in[2].x.one()) return spread(Interval(0, 1));
    Bounds4 place = in[0];
    place.z = 0.0f;
    const V3f m = middleOf(place);
    const float d = wallDistance(m.x, m.y, in[1].x.low, in[2].x.low), reach = halfDiagonal(place) + 1e-5f;
    return spread(amountBounds({d - reach, d + reach}, in[3].x));
  }
};

} // namespace

PatternKind solidPart() {
  return {
      {.id = "solid.part",
       .label = "Part of a solid",
       .helpText =
           "A ball, box, ring, rod, shell or slab, added to what comes before it, cut out of it, or kept within it.",
       .params =
           {choice("form", "Form", solidForms).matters().help("The ring and the rod stand about the vertical"),
            choice("joining", "Joins", joinings).matters().help("How it meets the parts before it"),
            vector("place", "Place", "m", {0, 0, 0}).soft(-1, 1).matters().help("Of its middle"),
            number("radius", "Radius", "m", 0.3)
                .soft(0.01, 2)
                .range(0, 1e6)
                .matters()
                .help("Of a ball, a ring, a rod or a shell"),
            vector("size", "Size", "m", {0.5, 0.5, 0.5}).soft(0, 2).matters().help("Of a box; of a rod its height"),
            number("wall", "Wall", "m", 0.02)
                .soft(0, 0.2)
                .range(0, 1e6)
                .matters()
                .help("Of a shell or a slab its thickness, of a ring its tube's radius, of a box how round its edges "
                      "are"),
            number("join", "Smooth join", "m", 0)
                .soft(0, 0.5)
                .range(0, 1e6)
                .matters()
                .help("Within this distance it runs into the parts before it")},
       .existence = Invalidation::Shading},
      {}};
}

PatternKind solidPattern() {
  return {{.id = "pattern.solid",
           .label = "Solid",
           .helpText = "Bodies by their distance: 1 inside, 0 outside, a half at the surface; they run into one "
                       "another or are cut out.",
           .params = {number("width", "Soft edge", "m", 0.1)
                          .soft(0.001, 1)
                          .range(1e-6, 1e6)
                          .log()
                          .patterned()
                          .matters()
                          .help("From inside to outside: what may be pushed in and out by adding noise"),
                      spaceParam(1)},
           .slots = {{"parts", "Parts", {"solid.part"}, Invalidation::Shading}},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            std::vector<SolidPart> parts;
            if (const auto it = p.node().children.find("parts"); it != p.node().children.end())
              for (const NodeId id : it->second) {
                const Params q(*c.doc().find(id), p.frame());
                parts.push_back({choiceOf<SolidForm>(q, "form"), choiceOf<Joining>(q, "joining"), triple(q, "place"),
                                 triple(q, "size"), q.real("radius"), q.real("wall"), q.real("join")});
              }
            if (parts.empty()) parts.push_back({});
            return c.emit(Solid{std::move(parts)}, {c.place(spaceOf(p)), c.amount(p, "width")});
          }};
}

PatternKind combPattern() {
  return {
      {.id = "pattern.comb",
       .label = "Comb",
       .helpText = "Six-sided cells side by side, as bees build them: 1 in the walls, 0 in the cells.",
       .params = {number("cell", "Cell", "m", 0.08)
                      .soft(0.005, 0.5)
                      .range(1e-6, 1e6)
                      .log()
                      .patterned()
                      .matters()
                      .help("From one side of a cell to the opposite one"),
                  number("wall", "Wall", "m", 0.012)
                      .soft(0.001, 0.1)
                      .range(0, 1e6)
                      .patterned()
                      .matters()
                      .help("Thickness between two cells"),
                  number("width", "Soft edge", "m", 0.01)
                      .soft(0.001, 0.1)
                      .range(1e-6, 1e6)
                      .log()
                      .patterned()
                      .help("From the wall to the cell"),
                  spaceParam(1)},
       .existence = Invalidation::Shading},
      [](const Params& p, PatternCompiler& c) {
        return c.emit(Comb{}, {c.place(spaceOf(p)), c.amount(p, "cell"), c.amount(p, "wall"), c.amount(p, "width")});
      }};
}

} // namespace ilumbra
