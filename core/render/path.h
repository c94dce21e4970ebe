#pragma once
#include "core/render/film.h"
#include "core/render/scene.h"

namespace ilumbra {

/// What one thread counted while tracing.
struct TraceCount {
  uint64_t rays = 0;    ///< all, shadow rays included
  uint64_t paths = 0;
  uint64_t dropped = 0; ///< contributions that were not finite
  uint64_t limited = 0; ///< contributions cut by the firefly limit
};

/// Rays as they were traced, for measuring: what share of the time is traversal.
struct RayLog {
  struct Entry {
    V3f origin, direction;
    float near, far;
    bool shadow;        ///< only asked whether anything is there
    RTCSceneTy* in;
  };
  std::vector<Entry> rays;
};

/// Unidirectional path tracing with next-event estimation and multiple importance sampling (Veach 1997). Traces one
/// sample of one pixel into the film.
class PathTracer {
public:
  /// `step`: the film's pixels are this many of the picture's pixels wide and high. `draft`: light that lamps give
  /// directly, also as mirrors and clear things show it, and no more: for the first blink of a picture.
  explicit PathTracer(const Scene& scene, int step = 1, bool draft = false) : m_scene(scene), m_step(float(step)), m_draft(draft) {}
  void sample(Film& film, int x, int y, uint32_t index, TraceCount& count, RayLog* log = nullptr) const;
  /// One sample each of n pixels in a row, the camera's rays eight at a time.
  void sampleRow(Film& film, int x, int y, int n, uint32_t index, TraceCount& count) const;

private:
  const Scene& m_scene;
  float m_step;
  bool m_draft;
};

/// The object or lamp seen at a place of the picture, given in pixels; `skip` counts what lies in front and is passed.
/// Returns the node, or 0, and the point.
NodeId pick(const Scene& scene, float x, float y, int skip, V3f& point, uint32_t* copy = nullptr);

} // namespace ilumbra
