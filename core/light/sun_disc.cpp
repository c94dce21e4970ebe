#include "core/light/sun_disc.h"

namespace ilumbra {

SunDisc::SunDisc(const V3f& towards, float diameter) : m_frame(towards) {
  const float half = std::max(0.5f * diameter, 1e-3f) * pi / 180;
  m_one = 2 * sqr(std::sin(0.5f * half));
  m_radiance = 1 / (pi * sqr(std::sin(half)));
}

// By the sine, which keeps its precision in narrow cones.
bool SunDisc::holds(const V3f& d) const {
  const V3f c = m_frame.toLocal(d);
  return c.z > 0 && 0.5f * (c.x * c.x + c.y * c.y + sqr(1 - c.z)) <= m_one;
}

} // namespace ilumbra
