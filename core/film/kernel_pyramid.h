#pragma once
#include "core/film/denoiser_network.h"

namespace ilumbra {

/// Weighted means over neighbours at several scales, each of half the size of the one before: at each a pixel takes
/// from 5 × 5 around it by how alike their features are (Işık and others 2021, "Interactive Monte Carlo Denoising using
/// Affinity of Neural Features"), and a share from the scale below, from those of its pixels that are like it (after
/// Vogels and others 2018, "Denoising with Kernel Prediction and Asymmetric Loss Functions"). The weights of a pixel
/// sum to 1 and are not negative.
class KernelPyramid {
 public:
  KernelPyramid() = default;
  /// Of what the network says (denoiser_network::run()). `doubt`: by pixel of the finest scale, 0 to 1, what share of
  /// its weight it keeps in the means of others; null: all. Throws Cancelled.
  KernelPyramid(const std::vector<ChannelRows>& said, const Tasks& tasks, const ChannelRows* doubt = nullptr);
  int width() const { return m_levels.empty() ? 0 : m_levels.front().width; }
  int height() const { return m_levels.empty() ? 0 : m_levels.front().height; }
  /// The means of each channel, of the pyramid's size; what is in a channel depends on nothing but that channel.
  /// Throws Cancelled.
  ChannelRows apply(const ChannelRows& in, const Tasks& tasks) const;
  size_t bytes() const;

 private:
  static constexpr int radius = 2, side = 2 * radius + 1, taps = side * side, middle = taps / 2, rises = 4;
  /// Weights as half floats: by row, then tap, then pixel. The first `taps` are of this scale's pixels, row by row; the
  /// others of the scale below, its pixel over this one, then beside it, above or below it, and aslant. A pixel itself,
  /// and the first of 2 × 2, has what the others leave: what is even stays so, however weights are rounded.
  struct Level {
    int width = 0, height = 0, stride = 0;
    std::vector<uint16_t> weights;
    std::vector<uint16_t> pooled; ///< a pixel's weight in the mean of its 2 × 2
    const uint16_t* row(int y, int tap) const {
      return weights.data() + (size_t(y) * (taps + rises) + size_t(tap)) * size_t(stride);
    }
    uint16_t* row(int y, int tap) { return const_cast<uint16_t*>(std::as_const(*this).row(y, tap)); }
  };
  static void weigh(Level& level, const ChannelRows& said, const ChannelRows& trust, const ChannelRows* coarse, int y);
  std::vector<Level> m_levels;
};

} // namespace ilumbra
