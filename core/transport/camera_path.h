#pragma once
#include "core/film/film.h"
#include "core/scene/scene.h"
#include "core/scene/trace_count.h"

namespace ilumbra {

class PhotonMap;

/// Unidirectional path tracing with next-event estimation and multiple importance sampling (Veach 1997). Traces one
/// sample of one pixel into the film.
class PathTracer {
 public:
  /// `step`: the film's pixels are this many of the picture's pixels wide and high. `draft`: light that lamps give
  /// directly, also as mirrors and clear things show it, and no more: for the first blink of a picture.
  /// `photons`: of the samples' pass, where the scene has caustics; null: paths find all light.
  /// `whole`: clear things do not disperse light, for pictures of few samples.
  /// `margin`: the film begins that many of its pixels to the left of and above the frame.
  explicit PathTracer(const Scene& scene, int step = 1, bool draft = false, const PhotonMap* photons = nullptr,
                      int margin = 0, bool whole = false)
      : m_scene(scene), m_step(float(step)), m_margin(margin), m_draft(draft), m_whole(whole), m_photons(photons) {}
  void sample(Film& film, int x, int y, uint32_t index, TraceCount& count, RayLog* log = nullptr) const;
  /// One sample each of n pixels in a row, the camera's rays eight at a time.
  void sampleRow(Film& film, int x, int y, int n, uint32_t index, TraceCount& count) const;

 private:
  const Scene& m_scene;
  float m_step;
  int m_margin;
  bool m_draft, m_whole;
  const PhotonMap* m_photons;
};

} // namespace ilumbra
