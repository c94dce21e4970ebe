#pragma once
#include "core/film/film.h"

namespace ilumbra {

/// Denoising as a weighted mean over neighbours: the weights come once, from a film's features (what is seen: its
/// colour, its slope, its distance) and from its whole light with its variance, and are applied to any layer of it
/// alike. So it is linear: the layers' sum denoised is the sum of the denoised layers, and light may be mixed before or
/// after.
///
/// Non-local means between patches, normalised by variance, and features by their own change (Rousselle, Manzi and
/// Zwicker 2013, "Robust Denoising using Feature and Color Information", equations 3 to 8), in two passes: the second
/// compares the first one's result, in which patches are told apart far more surely.
///
/// A pixel moves from its own value by no more than `mostErrors` of its own standard errors (upwards by fewer, where it
/// is as unsure as it is bright; without a bound to speak of while far fewer than 64 samples hardly tell the error): of
/// each pixel a share is kept as it was sampled, the same for every layer, which leaves it linear. So what is bright
/// beside what is dark, and both sure, does not run into it.
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

 private:
  // One channel with a rim, so that neighbours can be read without asking where the picture ends.
  using Plane = std::vector<float>;
  struct Guide {
    std::vector<Plane> color, variance; ///< three each
    int patch = 3;                      ///< radius
    float strength = 0.45f;             ///< k of the paper
  };
  static constexpr int reach = 9, rim = reach + 4;
  size_t index(int x, int y) const { return size_t(y + rim) * size_t(m_stride) + size_t(x + rim); }
  Plane plane() const { return Plane(size_t(m_stride) * size_t(m_height + 2 * rim), 0.0f); }
  void spread(Plane& p) const;
  /// What the constructor does, in its order: the film's colours, variances and features; `half` receives the squared
  /// difference of its halves.
  void readFilm(const Film& film, Guide& guide, std::vector<Plane>& half, const Tasks& tasks);
  void lendVariance(Guide& guide, std::vector<Plane>& half, const Tasks& tasks, const CancelFlag* cancel) const;
  void trustByNoise(const Guide& guide, const Tasks& tasks);
  void scaleFeatures(const Tasks& tasks);
  Plane blurred(const Plane& p, int radius, const Tasks& tasks) const;
  /// Weighted means of planes, and as much of each pixel itself as `m_moved` says.
  /// Not `bounded`: the weighted means alone, for what has errors of its own.
  std::vector<Plane> clean(std::vector<Plane> in, bool bounded, const Tasks& tasks, const CancelFlag* cancel) const;
  void bound(const std::vector<Plane>& color, const std::vector<Plane>& sampled, const Film& film, const Tasks& tasks,
             const CancelFlag* cancel);
  /// Weighted means of planes; `gain` receives Σw² v / (Σw)² of the guide's variance, if not null.
  void filter(const Guide& guide, const std::vector<const Plane*>& in, const std::vector<Plane*>& out,
              std::vector<Plane>* gain, const Tasks& tasks, const CancelFlag* cancel) const;

  int m_width, m_height, m_stride;
  std::vector<Plane> m_features, m_featureScale;
  Plane m_trust; ///< 1, and less for a pixel far noisier than what is around it: a rare bright path is not spread about
  Plane m_moved; ///< what share of a pixel's value comes from the weighted mean, the rest from itself
  Guide m_guide;
};

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
