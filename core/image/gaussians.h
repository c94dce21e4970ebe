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

/// The part of a picture of this size that light of one of its parts comes into: as far as convolve() spreads it.
Region convolvedRegion(const GaussianSum& kernel, const Region& part, int width, int height);
/// The same of a picture that is dark but for `light`, which lies at `part`: what comes of it in `to`, which
/// convolvedRegion() gives, to the bit.
Picture convolve(const Picture& light, const Region& part, const GaussianSum& kernel, const Region& to,
                 const Tasks& tasks);
/// Receives some pixels of a row, from (x, y) of the region on, in any order and from several threads; all of it once.
/// What it makes of them is its own.
using GiveSpread = std::function<void(int x, int y, int pixels, float* spread)>;
/// The same while it is near, without a picture of it.
void convolve(const Picture& light, const Region& part, const GaussianSum& kernel, const Region& to, const Tasks& tasks,
              const GiveSpread& give);

} // namespace ilumbra
