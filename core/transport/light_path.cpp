#include "core/transport/light_path.h"

#include "core/transport/path.h"

namespace ilumbra {

Landing landingOf(const PathState& path, const V3f& place, const V3f& facing, uint16_t thing, bool narrow) {
  return {place,
          -path.direction,
          facing,
          path.throughput,
          path.lastSpecular,
          thing,
          path.linkedThing != noMaterial ? path.linkedThing : thing,
          path.firstLength,
          path.travelled - path.lastSpecularAt,
          path.specularCount,
          path.reflectedFirst,
          narrow};
}

void tracePhoton(const Scene& scene, const Ray& start, float time, const Sampler& sampler, uint32_t seed,
                 PhotonSink& sink, TraceCount& count) {
  ++count.paths;
  PathState path(scene, start, time, sampler, seed, sink, count);
  tracePath(path);
}

} // namespace ilumbra
