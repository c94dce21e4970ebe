#pragma once
#include "core/film/denoiser_network.h"
#include "core/film/film.h"

namespace ilumbra {

/// What the denoiser's network is told of a film, by pixel: log light, its error as the samples and as their two halves
/// have it, what is seen at last (albedo and normal, through mirrors and clear things) and at first, distance, alpha
/// and the number of samples. The size is that of the film rounded up to what the network wants; past its edges it is
/// as at them.
class DenoiserInputs {
 public:
  DenoiserInputs(const Film& film, const Tasks& tasks);
  int width() const { return m_width; }
  int height() const { return m_height; }
  /// Row y of all inputs into row 0 of `to`.
  void row(int y, ChannelRows& to) const;

 private:
  int m_width, m_height;
  std::vector<uint16_t> m_values; ///< half floats, by row, then input, then pixel
};

} // namespace ilumbra
