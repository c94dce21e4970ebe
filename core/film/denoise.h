#pragma once
#include "core/film/film.h"
#include "core/film/kernel_pyramid.h"

namespace ilumbra {

/// Denoising as weighted means over neighbours at several scales: a network says the weights once, from a film's
/// features (what is seen: its colour, its slope, its distance) and from its whole light with its errors, and they are
/// applied to any layer of it alike. So it is linear: the layers' sum denoised is the sum of the denoised layers, and
/// light may be mixed before or after. Where the network says so, the colour of what is seen is divided out before and
/// multiplied after, so that texture stays.
///
/// A pixel moves from its own value by no more than `mostErrors` of its own standard errors (without a bound to speak of
/// while far fewer than 64 samples hardly tell the error), and from 16 samples on by less where the pixels around move
/// further than their errors account for: of each pixel a share is kept as it was sampled, the same for every layer,
/// which leaves it linear. So what is bright beside what is dark, and both sure, does not run into it.
class Denoiser {
 public:
  /// Takes what it needs from the film, which may go on. Values do not depend on the number of threads. Throws
  /// Cancelled.
  Denoiser(const Film& film, const Tasks& tasks, const CancelFlag* cancel = nullptr);
  /// The same weights on each picture, of the film's size. Throws Cancelled.
  std::vector<Picture> apply(const std::vector<const Picture*>& layers, const Tasks& tasks,
                             const CancelFlag* cancel = nullptr) const;
  /// The same on single numbers of every pixel (coverages), rows from the top.
  std::vector<std::vector<float>> apply(const std::vector<const std::vector<float>*>& values, const Tasks& tasks,
                                        const CancelFlag* cancel = nullptr) const;
  Picture apply(const Picture& layer, const Tasks& tasks) const {
    return std::move(apply(std::vector<const Picture*>{&layer}, tasks).front());
  }
  int width() const { return m_width; }
  int height() const { return m_height; }
  static constexpr float mostErrors = 3;
  static constexpr float leastAlbedo = 0.02f; ///< added to what is divided out

 private:
  /// From what `write` puts into each channel's row y; what the film lacks to the size is as at the film's edges.
  ChannelRows widened(int channels, int width, int height,
                      const std::function<void(int channel, int y, float* row)>& write, const Tasks& tasks) const;
  int m_width, m_height;
  KernelPyramid m_kernels;
  ChannelRows m_divisor;      ///< of the three colours; of the kernels' size
  std::vector<float> m_moved; ///< what share of a pixel's value comes from the weighted mean, the rest from itself
};

/// Pictures of a film (whole, or some of its layers, as `collected(i, which)` gives number i of them) denoised: their
/// certain light is left as it is. Throws Cancelled.
std::vector<Picture> denoised(const Denoiser& denoiser, size_t count,
                              const std::function<Picture(size_t i, FilmLight which)>& collected, const Tasks& tasks,
                              const CancelFlag* cancel = nullptr);

/// The film's alpha, and coverages by its masks, by the denoiser's weights.
struct CleanCoverage {
  std::vector<float> alpha;
  std::vector<float>
      things; ///< of it, what first-hit coverages of things come to: the rest is air without a thing behind it
  std::vector<std::vector<float>> masks;
};
CleanCoverage cleanCoverage(const Film& film, const Denoiser& denoiser, const Tasks& tasks,
                            const CancelFlag* cancel = nullptr);
/// A pixel's first-hit coverages, as shares of it, made to sum to CleanCoverage::things. Where the pixel itself met
/// nothing they are its neighbours'.
Film::Ranked coveredBy(const Film& film, const std::vector<float>& things, size_t pixel);

} // namespace ilumbra
