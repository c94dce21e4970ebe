#pragma once
#include "core/render/film.h"

namespace ilumbra {

/// Denoising as a weighted mean over neighbours: the weights come once, from a film's features (what is seen: its colour,
/// its slope, its distance) and from its whole light with its variance, and are applied to any layer of it alike. So it is
/// linear: the layers' sum denoised is the sum of the denoised layers, and light may be mixed before or after.
///
/// Non-local means between patches, normalised by variance, and features by their own change (Rousselle, Manzi and Zwicker
/// 2013, "Robust Denoising using Feature and Color Information", equations 3 to 8), in two passes: the second compares the
/// first one's result, in which patches are told apart far more surely.
class Denoiser {
public:
  /// Takes what it needs from the film, which may go on. Values do not depend on the number of threads. Throws Cancelled.
  Denoiser(const Film& film, const Tasks& tasks, const CancelFlag* cancel = nullptr);
  /// The same weights on each picture, of the film's size. Throws Cancelled.
  std::vector<Picture> apply(const std::vector<const Picture*>& layers, const Tasks& tasks, const CancelFlag* cancel = nullptr) const;
  Picture apply(const Picture& layer, const Tasks& tasks) const { return std::move(apply(std::vector<const Picture*>{&layer}, tasks).front()); }
  int width() const { return m_width; }
  int height() const { return m_height; }

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
  Plane blurred(const Plane& p, int radius, const Tasks& tasks) const;
  /// Weighted means of planes; `gain` receives Σw² v / (Σw)² of the guide's variance, if not null.
  void filter(const Guide& guide, const std::vector<const Plane*>& in, const std::vector<Plane*>& out, std::vector<Plane>* gain, const Tasks& tasks, const CancelFlag* cancel) const;

  int m_width, m_height, m_stride;
  std::vector<Plane> m_features, m_featureScale;
  Plane m_trust; ///< 1, and less for a pixel far noisier than what is around it: a rare bright path is not spread about
  Guide m_guide;
};

} // namespace ilumbra
