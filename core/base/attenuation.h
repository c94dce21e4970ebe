#pragma once
#include "core/base/vec.h"

#include <algorithm>
#include <cmath>

namespace ilumbra {

/// Share of light that is left after so many metres, by the loss per metre (Beer and Lambert).
inline Color attenuation(const Color& perMetre, float metres) {
  return {std::exp(-perMetre.x * metres), std::exp(-perMetre.y * metres), std::exp(-perMetre.z * metres)};
}

/// Loss per metre where white light has this tint (of the working space; 1e-6 at least) after a depth in metres, > 0.
/// What is no number takes nothing.
inline Color absorptionOfTint(const Color& tint, float depth) {
  Color out;
  for (int c = 0; c < 3; ++c)
    out[c] = std::isfinite(tint[c]) ? -std::log(std::clamp(tint[c], 1e-6f, 1.0f)) / depth : 0;
  return out;
}

} // namespace ilumbra
