// How far a place is from things, or from a point.
#include "core/pattern/coordinates.h"
#include "core/pattern/distance_field.h"

namespace ilumbra {
namespace {

enum class Passage { Linear, Smooth, Step };

class DistanceOp : public PatternOp {
 public:
  struct Form {
    std::shared_ptr<const DistanceField> things; ///< null: a point
    V3f point{0.0f};
    PatternSpace space = PatternSpace::World;
    Passage passage = Passage::Linear;
    bool insideNear = true, metres = false;
  };
  DistanceOp(Form form, int reach, int near, int far)
      : m_form(std::move(form)), m_reach(reach), m_near(near), m_far(far) {}
  Sample4 value(const Sample4* r, const PatternPoint& at) const override {
    const float d = std::max(0.0f, distance(at));
    if (m_form.metres) return {d, d, d, 1};
    return lerp(r[m_near], r[m_far], share(d, r[m_reach].x));
  }
  // No distance changes faster than the place.
  Bounds4 bounds(const Bounds4* r, const PatternBox& over) const override {
    PatternPoint middle;
    middle.position = (over.low.position + over.high.position) * 0.5f;
    middle.world = (over.low.world + over.high.world) * 0.5f;
    middle.uv = (over.low.uv + over.high.uv) * 0.5f;
    middle.screen = (over.low.screen + over.high.screen) * 0.5f;
    const PatternSpace space = m_form.things ? PatternSpace::World : m_form.space;
    const float half = 0.5f * length(placeIn(space, over.high) - placeIn(space, over.low)) * 1.0001f + 1e-5f,
                d = distance(middle);
    const float least = std::max(0.0f, (m_form.insideNear ? d : std::max(0.0f, d)) - half),
                most = std::max(0.0f, d + half);
    if (m_form.metres) return {{least, least, least, 1}, {most, most, most, 1}};
    const auto at = [&](float t) {
      return Bounds4{lerp(r[m_near].low, r[m_far].low, t), lerp(r[m_near].high, r[m_far].high, t)};
    };
    return hull(at(share(least, r[m_reach].high.x)), at(share(most, r[m_reach].low.x)));
  }
  std::vector<int*> inputs() override { return {&m_reach, &m_near, &m_far}; }
  bool looks() const override { return true; }

 private:
  // Below 0 inside, where what is inside counts as near.
  float distance(const PatternPoint& at) const {
    if (!m_form.things) return length(placeIn(m_form.space, at) - m_form.point);
    const float d = std::min(1e9f, m_form.things->distance(at.world));
    return m_form.insideNear && m_form.things->inside(at.world) ? -d : d;
  }
  float share(float metres, float reach) const {
    if (m_form.passage == Passage::Step) return metres <= reach ? 0.0f : 1.0f;
    const float t = clamp01(metres / std::max(1e-6f, reach));
    return m_form.passage == Passage::Smooth ? smoothstep(t) : t;
  }
  Form m_form;
  int m_reach, m_near, m_far;
};

} // namespace

PatternKind distancePattern() {
  return {{.id = "pattern.distance",
           .label = "Distance",
           .helpText = "How far a place is from the surfaces of things, or from a point: dust around what stands "
                       "there, glow that fades with the way, mist that keeps clear.",
           .params = {choice("to", "To", {"things", "point"}).matters().help("What the way is measured to"),
                      references("things", "Things", {"object."})
                          .when("to", "things")
                          .matters()
                          .help("The nearest surface of any of them counts; a group stands for all that it holds"),
                      vector("point", "Point", "m", {0, 0, 0})
                          .soft(-2, 2)
                          .when("to", "point")
                          .matters()
                          .help("Where the way is 0"),
                      spaceParam(2).when("to", "point"),
                      choice("inside", "Inside them", {"is near", "by the way out"})
                          .when("to", "things")
                          .help("Whether all that is inside a body is as near as can be, or as far as its surface"),
                      choice("gives", "Gives", {"colours", "metres"})
                          .matters()
                          .help("From the near colour to the far one; or the number of metres, for ramps by value"),
                      number("reach", "Reach", "m", 0.5)
                          .soft(0.01, 5)
                          .range(1e-6, 1e6)
                          .log()
                          .patterned()
                          .when("gives", "colours")
                          .matters()
                          .help("From here on it is far"),
                      choice("passage", "Passage", {"linear", "smooth", "step"})
                          .when("gives", "colours")
                          .help("How it goes from near to far"),
                      color("near", "Near", {1, 1, 1})
                          .soft(0, 1)
                          .patterned()
                          .when("gives", "colours")
                          .matters()
                          .help("At the surface"),
                      color("far", "Far", {0, 0, 0})
                          .soft(0, 1)
                          .patterned()
                          .when("gives", "colours")
                          .matters()
                          .help("At the reach and beyond")},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            DistanceOp::Form form;
            form.metres = p.text("gives") == "metres";
            form.passage = choiceOf<Passage>(p, "passage");
            form.insideNear = p.text("inside") == "is near";
            const int reach = c.amount(p, "reach"), near = c.input(p, "near"), far = c.input(p, "far");
            if (p.text("to") == "point") {
              form.point = triple(p, "point");
              form.space = spaceOf(p);
            } else {
              form.things = c.distanceField(p, "things");
              if (!form.things) return form.metres ? c.constant({1e9f, 1e9f, 1e9f, 1}) : far;
            }
            return c.emit(std::make_shared<DistanceOp>(std::move(form), reach, near, far));
          }};
}

} // namespace ilumbra
