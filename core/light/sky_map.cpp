#include "core/light/sky_map.h"

#include <limits>

namespace ilumbra {

V2f skyPlace(const V3f& d) {
  const float x = std::atan2(d.x, -d.z) / (2 * pi);
  return {x - std::floor(x), std::acos(std::clamp(d.y, -1.0f, 1.0f)) / pi};
}

V3f skyDirection(const V2f& p) {
  const float theta = pi * p.y, phi = 2 * pi * p.x, sine = std::sin(theta);
  return {sine * std::sin(phi), std::cos(theta), -sine * std::cos(phi)};
}

void SkyMap::chart(int width, int height, const std::function<float(int, int)>& brightest) {
  m_width = width;
  m_height = height;
  std::vector<float> weights(size_t(width) * size_t(height));
  double sum = 0;
  for (int y = 0; y < height; ++y) {
    const float sine = std::sin(pi * (float(y) + 0.5f) / float(height)),
                cosine = std::cos(pi * (float(y) + 0.5f) / float(height));
    for (int x = 0; x < width; ++x) {
      const float b = brightest(x, y);
      weights[size_t(y) * size_t(width) + size_t(x)] = b * sine;
      sum += double(b * sine * std::abs(cosine));
    }
  }
  // On a surface that looks at the brighter half of it, roughly.
  m_illuminance = std::max(1e-6f, float(sum * double(pi * pi) * 2 / (double(width) * height)));
  m_cells = Distribution(weights);
}

void SkyMap::chartSmooth(int width, int height, const std::function<Color(const V3f&)>& sky) {
  chart(width, height, [&](int x, int y) {
    float most = 1e-9f;
    for (int j = 0; j < 3; ++j)
      for (int i = 0; i < 3; ++i) {
        most = std::max(most, luminance(sky(skyDirection({(float(x) + 0.5f * float(i)) / float(width),
                                                          (float(y) + 0.5f * float(j)) / float(height)}))));
      }
    return most;
  });
}

bool SkyMap::sample(const V3f&, const V2f& u, LightSample& s) const {
  float first = u.x, p;
  const size_t cell = m_cells.sample(first, p);
  const V2f at((float(cell % size_t(m_width)) + first) / float(m_width),
               (float(cell / size_t(m_width)) + u.y) / float(m_height));
  const float sine = std::sin(pi * at.y);
  if (sine <= 0) return false;
  s.direction = skyDirection(at);
  s.distance = std::numeric_limits<float>::infinity();
  s.pdf = p * float(m_width) * float(m_height) / (2 * pi * pi * sine);
  s.radiance = radiance(s.direction, s.direction, s.direction);
  return s.pdf > 0;
}

float SkyMap::pdf(const V3f&, const V3f& d, float, const LightHit&) const {
  const V2f at = skyPlace(d);
  const float sine = std::sin(pi * at.y);
  if (sine <= 1e-6f) return 0;
  const size_t i = std::min(size_t(at.x * float(m_width)), size_t(m_width) - 1),
               j = std::min(size_t(at.y * float(m_height)), size_t(m_height) - 1);
  return m_cells.probability(j * size_t(m_width) + i) * float(m_width) * float(m_height) / (2 * pi * pi * sine);
}

} // namespace ilumbra
