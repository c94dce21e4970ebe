#include "core/light/light.h"

#include <limits>

namespace ilumbra {
namespace {

// A disc at infinity of a given angular diameter: unit power is 1 lux on a surface that faces it. Seen within a cone of
// half-angle α, L = E / (π sin²α).
class SunLight : public Light {
public:
  SunLight(const V3f& towards, float diameterDegrees) : m_frame(towards) {
    const float half = std::max(0.5f * diameterDegrees, 1e-3f) * pi / 180, s = std::sin(half);
    m_one = 2 * sqr(std::sin(0.5f * half));
    m_radiance = 1 / (pi * s * s);
  }
  bool sample(const V3f&, const V2f& u, LightSample& s) const override {
    s.direction = m_frame.toWorld(sampleCone(u, m_one));
    s.distance = std::numeric_limits<float>::infinity();
    s.density = 1 / (2 * pi * m_one);
    s.radiance = Color(m_radiance);
    return true;
  }
  float density(const V3f&, const V3f& d, float, const V3f&) const override { return inside(d) ? 1 / (2 * pi * m_one) : 0; }
  Color radiance(const V3f& d, const V3f&) const override { return Color(inside(d) ? m_radiance : 0.0f); }
  bool infinite() const override { return true; }

private:
  // By the sine, which keeps its precision in narrow cones.
  bool inside(const V3f& d) const {
    const V3f c = m_frame.toLocal(d);
    return c.z > 0 && 0.5f * (c.x * c.x + c.y * c.y + sqr(1 - c.z)) <= m_one;
  }
  Frame m_frame;
  float m_one, m_radiance;
};

} // namespace

LightKind sunLight() {
  return {{.id = "light.sun",
           .label = "Sun",
           .helpText = "Parallel light from far away, with the softness of a disc in the sky.",
           .params = join({lightParams("Illuminance", "lx", 20000, 130000),
                           {number("height", "Height", "°", 45).soft(-10, 90).range(-90, 90).at(Stage::Placement).matters().in("Placement").help("Above the horizon"),
                            number("bearing", "Bearing", "°", 30).soft(-180, 180).at(Stage::Placement).matters().in("Placement")
                                .help("Around the vertical: 0 shines from behind the set, towards +z"),
                            number("diameter", "Angular diameter", "°", 0.53).soft(0.1, 10).range(0, 90).log().at(Stage::Placement).in("Placement")
                                .help("Softness of its shadows; the sun has 0.53°")}}),
           .existence = Stage::Placement},
          [](const Params& p, const M44f& world, const Assets&) {
            const float h = p.real("height") * pi / 180, b = p.real("bearing") * pi / 180;
            const V3f towards(std::cos(h) * std::sin(b), std::sin(h), -std::cos(h) * std::cos(b));
            return std::make_unique<SunLight>(normalize(transformVector(world, towards)), p.real("diameter"));
          }};
}

} // namespace ilumbra
