#include "core/scene/caustics.h"

#include <cmath>

namespace ilumbra {

float CausticRule::carried(float way) const { return carry > 0 && size > 0 ? std::pow(1 + way / size, 2 * carry) : 1; }

float CausticRule::radiusOf(uint32_t pass) const {
  if (steady) return radius;
  double square = 1;
  for (uint32_t i = 1; i <= pass; ++i) square *= (double(i) + 2.0 / 3) / (double(i) + 1);
  return radius * float(std::sqrt(square));
}

} // namespace ilumbra
