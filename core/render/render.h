#pragma once
#include "core/render/path.h"

namespace ilumbra {

/// A part of the picture in pixels; width 0: all of it.
struct Region {
  int x = 0, y = 0, width = 0, height = 0;
};

/// A scene being rendered: its film and what was counted. Work can be broken off at any time and goes on where it
/// stopped; a pixel's value depends on its number of samples only, never on the order or number of threads.
class Rendering {
public:
  Rendering() = default;
  explicit Rendering(ScenePtr scene, int step = 1, bool draft = false) { restart(std::move(scene), step, draft); }
  /// From the first sample. With `step` > 1 each pixel of the film stands for step × step pixels of the picture; a draft
  /// has direct light only (see PathTracer).
  void restart(ScenePtr scene, int step = 1, bool draft = false);
  bool empty() const { return !m_scene; }
  int step() const { return m_step; }
  const Scene& scene() const { return *m_scene; }
  const ScenePtr& sharedScene() const { return m_scene; }
  const Film& film() const { return m_film; }

  /// Gives every pixel of the region at least `samples` samples. False if cancelled on the way; the answer to a cancel
  /// comes within a row of a tile.
  bool advance(const Tasks& tasks, uint32_t samples, const CancelFlag& cancel, const Region& region = Region());
  /// Samples that every pixel has, at least.
  uint32_t samples() const { return m_samples; }
  const TraceCount& count() const { return m_count; }

private:
  ScenePtr m_scene;
  Film m_film;
  TraceCount m_count;
  uint32_t m_samples = 0;
  int m_step = 1;
  bool m_draft = false;
};

} // namespace ilumbra
