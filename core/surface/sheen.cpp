#include "core/surface/sheen.h"

namespace ilumbra {
namespace {

float lobe(const V3f& wo, const V3f& wi, float roughness) {
  const float inverse = 1 / std::max(0.07f, roughness * roughness);
  const V3f h = normalize(wo + wi);
  const float sine = std::sqrt(std::max(0.0f, 1 - h.z * h.z));
  const float d = (2 + inverse) * std::pow(sine, inverse) / (2 * pi);
  return d * wi.z / (4 * (wi.z + wo.z - wi.z * wo.z));
}

} // namespace

const Sheen& Sheen::table() {
  static const Sheen made;
  return made;
}

Sheen::Sheen() : m_albedo(size_t(size) * size) {
  constexpr int rings = 96, turns = 48;
  for (int r = 0; r < size; ++r)
    for (int c = 0; c < size; ++c) {
      const float z = std::max(0.004f, float(c) / (size - 1));
      const V3f wo(std::sqrt(1 - z * z), 0, z);
      double sum = 0;
      for (int i = 0; i < rings; ++i)
        for (int j = 0; j < turns; ++j) {
          // Even over the hemisphere; half of the turn stands for both.
          const float u = (float(i) + 0.5f) / rings, phi = pi * (float(j) + 0.5f) / turns, s = std::sqrt(1 - u * u);
          sum += double(lobe(wo, {s * std::cos(phi), s * std::sin(phi), u}, float(r) / (size - 1)));
        }
      m_albedo[size_t(r * size + c)] = float(sum * 2 * 3.14159265358979 / (rings * turns));
    }
}

float Sheen::raw(float cosine, float roughness) const {
  const float x = clamp01(cosine) * (size - 1), y = clamp01(roughness) * (size - 1);
  const int i = std::min(int(x), size - 2), j = std::min(int(y), size - 2);
  const float tx = x - float(i), ty = y - float(j);
  const float* p = m_albedo.data() + j * size + i;
  return mix(mix(p[0], p[1], tx), mix(p[size], p[size + 1], tx), ty);
}

float Sheen::evaluate(const V3f& wo, const V3f& wi, float roughness) const {
  return lobe(wo, wi, roughness) / std::max(1.0f, raw(wo.z, roughness));
}

} // namespace ilumbra
