#include "core/scene/look.h"

#include "core/scene/geometry.h"
#include "core/scene/ray_caster.h"
#include "core/scene/trace_count.h"

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
    const NodeId node = scene.things[hit.object->thing].node;
    const bool leaving = dot(direction, hit.geometric) > 0;
    const bool passed = !(hit.object->switches & SwitchSeen) || hit.object->light >= 0 ||
                        std::find(but.begin(), but.end(), node) != but.end();
    if (!passed) {
      Seen s{hit.point, leaving ? -hit.geometric : hit.geometric, hit.point,
             transformPoint(*hit.toWorld, hit.object->geometry->bounds.center()), node};
      const Mesh& m = hit.object->geometry->shape.mesh;
      if (hit.object->geometry->shape.sphereRadius <= 0) {
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

NodeId pick(const Scene& scene, float x, float y, int skip, V3f& point, uint32_t* copy) {
  const Ray ray = scene.camera.through(x, y);
  TraceCount count;
  const RayCaster rays(scene, count, nullptr);
  V3f origin = ray.origin;
  NodeId last = 0;
  for (int i = 0; i < 4096; ++i) {
    Hit hit;
    if (!rays.intersect(origin, ray.direction, std::numeric_limits<float>::infinity(), hit)) return 0;
    const NodeId node = scene.things[hit.object->thing].node;
    if ((hit.object->switches & SwitchSeen) && node != last) {
      if (skip-- <= 0) {
        point = hit.point;
        if (copy) {
          *copy = hit.instance->index;
          if (hit.object->light >= 0) // copies of a lamp are bodies of their own
            for (const InstancedObject* other = scene.objects.data(); other != hit.object; ++other)
              *copy += scene.things[other->thing].node == node;
        }
        return node;
      }
      last = node;
    }
    origin = offset(hit.point, dot(ray.direction, hit.geometric) > 0 ? hit.geometric : -hit.geometric);
  }
  return 0;
}

} // namespace ilumbra
