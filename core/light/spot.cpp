#include "core/base/colorspace.h"
#include "core/light/ball.h"
#include "core/pattern/image.h"

namespace ilumbra {
namespace {

// Intensity is even inside the inner half-angle and falls to 0 at the outer one by a smoothstep in the cosine; whatever
// the edge, its integral over directions is the power. A slide takes of that what it does not let through.
class SpotLight : public BallLight {
 public:
  SpotLight(const M44f& world, float radius, float innerDegrees, float outerDegrees, std::shared_ptr<const Image> slide,
            float aspect)
      : BallLight(transformPoint(world, V3f(0.0f)), radius), m_slide(std::move(slide)) {
    m_axis = normalize(transformVector(world, {0, 0, -1}));
    m_right = normalize(transformVector(world, {1, 0, 0}));
    m_up = normalize(transformVector(world, {0, 1, 0}));
    m_inner = std::cos(innerDegrees * pi / 180);
    m_outer = std::cos(outerDegrees * pi / 180);
    // ∫ smoothstep over the edge's cosines is half its width.
    const float solid = 2 * pi * ((1 - m_inner) + 0.5f * (m_inner - m_outer));
    m_peak = solid > 0 ? 1 / solid : 0;
    // The picture's longer side is as wide as the cone.
    const float t = std::tan(std::min(outerDegrees, 85.0f) * pi / 180);
    m_scaleX = 0.5f / (t * std::min(1.0f, aspect));
    m_scaleY = 0.5f / (t * std::min(1.0f, 1 / aspect));
    // The cone moves back until the whole lens lies in it; the slide's rims likewise.
    const float half = std::acos(m_outer);
    m_lit.cone(m_centre - m_axis * (half > 1e-3f ? m_radius / std::sin(std::min(half, 0.5f * pi)) : 0), m_axis, half);
    if (m_slide && half < 0.5f * pi)
      for (const auto& [side, scale] :
           {std::pair{m_right, m_scaleX}, {-m_right, m_scaleX}, {m_up, m_scaleY}, {-m_up, m_scaleY}}) {
        // At a metre along the axis the picture's rim lies 0.5 / scale off it.
        const V3f normal = normalize(side - m_axis * (0.5f / scale));
        m_lit.plane(normal, m_centre + normal * m_radius);
      }
  }
  const Convex* lit() const override { return m_lit.everywhere() ? nullptr : &m_lit; }
  // Brighter than a lamp that shines all around by as much as its cone is narrower.
  // As a slide lies.
  PatternPoint patternPoint(const V3f& at, const V3f& away, const M44f& toLight) const override {
    PatternPoint p = Light::patternPoint(at, away, toLight);
    const float c = dot(away, m_axis);
    if (c > 1e-3f) p.uv = {0.5f + m_scaleX * dot(away, m_right) / c, 0.5f + m_scaleY * dot(away, m_up) / c};
    return p;
  }
  LightReach reach() const override {
    return {.centre = m_centre,
            .radius = m_radius,
            .axis = m_axis,
            .spread = 0,
            .fall = std::acos(m_outer),
            .flux = 4 * pi * m_peak};
  }

 private:
  Color intensity(const V3f& away) const override {
    const float c = dot(away, m_axis);
    if (c <= m_outer) return Color(0.0f);
    const float t = c >= m_inner ? 1.0f : (c - m_outer) / (m_inner - m_outer);
    const Color open(m_peak * smoothstep(t));
    if (!m_slide) return open;
    if (c <= 1e-3f) return Color(0.0f);
    const float u = 0.5f + m_scaleX * dot(away, m_right) / c, v = 0.5f + m_scaleY * dot(away, m_up) / c;
    if (u < 0 || u > 1 || v < 0 || v > 1) return Color(0.0f);
    // Its rims do not run into each other.
    const float hx = 0.5f / float(m_slide->width()), hy = 0.5f / float(m_slide->height());
    const auto s = m_slide->lookup(std::clamp(u, hx, 1 - hx), std::clamp(v, hy, 1 - hy), true);
    return open * vmax(acescgFrom709({s.x, s.y, s.z}), Color(0.0f)) * s.w;
  }
  V3f m_axis, m_right, m_up;
  float m_inner, m_outer, m_peak, m_scaleX, m_scaleY;
  std::shared_ptr<const Image> m_slide;
  Convex m_lit;
};

} // namespace

LightKind spotLight() {
  return {{.id = "light.spot",
           .label = "Spot light",
           .helpText = "A lamp that shines into a cone; with a slide, a projector.",
           .params = join({lightParams("Power", "lm", 1500, 50000),
                           aimParams({0, 3, 0}, {0, 0, 0}),
                           {number("cone", "Cone", "°", 30)
                                .soft(1, 90)
                                .range(0.01, 180)
                                .at(Invalidation::Placement)
                                .matters()
                                .in("Placement")
                                .help("From the axis to where the light ends"),
                            number("edge", "Soft edge of the cone", "%", 0.2)
                                .soft(0, 1)
                                .range(0, 1)
                                .at(Invalidation::Placement)
                                .matters()
                                .in("Placement")
                                .help("Share of the cone over which the light fades"),
                            number("radius", "Radius", "m", 0)
                                .soft(0, 0.5)
                                .range(0, 1e6)
                                .at(Invalidation::Placement)
                                .matters()
                                .in("Placement")
                                .help("Size of its lens: softness of its shadows; 0 has hard shadows and is not seen"),
                            file("slide", "Slide")
                                .at(Invalidation::Placement)
                                .in("Slide")
                                .help("A picture that is projected: as wide as the cone"),
                            rangeParam()}}),
           .existence = Invalidation::Placement},
          [](const Params& p, const M44f& world, const Assets& assets) {
            const float cone = p.real("cone");
            const std::string name = p.text("slide");
            const auto slide = name.empty() ? nullptr : assets.image(name, -1);
            const float aspect = slide ? float(slide->width()) / float(slide->height()) : 1;
            return std::make_unique<SpotLight>(aimMatrix(p) * world, p.real("radius"), cone * (1 - p.real("edge")),
                                               cone, slide, aspect);
          },
          Punctual::Spot};
}

} // namespace ilumbra
