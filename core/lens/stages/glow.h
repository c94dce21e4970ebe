#pragma once
#include "core/lens/stage.h"

namespace ilumbra {

/// The glow's kernel: what the scatter of a lens makes of a point. A sum of round Gaussians whose widths halve from
/// one to the next, so that the halo falls off like a power of the distance and is never seen to end:
///   K(r) = Σ w_i G(r; σ_i), σ_i = size · height · 2^-i, w_i = falloff^i / Σ falloff^j
/// `size` is the standard deviation of the widest, as a share of the frame's height. Its integral is 1.
struct GlowKernel {
  struct Lobe {
    float weight, sigma; ///< sigma in pixels
    Color tint{1.0f};    ///< by channel, on top of the weight
  };
  std::vector<Lobe> lobes; ///< from the widest to the narrowest
  static constexpr int count = 6;
  GlowKernel() = default;
  GlowKernel(float size, float falloff, int frameHeight);
  /// Density at a distance in pixels, per pixel squared, of white light without tints.
  double at(double r) const;
  /// What a point of light in the middle of one pixel gives to the pixel (dx, dy) away: the density's integral over
  /// that pixel. This is what convolve() does.
  double pixel(int dx, int dy) const;
};

/// The picture convolved with the kernel; outside the frame it is black, and light spread beyond the frame is lost.
/// Lobes are blurred in a pyramid at the level where they are 1.7 to 3.4 pixels wide, so that any size costs the same.
Picture convolve(const Picture& in, const GlowKernel& kernel, const Tasks& tasks);

LensStage glowStage();

} // namespace ilumbra
