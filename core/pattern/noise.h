#pragma once
#include "core/base/vec.h"

#include <cstdint>

namespace ilumbra {

/// Gradient noise in space (Perlin 2002, "Improving Noise", its gradients and its quintic fade), -1..1, 0 at whole
/// coordinates. `seed` gives another field.
float gradientNoise(const V3f& p, uint32_t seed);
/// No step along one axis changes the noise faster than this: |fade'| ≤ 15/8 times the spread of two corners, and the
/// gradient itself.
inline constexpr float gradientNoiseSlope = 4.75f;

} // namespace ilumbra
