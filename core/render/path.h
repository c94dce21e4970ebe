#pragma once
#include "core/render/film.h"
#include "core/render/scene.h"

namespace ilumbra {

/// What one thread counted while tracing.
struct TraceCount {
  uint64_t rays = 0;    ///< all, shadow rays included
  uint64_t paths = 0;
  uint64_t dropped = 0; ///< contributions that were not finite
};

/// Rays as they were traced, for measuring: what share of the time is traversal.
struct RayLog {
  struct Entry {
    V3f origin, direction;
    float near, far;
    bool shadow;
  };
  std::vector<Entry> rays;
};

/// Unidirectional path tracing with next-event estimation and multiple importance sampling (Veach 1997). Traces one
/// sample of one pixel into the film.
class PathTracer {
public:
  explicit PathTracer(const Scene& scene) : m_scene(scene) {}
  void sample(Film& film, int x, int y, uint32_t index, TraceCount& count, RayLog* log = nullptr) const;

private:
  const Scene& m_scene;
};

/// The object or lamp seen at a place of the picture, given in pixels; `skip` counts what lies in front and is passed.
/// Returns the node, or 0, and the point.
NodeId pick(const Scene& scene, float x, float y, int skip, V3f& point);

} // namespace ilumbra
