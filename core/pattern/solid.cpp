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

class SolidOp : public PatternOp {
 public:
  SolidOp(PatternSpace space, int width, std::vector<SolidPart> parts)
      : m_space(space), m_width(width), m_parts(std::move(parts)) {}
  Sample4 value(const Sample4* r, const PatternPoint& at) const override {
    const float v = amountOf(distance(placeIn(m_space, at)), r[m_width].x);
    return {v, v, v, 1};
  }
  // No distance changes faster than the place.
  Bounds4 bounds(const Bounds4* r, const PatternBox& over) const override {
    const V3f a = placeIn(m_space, over.low), b = placeIn(m_space, over.high);
    const float middle = distance((a + b) * 0.5f), reach = 0.5f * length(b - a) * 1.0001f;
    float least = 1, most = 0;
    for (const float d : {middle - reach, middle + reach})
      for (const float w : {r[m_width].low.x, r[m_width].high.x}) {
        const float v = amountOf(d, w);
        least = std::min(least, v);
        most = std::max(most, v);
      }
    return {{least, least, least, 1}, {most, most, most, 1}};
  }
  std::vector<int*> inputs() override { return {&m_width}; }
  bool looks() const override { return true; }

 private:
  float distance(const V3f& p) const {
    float d = std::numeric_limits<float>::max();
    for (const SolidPart& s : m_parts) {
      const float own = distanceTo(s, p);
      if (s.joining == Joining::Add)
        d = d == std::numeric_limits<float>::max() ? own : joined(d, own, s.join);
      else
        d = -joined(-d, s.joining == Joining::CutOut ? own : -own, s.join);
    }
    return d;
  }
  PatternSpace m_space;
  int m_width;
  std::vector<SolidPart> m_parts;
};

// Six-sided cells side by side in the plane across one axis: 1 in the walls.
class CombOp : public PatternOp {
 public:
  CombOp(PatternSpace space, int cell, int wall, int width)
      : m_space(space), m_cell(cell), m_wall(wall), m_width(width) {}
  Sample4 value(const Sample4* r, const PatternPoint& at) const override {
    const float v = amountOf(wallDistance(placeIn(m_space, at), r[m_cell].x, r[m_wall].x), r[m_width].x);
    return {v, v, v, 1};
  }
  Bounds4 bounds(const Bounds4* r, const PatternBox& over) const override {
    float least = 0, most = 1;
    if (r[m_cell].low.x == r[m_cell].high.x && r[m_wall].low.x == r[m_wall].high.x &&
        r[m_width].low.x == r[m_width].high.x) {
      V3f a = placeIn(m_space, over.low), b = placeIn(m_space, over.high);
      a.z = b.z = 0;
      const float d = wallDistance((a + b) * 0.5f, r[m_cell].low.x, r[m_wall].low.x),
                  reach = 0.5f * length(b - a) * 1.0001f;
      least = amountOf(d + reach, r[m_width].low.x);
      most = amountOf(d - reach, r[m_width].low.x);
    }
    return {{least, least, least, 1}, {most, most, most, 1}};
  }
  std::vector<int*> inputs() override { return {&m_cell, &m_wall, &m_width}; }
  bool looks() const override { return true; }

 private:
  // To the nearest wall's surface; the cells lie in x and y and run along z.
  static float wallDistance(const V3f& p, float cell, float wall) {
    const float c = std::max(1e-6f, cell), h = 0.8660254f; // flat to flat 1, rows h apart
    const float x = p.x / c, y = p.y / c;
    // The nearest of the two lattices of cell middles.
    const auto near = [&](float ox, float oy) {
      return V2f(x - ox - std::round(x - ox), y - oy - std::round((y - oy) / (2 * h)) * 2 * h);
    };
    const V2f a = near(0, 0), b = near(0.5f, h), q = a.x * a.x + a.y * a.y < b.x * b.x + b.y * b.y ? a : b;
    const float ax = std::abs(q.x), ay = std::abs(q.y);
    const float inside = 0.5f - std::max(ax, 0.5f * ax + h * ay); // to the cell's rim
    return inside * c - 0.5f * wall;
  }
  PatternSpace m_space;
  int m_cell, m_wall, m_width;
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
            return c.emit(std::make_shared<SolidOp>(spaceOf(p), c.amount(p, "width"), std::move(parts)));
          }};
}

PatternKind combPattern() {
  return {{.id = "pattern.comb",
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
            return c.emit(
                std::make_shared<CombOp>(spaceOf(p), c.amount(p, "cell"), c.amount(p, "wall"), c.amount(p, "width")));
          }};
}

} // namespace ilumbra
