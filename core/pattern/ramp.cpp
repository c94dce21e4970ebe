#include "core/base/error.h"
#include "core/pattern/coordinates.h"

#include <limits>

namespace ilumbra {
namespace {

enum class Along { Line, Ball, Angle, Value };
enum class Outside { Hold, Repeat, Mirror };
enum class Passage { Linear, Smooth, Step };

struct Stop {
  int place = 0, color = 0, alpha = 0; ///< registers
  Passage passage = Passage::Linear;   ///< on the way to the next
};

class RampOp : public PatternOp {
 public:
  RampOp(Along along, Outside outside, PatternSpace space, const V3f& start, const V3f& end, int by,
         std::vector<Stop> stops)
      : m_along(along), m_outside(outside), m_space(space), m_start(start), m_way(end - start), m_by(by),
        m_stops(std::move(stops)) {
    const float l2 = dot(m_way, m_way);
    m_inverse2 = l2 > 0 ? 1 / l2 : 0;
    m_zero = std::atan2(-m_way.z, m_way.x);
  }

  Sample4 value(const Sample4* r, const PatternPoint& at) const override {
    return colorAt(r, wrap(position(r[m_by].x, at)));
  }

  Bounds4 bounds(const Bounds4* r, const PatternBox& over) const override {
    // The hull of the keys that can be met: exact for a value, of all keys for places.
    float t0 = 0, t1 = 1;
    if (m_along == Along::Value && m_outside == Outside::Hold) {
      t0 = r[m_by].low.x;
      t1 = r[m_by].high.x;
    } else if (m_along == Along::Line && m_outside == Outside::Hold) {
      const V3f a = placeIn(m_space, over.low) - m_start, b = placeIn(m_space, over.high) - m_start;
      t0 = t1 = 0;
      for (int i = 0; i < 3; ++i) {
        const float x = a[i] * m_way[i] * m_inverse2, y = b[i] * m_way[i] * m_inverse2;
        t0 += std::min(x, y);
        t1 += std::max(x, y);
      }
      t0 -= 1e-5f;
      t1 += 1e-5f;
    }
    Bounds4 out;
    bool any = false;
    for (size_t i = 0; i < m_stops.size(); ++i) {
      // A key counts if its stretch, from the key before to the key behind, can be met.
      const float from = i == 0 ? -std::numeric_limits<float>::max() : lowest(r, i - 1),
                  to = i + 1 == m_stops.size() ? std::numeric_limits<float>::max() : highest(r, i + 1);
      if (to < t0 || from > t1) continue;
      Bounds4 k = r[m_stops[i].color];
      k.low.w = clamp01(r[m_stops[i].alpha].low.x);
      k.high.w = clamp01(r[m_stops[i].alpha].high.x);
      out = any ? hull(out, k) : k;
      any = true;
    }
    return out;
  }

  std::vector<int*> inputs() override {
    std::vector<int*> all = {&m_by};
    for (Stop& s : m_stops) all.insert(all.end(), {&s.place, &s.color, &s.alpha});
    return all;
  }
  bool looks() const override { return m_along != Along::Value; }

