#pragma once
#include "core/base/tasks.h"

#include <functional>
#include <memory>
#include <utility>
#include <vector>

namespace ilumbra {

/// Rows of numbers by channel, each with zeros around it so that what looks at neighbours need not ask where it ends,
/// and room to write whole vectors past its end. What is within is meaningless until it is written.
class ChannelRows {
 public:
  ChannelRows() = default;
  ChannelRows(int channels, int width, int height);
  int channels() const { return m_channels; }
  int width() const { return m_width; }
  int height() const { return m_height; }
  /// y from -1 to height: those beside the picture are zeros.
  float* row(int channel, int y) { return m_data.get() + offset(channel, y); }
  const float* row(int channel, int y) const { return m_data.get() + offset(channel, y); }
  /// Zeros past the end of a row again, after vectors were written over it.
  void close(int y);
  /// How many pixels vectors may write from the start of a row.
  static int padded(int width) { return (width + tile - 1) / tile * tile; }
  static constexpr int tile = 48, margin = 8;

 private:
  size_t offset(int channel, int y) const {
    return (size_t(y + 1) * size_t(m_channels) + size_t(channel)) * size_t(m_stride) + margin;
  }
  int m_channels = 0, m_width = 0, m_height = 0, m_stride = 0;
  std::unique_ptr<float[]> m_data;
};

/// The network that says the denoiser's kernels: a U-net over five scales, each of half the size of the one before,
/// trained by tools/denoiser. Its numbers are a part of the program (core/film/denoiser.weights).
namespace denoiser_network {

constexpr int inputs = 18, scales = 5, features = 8;
/// Of each scale: `features` numbers by which neighbours are alike, then sharpness, trust, the share of the coarser
/// scale; of the finest one how far albedo is divided out besides. All as they come from the last layer.
constexpr int says(int scale) { return features + (scale ? 3 : 4); }
/// Sizes are to be multiples of this.
constexpr int multiple = 16;

/// What the network says of a picture of width × height. `input` writes row y of every channel, `inputs` of them, into
/// row 0 of what it is handed; it may be called from several threads, and twice for a row. Values do not depend on the
/// number of threads. Throws Cancelled.
std::vector<ChannelRows> run(int width, int height, const std::function<void(int y, ChannelRows& to)>& input,
                             const Tasks& tasks);

} // namespace denoiser_network
} // namespace ilumbra
