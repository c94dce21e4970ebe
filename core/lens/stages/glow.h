#pragma once
#include "core/image/gaussians.h"
#include "core/lens/stage.h"

namespace ilumbra {

/// The glow's kernel: what the scatter of a lens makes of a point. A sum of round Gaussians whose widths halve from
/// one to the next, so that the halo falls off like a power of the distance and is never seen to end:
///   K(r) = Σ w_i G(r; σ_i), σ_i = size · height · 2^-i, w_i = falloff^i / Σ falloff^j
/// `size` is the standard deviation of the widest, as a share of the frame's height. Its integral is 1.
GaussianSum glowKernel(float size, float falloff, int frameHeight);
/// How many Gaussians it has.
inline constexpr int glowLobes = 6;

} // namespace ilumbra
