#pragma once
#include "core/image/picture.h"
#include "core/scene/trace_count.h"
#include "core/transport/camera_path.h"

#include <functional>

namespace ilumbra {

/// A scene being rendered: its film and what was counted. Work can be broken off at any time and goes on where it
/// stopped; a pixel's value depends on its number of samples only, never on the order or number of threads.
class Rendering {
 public:
  Rendering() = default;
  explicit Rendering(ScenePtr scene, int step = 1, bool draft = false) { restart(std::move(scene), step, draft); }
  /// From the first sample. With `step` > 1 each pixel of the film stands for step × step pixels of the picture, and
  /// clear things do not disperse light; a draft has direct light only (see PathTracer).
  /// `firstSample`: it begins with that one of the picture's samples, as if those before were in another film.
  void restart(ScenePtr scene, int step = 1, bool draft = false, uint32_t firstSample = 0);
  /// As if the samples of another rendering of the same scene came after these.
  void append(const Rendering& later);
  /// Takes a film that was written (Film::write) as its own; `samples`: that it has.
  void readFilm(std::istream& in, uint32_t samples);
  /// Goes on with a scene that differs from this one in its overscan alone: what was sampled stays.
  void widen(ScenePtr scene);
  /// What lies beside the frame has far fewer samples than the frame, since it was widened.
  bool behind() const { return m_film.surround() && !m_converged && 2 * m_besideSamples < m_samples; }
  /// Samples of it, one or as many as there are, up to the frame's. False if cancelled on the way.
  bool catchUp(const Tasks& tasks, const CancelFlag& cancel);
  bool empty() const { return !m_scene; }
  int step() const { return m_step; }
  const Scene& scene() const { return *m_scene; }
  const ScenePtr& sharedScene() const { return m_scene; }
  const Film& film() const { return m_film; }

  /// Gives every pixel of the region at least `samples` samples. False if cancelled on the way; the answer to a cancel
  /// comes within a row of a tile.
  ///
  /// With `noise` above 0, which Film::noise() should come down to, the whole picture's passes go where it is needed
  /// after the first `evenSamples`: blocks of 8 × 8 pixels whose error is below three quarters of it rest. In each
  /// block the black pixels of a chequerboard steer the white ones and the other way about, so that no pixel's own luck
  /// decides how often it is sampled.
  bool advance(const Tasks& tasks, uint32_t samples, const CancelFlag& cancel, const Region& region = Region(),
               double noise = 0);
  /// Gives the region's pixels at least `samples` samples before their turn, evenly. The passes that follow leave out
  /// what is done.
  bool refineRegion(const Tasks& tasks, uint32_t samples, const CancelFlag& cancel, const Region& region);
  /// Samples of the pixels that were never left out.
  uint32_t samples() const { return m_samples; }
  /// The samples that the next pass should aim at: the same steps whoever asks, so that the same choices are made.
  uint32_t nextPass(uint32_t most) const {
    return std::min(most, m_samples < 8 ? m_samples + 1 : m_samples + std::max(1u, m_samples / 8));
  }
  /// The noise asked for is reached: the last pass had nothing to do.
  bool converged() const { return m_converged; }
  void reconsider() { m_converged = false; }
  static constexpr uint32_t evenSamples = 16;
  const TraceCount& count() const { return m_count; }

 private:
  ScenePtr m_scene;
  Film m_film;
  TraceCount m_count;
  /// The film's pixels of a region of the picture.
  Region pixelsOf(const Region& region) const;
  /// A part of a film to sample, each pixel up to goal(x, y).
  struct Piece {
    Film* film;
    Region pixels;
    int step, margin;
    std::function<uint32_t(int x, int y)> goal;
  };
  void trace(const Tasks& tasks, const std::vector<Piece>& pieces, const CancelFlag& cancel);
  void surround();
  /// What lies beside the frame, up to `samples`.
  void addSurround(std::vector<Piece>& pieces, uint32_t samples);
  /// The photons of the samples' pass; null: the scene has none.
  std::shared_ptr<const PhotonMap> photons(uint32_t pass, const Tasks& tasks, const CancelFlag& cancel);
  void setGoals(uint32_t samples, bool everywhere, double noise, const Tasks& tasks);
  uint32_t m_firstSample = 0;
  uint32_t m_samples = 0, m_pass = 0; ///< m_pass: what the unfinished pass aims at
  uint32_t m_besideSamples = 0;       ///< of what lies beside the frame
  std::vector<uint32_t> m_goals;      ///< by block, for its black and its white pixels
  bool m_converged = false;
  int m_step = 1;
  bool m_draft = false;
  std::shared_ptr<const PhotonMap> m_photons; ///< of the pass below
  uint32_t m_photonPass = 0;
};

} // namespace ilumbra
