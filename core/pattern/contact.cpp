// Where things meet a surface: how near the nearest of them is, broken up.
#include "core/pattern/coordinates.h"
#include "core/pattern/distance_field.h"

namespace ilumbra {
namespace {

// Inputs: the place in the world, reach, edge, how much it is broken up, the two patterns that break it, outside and
// inside.
struct Contact {
  static constexpr size_t inputs = 8;
  std::shared_ptr<const DistanceField> things;
  bool inverted = false;

  Sample4 one(const InputsOf<float>& in, const PatternPoint&) const {
    // Further away than this it is nothing, however far.
    const float most = std::max(in[1].x, 1e-6f) * (1 + in[3].x * holes(in)) * 1.0001f;
    return amount(in, most > 0 ? near(placeOf(in[0]), most) : 1e9f);
  }
  // No distance changes faster than the place.
  Bounds4 operator()(const InputsOf<Interval>& in, const PointOf<Interval>&) const {
    const float d = near(middleOf(in[0])), half = halfDiagonal(in[0]) + 1e-5f;
    return amount(in, numbers::outwards(std::max(0.0f, d - half), d + half, 3));
  }

 private:
  float near(const V3f& world, float within = 1e9f) const {
    if (things->inside(world)) return 0;
    return std::min(1e9f, things->distance(world, within));
  }
  template <class T> static T holes(const InputsOf<T>& in) {
    return (in[4].x - T(0.5f)) + T(0.6f) * (in[5].x - T(0.5f));
  }
  template <class T> ValuesOf<T> amount(const InputsOf<T>& in, const T& distance) const {
    using namespace numbers;
    const T left = T(1.0f) - distance / max(in[1].x, T(1e-6f)) + in[3].x * holes(in);
    T t = smooth(clamp01(left / max(in[2].x, T(1e-3f))));
    if (inverted) t = T(1.0f) - t;
    return ilumbra::between(in[6], in[7], t);
  }
};

} // namespace

PatternKind contactPattern() {
  return {
      {.id = "pattern.contact",
       .label = "Contact",
       .helpText = "Where the things of a contact line come near a surface: a mask for foam, wear, glow or moss, "
                   "broken up by two patterns.",
       .params =
           {reference("line", "Contact line", {std::string(standIns)}).help("The effect whose things it measures to"),
            number("reach", "Reach", "m", 0.1)
                .soft(0.001, 1)
                .range(1e-6, 1e6)
                .log()
                .patterned()
                .says("as wide as")
                .matters()
                .help("How far from the things it goes"),
            number("edge", "Soft edge", "%", 0.5)
                .range(0, 1)
                .patterned()
                .says("as soft as")
                .matters()
                .help("Share of the reach over which it fades"),
            number("broken", "Broken up", "%", 0.7)
                .soft(0, 2)
                .range(0, 10)
                .matters()
                .help("How much the two patterns below eat into it"),
            number("coarse", "Coarse pattern", "", 0.5)
                .range(0, 1)
                .patterned()
                .says("broken up by")
                .help("What breaks it up at large: more than 0.5 spreads it, less eats into it"),
            number("fine", "Fine pattern", "", 0.5)
                .range(0, 1)
                .patterned()
                .says("and by")
                .help("What breaks up the rest"),
            flag("inverted", "Inverted", false).matters().help("Everywhere but there"),
            color("low", "Elsewhere", {0, 0, 0}).soft(0, 1).patterned().says("elsewhere").help("Away from it"),
            color("high", "There", {1, 1, 1}).soft(0, 1).patterned().says("there").help("Where they meet")},
       .existence = Invalidation::Shading},
      [](const Params& p, PatternCompiler& c) {
        const Node* line = c.doc().find(p.reference("line").target);
        const int low = c.input(p, "low"), high = c.input(p, "high");
        if (!line) return low;
        Contact form;
        form.inverted = p.flag("inverted");
        form.things = c.distanceField(Params(*line, c.frame()), "by");
        if (!form.things) return form.inverted ? high : low;
        return c.emit(std::move(form), {c.place(PatternSpace::World), c.amount(p, "reach"), c.amount(p, "edge"),
                                        c.amount(p, "broken"), c.amount(p, "coarse"), c.amount(p, "fine"), low, high});
      },
      PatternGroup::Place};
}

} // namespace ilumbra
