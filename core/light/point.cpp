#include "core/light/light.h"

#include <limits>

namespace ilumbra {
namespace {

// A sphere that shines evenly: L = Φ / (4 π² r²); with radius 0 a point of intensity Φ / (4 π).
class PointLight : public Light {
public:
  PointLight(const V3f& centre, float radius) : m_centre(centre), m_radius(radius) {
    m_shape.sphereRadius = radius;
    m_luminance = radius > 0 ? 1 / (4 * pi * pi * radius * radius) : 0;
  }

  bool sample(const V3f& from, const V2f& u, LightSample& s) const override {
    const V3f to = m_centre - from;
    const float d2 = dot(to, to);
    if (m_radius <= 0) {
      if (d2 <= 0) return false;
      s.distance = std::sqrt(d2);
      s.direction = to * (1 / s.distance);
      s.radiance = Color(1 / (4 * pi * d2));
      s.density = std::numeric_limits<float>::infinity();
      return true;
    }
    s.radiance = Color(m_luminance);
    if (d2 <= m_radius * m_radius * 1.0001f) return false; // inside its own body
    const float d = std::sqrt(d2), one = oneMinusCos(d2);
    const V3f local = sampleCone(u, one);
    const Frame frame(to * (1 / d));
    s.direction = frame.toWorld(local);
    s.density = 1 / (2 * pi * one);
    // Nearest meeting of the ray with the sphere.
    const float along = d * local.z, off2 = d2 * std::max(0.0f, 1 - local.z * local.z);
    s.distance = along - std::sqrt(std::max(0.0f, m_radius * m_radius - off2));
    return true;
  }
  float density(const V3f& from, const V3f&, float, const V3f&) const override {
    const V3f to = m_centre - from;
    const float d2 = dot(to, to);
    if (m_radius <= 0 || d2 <= m_radius * m_radius * 1.0001f) return 0;
    return 1 / (2 * pi * oneMinusCos(d2));
  }
  Color radiance(const V3f&, const V3f&) const override { return Color(m_luminance); }
  const Shape* shape() const override { return m_radius > 0 ? &m_shape : nullptr; }
  LightReach reach() const override { return {.centre = m_centre, .radius = m_radius}; }

private:
  // 1 - cos of the half-angle under which the sphere is seen, without cancellation far away.
  float oneMinusCos(float d2) const {
    const float s2 = std::min(1.0f, m_radius * m_radius / d2);
    return s2 / (1 + std::sqrt(1 - s2));
  }
  V3f m_centre;
  float m_radius, m_luminance;
  Shape m_shape;
};

} // namespace

LightKind pointLight() {
  return {{.id = "light.point",
           .label = "Point light",
           .helpText = "A lamp that shines alike in all directions: a point, or a ball with a radius.",
           .params = join({lightParams("Power", "lm", 800, 20000),
                           {vector("position", "Position", "m", {0, 1, 0}).soft(-5, 5).at(Stage::Placement).in("Placement").help("Where it stands"),
                            number("radius", "Radius", "m", 0.05).soft(0.001, 1).range(0, 1e6).log().at(Stage::Placement).matters().in("Placement")
                                .help("Size of the ball: softness of its shadows; 0 has hard shadows and is not seen")}}),
           .existence = Stage::Placement},
          [](const Params& p, const M44f& world, const Assets&) {
            const Triple t = p.triple("position");
            const V3f at = transformPoint(world, {float(t[0]), float(t[1]), float(t[2])});
            return std::make_unique<PointLight>(at, p.real("radius"));
          }};
}

} // namespace ilumbra
