#include "core/pattern/coordinates.h"

namespace ilumbra {
namespace {

// 0 where the surface faces the viewer, 1 at its rim.
enum class By { Angle, Cosine };

class IncidenceOp : public PatternOp {
 public:
  IncidenceOp(By by, int low, int high, int power) : m_by(by), m_low(low), m_high(high), m_power(power) {}
  Sample4 value(const Sample4* r, const PatternPoint& at) const override {
    return lerp(r[m_low], r[m_high], std::pow(rim(at.incidence), std::max(r[m_power].x, 1e-3f)));
  }
  Bounds4 bounds(const Bounds4* r, const PatternBox& over) const override {
    // The rim falls with the cosine, and its power falls with the exponent.
    const float least = std::pow(rim(over.high.incidence), std::max(r[m_power].high.x, 1e-3f)),
                most = std::pow(rim(over.low.incidence), std::max(r[m_power].low.x, 1e-3f));
    const auto at = [&](float t) {
      return Bounds4{lerp(r[m_low].low, r[m_high].low, t), lerp(r[m_low].high, r[m_high].high, t)};
    };
    return hull(at(least), at(most));
  }
  std::vector<int*> inputs() override { return {&m_low, &m_high, &m_power}; }
  bool looks() const override { return true; }

 private:
  float rim(float cosine) const {
    return m_by == By::Cosine ? 1 - clamp01(cosine) : std::acos(clamp01(cosine)) / (0.5f * pi);
  }
  By m_by;
  int m_low, m_high, m_power;
};

} // namespace

PatternKind incidencePattern() {
  return {{.id = "pattern.incidence",
           .label = "Incidence",
           .helpText = "By the angle at which the surface is seen: from what faces the viewer to the rim.",
           .params = {choice("by", "Runs by", {"angle", "cosine"}).help("Evenly by the angle, or by its cosine"),
                      number("power", "Power", "", 1)
                          .soft(0.1, 8)
                          .range(0.001, 100)
                          .log()
                          .patterned()
                          .matters()
                          .help("More than 1 draws it to the rim"),
                      color("facing", "Facing", {0, 0, 0})
                          .soft(0, 1)
                          .patterned()
                          .matters()
                          .help("Where the surface faces the viewer"),
                      color("rim", "Rim", {1, 1, 1}).soft(0, 1).patterned().matters().help("Where it is seen edge-on")},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            const int low = c.input(p, "facing"), high = c.input(p, "rim"), power = c.amount(p, "power");
            return c.emit(
                std::make_shared<IncidenceOp>(p.text("by") == "cosine" ? By::Cosine : By::Angle, low, high, power));
          }};
}

} // namespace ilumbra
