// Edges that stand out and crevices where dirt gathers, by how near the surface turns to itself.
#include "core/pattern/body.h"
#include "core/pattern/coordinates.h"

namespace ilumbra {
namespace {

enum class EdgesGive { Edges, Crevices, Both };

// Inputs: the reach, flat, found, in crevices where both are found. Straight above a flat place, nothing of the body is
// nearer than the place itself; above a crevice its other wall is, by as much as the place is near to it. The same
// below, for edges.
struct Edges {
  static constexpr bool looks = true;
  static constexpr size_t inputs = 4;
  EdgesGive gives;

  Sample4 one(const InputsOf<float>& in, const PatternPoint& at) const {
    const float reach = std::max(in[0].x, 1e-6f);
    const float edge = gives == EdgesGive::Crevices ? 0 : turned(at, -1, reach),
                crevice = gives == EdgesGive::Edges ? 0 : turned(at, 1, reach);
    if (gives == EdgesGive::Crevices) return ilumbra::between(in[1], in[2], crevice);
    return ilumbra::between(ilumbra::between(in[1], in[2], edge), in[3], crevice);
  }
  Bounds4 operator()(const InputsOf<Interval>& in, const PointOf<Interval>&) const {
    const Interval any(0, 1);
    const Bounds4 found = ilumbra::between(in[1], in[2], any);
    return gives == EdgesGive::Both ? ilumbra::between(found, in[3], any) : found;
  }

 private:
  static float turned(const PatternPoint& at, float side, float reach) {
    if (!at.body) return 0;
    const V3f way = at.normal * side;
    // No further than halfway to the other side: a thin sheet is no edge.
    const float far = std::min(reach, 0.5f * at.body->chord(at.position, way, 2 * reach));
    if (!(far > 1e-6f)) return 1;
    return smoothstep(clamp01(1 - at.body->distance(at.position + way * far, far) / far));
  }
};

} // namespace

PatternKind edgesPattern() {
  return {{.id = "pattern.edges",
           .label = "Edges and crevices",
           .helpText =
               "Where a body turns sharply: bare metal on edges, dirt in crevices. Measured at each place by two "
               "looks around it for edges and two for crevices, each about as dear as a ray.",
           .params = {choice("gives", "Finds", {"edges", "crevices", "both"})
                          .matters()
                          .help("What stands out, what lies within, or each in a colour of its own"),
                      number("reach", "Reach", "m", 0.02)
                          .soft(0.001, 0.3)
                          .range(1e-6, 1e4)
                          .log()
                          .patterned()
                          .matters()
                          .help("How far from the edge it is still found, in the object's own space; break it up by a "
                                "pattern"),
                      color("low", "Flat", {0, 0, 0}).soft(0, 1).patterned().matters().help("Where nothing turns"),
                      color("high", "Found", {1, 1, 1})
                          .soft(0, 1)
                          .patterned()
                          .matters()
                          .help("At the edge, or in the crevice where those alone are found"),
                      color("deep", "In crevices", {0.2, 0.2, 0.2})
                          .soft(0, 1)
                          .patterned()
                          .when("gives", "both")
                          .matters()
                          .help("Where surfaces meet inwards")},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            return c.emit(Edges{choiceOf<EdgesGive>(p, "gives")},
                          {c.amount(p, "reach"), c.input(p, "low"), c.input(p, "high"), c.input(p, "deep")});
          },
          PatternGroup::Place};
}

} // namespace ilumbra
