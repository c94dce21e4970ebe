#include "core/light/light.h"

#include <limits>

namespace ilumbra {
namespace {

// A point that shines into a cone. Intensity is even inside the inner half-angle and falls to 0 at the outer one by a
// smoothstep in the cosine; whatever the edge, its integral over directions is the power.
class SpotLight : public Light {
public:
  SpotLight(const M44f& world, float innerDegrees, float outerDegrees) {
    m_at = transformPoint(world, V3f(0.0f));
    m_axis = normalize(transformVector(world, {0, 0, -1}));
    m_inner = std::cos(innerDegrees * pi / 180);
    m_outer = std::cos(outerDegrees * pi / 180);
    // ∫ smoothstep over the edge's cosines is half its width.
    const float solid = 2 * pi * ((1 - m_inner) + 0.5f * (m_inner - m_outer));
    m_peak = solid > 0 ? 1 / solid : 0;
  }
  bool sample(const V3f& from, const V2f&, LightSample& s) const override {
    const V3f to = m_at - from;
    const float d2 = dot(to, to);
    if (d2 <= 0) return false;
    s.distance = std::sqrt(d2);
    s.direction = to * (1 / s.distance);
    const float share = edge(-dot(s.direction, m_axis));
    s.radiance = Color(m_peak * share / d2);
    s.density = std::numeric_limits<float>::infinity();
    return share > 0;
  }
  float density(const V3f&, const V3f&, float, const V3f&) const override { return 0; }
  Color radiance(const V3f&, const V3f&) const override { return Color(0.0f); }
  // Brighter than a lamp that shines all around by as much as its cone is narrower.
  LightReach reach() const override { return {.centre = m_at, .axis = m_axis, .spread = 0, .fall = std::acos(m_outer), .flux = 4 * pi * m_peak}; }

private:
  float edge(float cosine) const {
    if (cosine <= m_outer) return 0;
    if (cosine >= m_inner) return 1;
    const float t = (cosine - m_outer) / (m_inner - m_outer);
    return t * t * (3 - 2 * t);
  }
  V3f m_at, m_axis;
  float m_inner, m_outer, m_peak;
};

} // namespace

LightKind spotLight() {
  return {{.id = "light.spot",
           .label = "Spot light",
           .helpText = "A lamp that shines into a cone.",
           .params = join({lightParams("Power", "lm", 1500, 50000),
                           aimParams({0, 3, 0}, {0, 0, 0}),
                           {number("cone", "Cone", "°", 30).soft(1, 90).range(0.01, 180).at(Stage::Placement).matters().in("Placement")
                                .help("From the axis to where the light ends"),
                            number("edge", "Soft edge", "%", 0.2).soft(0, 1).range(0, 1).at(Stage::Placement).matters().in("Placement")
                                .help("Share of the cone over which the light fades")}}),
           .existence = Stage::Placement},
          [](const Params& p, const M44f& world, const Assets&) {
            const float cone = p.real("cone");
            return std::make_unique<SpotLight>(aimMatrix(p) * world, cone * (1 - p.real("edge")), cone);
          }};
}

} // namespace ilumbra
