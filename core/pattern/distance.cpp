// How far a place is from things, or from a point.
#include "core/pattern/coordinates.h"
#include "core/pattern/distance_field.h"

namespace ilumbra {
namespace {

enum class Passage { Linear, Smooth, Step };

// Inputs: the place, the reach, near, far.
struct Distance {
  static constexpr size_t inputs = 4;
  std::shared_ptr<const DistanceField> things; // null: a point
  V3f point{0.0f};
  Passage passage = Passage::Linear;
  bool insideNear = true, metres = false;

  Sample4 one(const InputsOf<float>& in, const PatternPoint&) const {
    // Beyond its reach all is as far.
    const float d = std::max(0.0f, distance(placeOf(in[0]), metres ? 1e9f : std::max(in[1].x, 1e-6f) * 1.0001f));
    return metres ? spread(d) : between(in[2], in[3], share(d, in[1].x));
  }
  // No distance changes faster than the place.
  Bounds4 operator()(const InputsOf<Interval>& in, const PointOf<Interval>&) const {
    const float d = distance(middleOf(in[0])), half = halfDiagonal(in[0]) + 1e-5f;
    const float least = std::max(0.0f, (insideNear ? d : std::max(0.0f, d)) - half), most = std::max(0.0f, d + half);
    if (metres) return spread(Interval(least, most));
    return between(in[2], in[3], numbers::outwards(share(least, in[1].x.high), share(most, in[1].x.low), 3));
  }

 private:
  // Below 0 inside, where what is inside counts as near.
  float distance(const V3f& at, float within = 1e9f) const {
    if (!things) return length(at - point);
    const float d = std::min(1e9f, things->distance(at, within));
    return insideNear && things->inside(at) ? -d : d;
  }
  float share(float far, float reach) const {
    if (passage == Passage::Step) return far <= reach ? 0.0f : 1.0f;
    const float t = clamp01(far / std::max(1e-6f, reach));
    return passage == Passage::Smooth ? smoothstep(t) : t;
  }
};

} // namespace

PatternKind distancePattern() {
  return {{.id = "pattern.distance",
           .label = "Distance",
           .helpText = "How far a place is from the surfaces of things, or from a point: dust around what stands "
                       "there, glow that fades with the way, mist that keeps clear.",
           .params = {choice("to", "To", {"things", "point"}).matters().help("What the way is measured to"),
                      references("things", "Things", {"object."})
                          .fixed()
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
            Distance form;
            form.metres = p.text("gives") == "metres";
            form.passage = choiceOf<Passage>(p, "passage");
            form.insideNear = p.text("inside") == "is near";
            const int reach = c.amount(p, "reach"), near = c.input(p, "near"), far = c.input(p, "far");
            int place = c.place(PatternSpace::World);
            if (p.text("to") == "point") {
              form.point = triple(p, "point");
              place = c.place(spaceOf(p));
            } else {
              form.things = c.distanceField(p, "things");
              if (!form.things) return form.metres ? c.constant({1e9f, 1e9f, 1e9f, 1}) : far;
            }
            return c.emit(std::move(form), {place, reach, near, far});
          },
          PatternGroup::Place};
}

} // namespace ilumbra
