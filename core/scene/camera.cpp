#include "core/scene/camera.h"

namespace ilumbra {

Aperture::Aperture(int blades, float rounding, float turn)
    : m_blades(blades < 3 ? 0 : blades), m_rounding(rounding), m_turn(turn * pi / 180) {
  if (!m_blades || m_rounding >= 1) {
    m_blades = 0;
    return;
  }
  // Over one blade: equal angles, each by the area that it holds.
  constexpr int cells = 128;
  std::vector<float> areas;
  for (int i = 0; i < cells; ++i)
    areas.push_back(sqr(edge(m_turn + 2 * pi / float(m_blades) * (float(i) + 0.5f) / cells)));
  m_angles = Distribution(areas);
}

float Aperture::edge(float angle) const {
  if (!m_blades) return 1;
  const float blade = 2 * pi / float(m_blades), a = angle - m_turn, within = a - blade * std::floor(a / blade);
  return mix(std::cos(0.5f * blade) / std::cos(within - 0.5f * blade), 1.0f, m_rounding);
}

V2f Aperture::sample(const V2f& u) const {
  if (!m_blades) return sampleDisc(u);
  const float scaled = u.x * float(m_blades), blade = std::min(std::floor(scaled), float(m_blades - 1));
  float within = scaled - blade, p;
  const size_t cell = m_angles.sample(within, p);
  const float angle = m_turn + 2 * pi / float(m_blades) * (blade + (float(cell) + within) / float(m_angles.size())),
              r = std::sqrt(u.y) * edge(angle);
  return {r * std::cos(angle), r * std::sin(angle)};
}

Camera::Camera(const CameraSpec& spec)
    : m_motion(spec.motion), m_opening(spec.opening), m_filmWidth(spec.filmWidth), m_aperture(spec.apertureRadius),
      m_focus(spec.focus), m_width(spec.width), m_height(spec.height) {
  m_position = transformPoint(spec.toWorld, V3f(0.0f));
  m_z = normalize(transformVector(spec.toWorld, {0, 0, 1}));
  m_x = normalize(transformVector(spec.toWorld, {1, 0, 0}));
  m_y = cross(m_z, m_x);
}

Ray Camera::ray(float x, float y, const V2f& lens, float time) const {
  const float s = m_filmWidth / float(m_width);
  const V3f d((x - 0.5f * float(m_width)) * s, (0.5f * float(m_height) - y) * s, -1);
  V3f from(0.0f), to = d;
  if (m_aperture > 0) {
    const V2f a = m_opening.sample(lens) * m_aperture;
    from = {a.x, a.y, 0};
    to = d * m_focus - from;
  }
  if (m_motion) {
    const M44f now = m_motion->at(time);
    return {transformPoint(now, from), normalize(transformVector(now, to))};
  }
  return {m_position + m_x * from.x + m_y * from.y, normalize(m_x * to.x + m_y * to.y + m_z * to.z)};
}

Ray Camera::through(float x, float y) const {
  const float s = m_filmWidth / float(m_width);
  return {m_position,
          normalize(m_x * ((x - 0.5f * float(m_width)) * s) + m_y * ((0.5f * float(m_height) - y) * s) - m_z)};
}

bool Camera::project(const V3f& world, float& x, float& y) const {
  const V3f d = world - m_position;
  const float z = -dot(d, m_z);
  if (z <= 1e-6f) return false;
  const float s = float(m_width) / m_filmWidth;
  x = 0.5f * float(m_width) + dot(d, m_x) / z * s;
  y = 0.5f * float(m_height) - dot(d, m_y) / z * s;
  return true;
}

} // namespace ilumbra
