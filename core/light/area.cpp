#include "core/light/light.h"

namespace ilumbra {
namespace {

// A Lambertian rectangle in its local xy plane that shines along -z: L = Φ / (π A), half of it on each side when both
// sides shine.
class AreaLight : public Light {
public:
  AreaLight(const M44f& world, float width, float height, bool bothSides) : m_both(bothSides) {
    m_x = transformVector(world, {width, 0, 0});
    m_y = transformVector(world, {0, height, 0});
    m_centre = transformPoint(world, {0, 0, 0});
    const V3f n = cross(m_y, m_x);
    m_area = length(n);
    m_normal = normalize(n);
    m_luminance = m_area > 0 ? 1 / (pi * m_area * (bothSides ? 2.0f : 1.0f)) : 0;
    m_shape.mesh.positions = {m_centre - m_x * 0.5f - m_y * 0.5f, m_centre + m_x * 0.5f - m_y * 0.5f,
                              m_centre + m_x * 0.5f + m_y * 0.5f, m_centre - m_x * 0.5f + m_y * 0.5f};
    m_shape.mesh.triangles = {{0, 2, 1}, {0, 3, 2}};
  }

  bool sample(const V3f& from, const V2f& u, LightSample& s) const override {
    const V3f to = m_centre + m_x * (u.x - 0.5f) + m_y * (u.y - 0.5f) - from;
    const float d2 = dot(to, to);
    if (d2 <= 0 || m_area <= 0) return false;
    s.distance = std::sqrt(d2);
    s.direction = to * (1 / s.distance);
    const float c = -dot(s.direction, m_normal);
    if (c == 0 || (c < 0 && !m_both)) return false;
    s.density = d2 / (std::abs(c) * m_area);
    s.radiance = Color(m_luminance);
    return true;
  }
  float density(const V3f&, const V3f& direction, float distance, const V3f&) const override {
    const float c = -dot(direction, m_normal);
    if (c == 0 || (c < 0 && !m_both)) return 0;
    return distance * distance / (std::abs(c) * m_area);
  }
  Color radiance(const V3f& direction, const V3f&) const override {
    return Color(m_both || dot(direction, m_normal) < 0 ? m_luminance : 0.0f);
  }
  const Shape* shape() const override { return &m_shape; }
  LightReach reach() const override {
    return {.centre = m_centre, .radius = 0.5f * length(m_x) + 0.5f * length(m_y), .axis = m_normal, .spread = m_both ? pi : 0};
  }

private:
  V3f m_centre, m_x, m_y, m_normal;
  float m_area, m_luminance;
  bool m_both;
  Shape m_shape; ///< in world space
};

} // namespace

LightKind areaLight() {
  return {{.id = "light.area",
           .label = "Area light",
           .helpText = "A glowing rectangle that shines to the side it faces.",
           .params = join({lightParams("Power", "lm", 2000, 50000),
                           {number("width", "Width", "m", 1).soft(0.01, 5).range(1e-6, 1e6).log().at(Stage::Placement).matters().in("Placement").help("Of the rectangle"),
                            number("height", "Height", "m", 1).soft(0.01, 5).range(1e-6, 1e6).log().at(Stage::Placement).matters().in("Placement").help("Of the rectangle"),
                            flag("both_sides", "Both sides shine", false).at(Stage::Placement).in("Placement").help("Off: the back is dark")},
                           aimParams({0, 2, 0}, {0, 0, 0})}),
           .existence = Stage::Placement},
          [](const Params& p, const M44f& world, const Assets&) {
            return std::make_unique<AreaLight>(aimMatrix(p) * world, p.real("width"), p.real("height"), p.flag("both_sides"));
          }};
}

} // namespace ilumbra
