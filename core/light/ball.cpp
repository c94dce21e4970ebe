#include "core/light/ball.h"

#include <limits>

namespace ilumbra {

BallLight::BallLight(const V3f& centre, float radius) : m_centre(centre), m_radius(radius) {
  m_shape.sphereRadius = radius;
}

Color BallLight::intensity(const V3f&) const { return Color(1 / (4 * pi)); }

// 1 - cos of the half-angle under which the ball is seen, without cancellation far away.
float BallLight::oneMinusCos(float d2) const {
  const float s2 = std::min(1.0f, m_radius * m_radius / d2);
  return s2 / (1 + std::sqrt(1 - s2));
}

bool BallLight::sample(const V3f& from, const V2f& u, LightSample& s) const {
  const V3f to = m_centre - from;
  const float d2 = dot(to, to);
  if (m_radius <= 0) {
    if (d2 <= 0) return false;
    s.distance = std::sqrt(d2);
    s.direction = to * (1 / s.distance);
    s.radiance = intensity(-s.direction) * (1 / d2);
    s.pdf = std::numeric_limits<float>::infinity();
    return !isBlack(s.radiance);
  }
  if (d2 <= m_radius * m_radius * 1.0001f) return false; // inside its own body
  const float d = std::sqrt(d2), one = oneMinusCos(d2);
  const V3f local = sampleCone(u, one);
  s.direction = Frame(to * (1 / d)).toWorld(local);
  s.pdf = 1 / (2 * pi * one);
  s.radiance = radiance(from, s.direction, s.direction);
  // Nearest meeting of the ray with the sphere.
  const float along = d * local.z, off2 = d2 * std::max(0.0f, 1 - local.z * local.z);
  s.distance = along - std::sqrt(std::max(0.0f, m_radius * m_radius - off2));
  return !isBlack(s.radiance);
}

float BallLight::pdf(const V3f& from, const V3f&, float, const LightHit&) const {
  const V3f to = m_centre - from;
  const float d2 = dot(to, to);
  if (m_radius <= 0 || d2 <= m_radius * m_radius * 1.0001f) return 0;
  return 1 / (2 * pi * oneMinusCos(d2));
}

Color BallLight::radiance(const V3f&, const V3f& direction, const V3f&) const {
  return m_radius > 0 ? intensity(-direction) * (1 / (pi * m_radius * m_radius)) : Color(0.0f);
}

} // namespace ilumbra
