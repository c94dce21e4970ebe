#pragma once
#include "core/base/vec.h"

#include <cstdint>
#include <vector>

struct RTCSceneTy;

namespace ilumbra {

/// What one thread counted while tracing.
struct TraceCount {
  uint64_t rays = 0; ///< all, shadow rays included
  uint64_t paths = 0;
  uint64_t dropped = 0; ///< contributions that were not finite
  uint64_t limited = 0; ///< contributions cut by the firefly limit
};

/// Rays as they were traced, for measuring: what share of the time is traversal.
struct RayLog {
  struct Entry {
    V3f origin, direction;
    float near, far;
    bool shadow; ///< only asked whether anything is there
    RTCSceneTy* in;
  };
  std::vector<Entry> rays;
};

} // namespace ilumbra
