#include "core/air/air_color.h"

#include "core/base/attenuation.h"
#include "core/base/sampling.h"

#include <algorithm>
#include <cmath>

namespace ilumbra {

PatternPoint airPoint(const V3f& world, const M44f& toObject, float random) {
  PatternPoint p;
  p.world = world;
  p.position = transformPoint(toObject, world);
  p.uv = {p.position.x, p.position.y};
  p.random = random;
  return p;
}

PatternColor::PatternColor(std::shared_ptr<const Program> program, const M44f& toObject, float random, float low,
                           float high)
    : m_program(std::move(program)), m_toObject(toObject), m_random(random), m_low(low), m_high(high) {}

Color PatternColor::colorAt(const V3f& world) const {
  const Sample4 v = m_program->evaluate(airPoint(world, m_toObject, m_random));
  Color out;
  for (int c = 0; c < 3; ++c) out[c] = std::clamp(std::isfinite(v[c]) ? v[c] : 0.0f, m_low, m_high);
  return out;
}

TintedExtinction::TintedExtinction(AirColorPtr tint, float base, float depth, const Color& most)
    : m_tint(std::move(tint)), m_base(base), m_depth(depth) {
  for (int c = 0; c < 3; ++c) m_perMost[c] = most[c] > 0 ? 1 / most[c] : 0;
}

Color TintedExtinction::colorAt(const V3f& world) const {
  const Color taken = absorptionOfTint(m_tint->colorAt(world), m_depth);
  Color out;
  for (int c = 0; c < 3; ++c) out[c] = clamp01((m_base + taken[c]) * m_perMost[c]);
  return out;
}

} // namespace ilumbra
