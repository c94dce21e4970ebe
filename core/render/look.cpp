#include "core/render/look.h"

#include "core/render/geometry.h"
#include "core/render/hit.h"

#include <limits>

namespace ilumbra {

std::optional<Seen> lookFrom(const Scene& scene, const V3f& from, const V3f& direction,
                             const std::vector<NodeId>& but) {
  TraceCount count;
  const RayCaster rays(scene, count, nullptr);
  V3f origin = from;
  for (int i = 0; i < 4096; ++i) {
    Hit hit;
    if (!rays.intersect(origin, direction, std::numeric_limits<float>::infinity(), hit)) return {};
    const NodeId node = scene.things[hit.instance->thing].node;
    const bool leaving = dot(direction, hit.geometric) > 0;
    const bool passed = !(hit.instance->switches & SwitchSeen) || hit.instance->light >= 0 ||
                        std::find(but.begin(), but.end(), node) != but.end();
    if (!passed) {
      Seen s{hit.point, leaving ? -hit.geometric : hit.geometric, hit.point,
             transformPoint(*hit.toWorld, hit.instance->geometry->bounds.center()), node};
      const Mesh& m = hit.instance->geometry->shape.mesh;
      if (hit.instance->geometry->shape.sphereRadius <= 0) {
        const auto& t = m.triangles[hit.triangle];
        float least = std::numeric_limits<float>::infinity();
        for (const uint32_t v : {t.a, t.b, t.c}) {
          const V3f p = transformPoint(*hit.toWorld, m.positions[v]);
          if (length(p - hit.point) >= least) continue;
          least = length(p - hit.point);
          s.vertex = p;
        }
      }
      return s;
    }
    origin = offset(hit.point, leaving ? hit.geometric : -hit.geometric);
  }
  return {};
}

std::optional<Seen> lookAt(const Scene& scene, float x, float y, const std::vector<NodeId>& but) {
  const Ray ray = scene.camera.through(x, y);
  return lookFrom(scene, ray.origin, ray.direction, but);
}

} // namespace ilumbra
