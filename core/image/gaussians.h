#pragma once
#include "core/base/tasks.h"
#include "core/image/picture.h"

namespace ilumbra {

/// A kernel that is a sum of round Gaussians. Its integral is the sum of the weights.
struct GaussianSum {
  struct Lobe {
    float weight, sigma; ///< sigma in pixels
    Color tint{1.0f};    ///< by channel, on top of the weight
  };
  std::vector<Lobe> lobes; ///< from the widest to the narrowest
  /// Density at a distance in pixels, per pixel squared, of white light without tints.
  double at(double r) const;
  /// What a point of light in the middle of one pixel gives to the pixel (dx, dy) away: the density's integral over
  /// that pixel. This is what convolve() does.
  double pixel(int dx, int dy) const;
};

/// The picture convolved with the kernel; outside the frame it is black, and light spread beyond the frame is lost.
/// Lobes are blurred in a pyramid at the level where they are 1.7 to 3.4 pixels wide, so that any size costs the same.
Picture convolve(const Picture& in, const GaussianSum& kernel, const Tasks& tasks);

} // namespace ilumbra