 private:
  float position(float by, const PatternPoint& at) const {
    if (m_along == Along::Value) return by;
    const V3f p = placeIn(m_space, at) - m_start;
    if (m_along == Along::Line) return dot(p, m_way) * m_inverse2;
    if (m_along == Along::Ball) return std::sqrt(dot(p, p) * m_inverse2);
    // About the vertical; in textures and pictures, about the way to the viewer.
    const bool flat = m_space == PatternSpace::Texture || m_space == PatternSpace::Camera;
    const float turn =
        (flat ? std::atan2(p.y, p.x) - std::atan2(m_way.y, m_way.x) : std::atan2(-p.z, p.x) - m_zero) / (2 * pi);
    return turn - std::floor(turn);
  }
  float wrap(float t) const {
    if (!std::isfinite(t)) return 0;
    if (m_outside == Outside::Repeat) return t - std::floor(t);
    if (m_outside == Outside::Mirror) {
      const float two = t - 2 * std::floor(t * 0.5f);
      return two > 1 ? 2 - two : two;
    }
    return t;
  }
  static Sample4 stopColor(const Sample4* r, const Stop& s) {
    Sample4 c = r[s.color];
    c.w = clamp01(r[s.alpha].x);
    return c;
  }
  // Keys that cross push each other: none lies before the one that it follows.
  Sample4 colorAt(const Sample4* r, float t) const {
    float place = r[m_stops[0].place].x;
    if (t <= place || m_stops.size() == 1) return stopColor(r, m_stops[0]);
    for (size_t i = 1; i < m_stops.size(); ++i) {
      const float next = std::max(place, r[m_stops[i].place].x);
      if (t < next) {
        const Stop& s = m_stops[i - 1];
        if (s.passage == Passage::Step) return stopColor(r, s);
        const float x = (t - place) / (next - place);
        return lerp(stopColor(r, s), stopColor(r, m_stops[i]), s.passage == Passage::Smooth ? smoothstep(x) : x);
      }
      place = next;
    }
    return stopColor(r, m_stops.back());
  }
  float lowest(const Bounds4* r, size_t i) const {
    float p = r[m_stops[0].place].low.x;
    for (size_t k = 1; k <= i; ++k) p = std::max(p, r[m_stops[k].place].low.x);
    return p;
  }
  float highest(const Bounds4* r, size_t i) const {
    float p = r[m_stops[0].place].high.x;
    for (size_t k = 1; k <= i; ++k) p = std::max(p, r[m_stops[k].place].high.x);
    return p;
  }

  Along m_along;
  Outside m_outside;
  PatternSpace m_space;
  V3f m_start, m_way;
  float m_inverse2 = 0, m_zero = 0;
  int m_by;
  std::vector<Stop> m_stops;
};

} // namespace

PatternKind rampKey() {
  return {
      {.id = "ramp.key",
       .label = "Key of a ramp",
       .helpText = "A colour at a place of a ramp.",
       .params = {number("place", "Place", "", 0)
                      .soft(0, 1)
                      .range(-1e6, 1e6)
                      .patterned()
                      .matters()
                      .help("Along the ramp; a key never lies before the one it follows"),
                  color("color", "Colour", {0, 0, 0}).soft(0, 1).patterned().matters().help("What the ramp has here"),
                  number("alpha", "Alpha", "", 1).range(0, 1).patterned().help("How much of it there is"),
                  choice("passage", "Passage", {"linear", "smooth", "step"}).help("How it goes on to the next key")},
       .existence = Invalidation::Shading},
      {}};
}

PatternKind rampPattern() {
  return {{.id = "pattern.ramp",
           .label = "Ramp",
           .helpText =
               "Colours that follow each other along a line, out from a point, around an axis, or by another pattern.",
           .params =
               {choice("along", "Runs along", {"line", "ball", "angle", "value"})
                    .matters()
                    .help("From start to end; out from the start, 1 at the end; once around the vertical through the "
                          "start; by the value below"),
                spaceParam(1), vector("start", "Start", "m", {0, 0, 0}).soft(-2, 2).help("Place of 0"),
                vector("end", "End", "m", {0, 1, 0}).soft(-2, 2).help("Place of 1"),
                number("value", "Value", "", 0).soft(0, 1).patterned().help("What it runs by, when it runs by a value"),
                choice("outside", "Beyond its ends", {"hold", "repeat", "mirror"})
                    .help("What follows before 0 and after 1")},
           .slots = {{"keys", "Keys", {"ramp.key"}, Invalidation::Shading}},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            std::vector<Stop> stops;
            if (const auto it = p.node().children.find("keys"); it != p.node().children.end())
              for (const NodeId id : it->second) {
                const Params k(*c.doc().find(id), p.frame());
                stops.push_back(
                    {c.amount(k, "place"), c.input(k, "color"), c.amount(k, "alpha"), choiceOf<Passage>(k, "passage")});
              }
            if (stops.empty()) // from black to white, until it is told otherwise
              stops = {{c.constant({0, 0, 0, 1}), c.constant({0, 0, 0, 1}), c.constant({1, 1, 1, 1})},
                       {c.constant({1, 1, 1, 1}), c.constant({1, 1, 1, 1}), c.constant({1, 1, 1, 1})}};
            const int by = c.amount(p, "value");
            return c.emit(std::make_shared<RampOp>(choiceOf<Along>(p, "along"), choiceOf<Outside>(p, "outside"),
                                                   spaceOf(p), triple(p, "start"), triple(p, "end"), by,
                                                   std::move(stops)));
          }};
}

} // namespace ilumbra
