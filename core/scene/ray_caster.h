#pragma once
#include "core/scene/shutter_time.h"
#include "core/scene/trace_count.h"

#include <cstring>
#include <embree3/rtcore.h>

namespace ilumbra {

/// Where a ray meets an object or the body of a lamp.
struct Hit {
  const InstancedObject* object = nullptr;
  const Instance* instance = nullptr;
  const M44f *toWorld = nullptr, *toObject = nullptr; ///< of the copy at the ray's time
  uint32_t triangle = 0;
  V3f point;
  V3f geometric;      ///< unit, outwards
  V3f shading;        ///< unit, interpolated, outwards
  float u = 0, v = 0; ///< barycentric, of the triangle's second and third corner
  float distance = 0;
};

/// Texture coordinates at a hit, and the direction in which the first of them grows (any length): found out only where
/// they are asked for, since they are far away in memory.
struct TextureFrame {
  V2f uv{0, 0};
  V3f tangent{0.0f};
};
TextureFrame textureFrame(const Hit& hit, const ShutterTime& shutterTime);

/// A ray for Embree, from its origin on; `time` in the shutter.
inline void fillRay(RTCRay& r, const V3f& o, const V3f& d, float far, float time) {
  r.org_x = o.x;
  r.org_y = o.y;
  r.org_z = o.z;
  r.dir_x = d.x;
  r.dir_y = d.y;
  r.dir_z = d.z;
  r.tnear = 0;
  r.tfar = far;
  r.time = time;
  r.mask = ~0u;
  r.id = 0;
  r.flags = 0;
}

/// A point just beside a surface, so that a ray from it does not meet that surface again (Wächter and Binder 2019, "A
/// fast and robust method for avoiding self-intersection").
inline V3f offset(const V3f& p, const V3f& n) {
  constexpr float nearOrigin = 1.0f / 32, floatScale = 1.0f / 65536, intScale = 256;
  V3f r;
  for (int i = 0; i < 3; ++i) {
    const auto step = int32_t(intScale * n[i]);
    int32_t bits;
    std::memcpy(&bits, &p[i], 4);
    bits += p[i] < 0 ? -step : step;
    float moved;
    std::memcpy(&moved, &bits, 4);
    r[i] = std::abs(p[i]) < nearOrigin ? p[i] + floatScale * n[i] : moved;
  }
  return r;
}

/// Asks a scene for hits; counts and logs.
class RayCaster {
 public:
  RayCaster(const Scene& s, TraceCount& c, RayLog* log) : m_scene(s), m_count(c), m_log(log) {}
  /// Rays run at the moment of the shutter that is set here; its middle at first. Hits of what moves hold until then.
  void setTime(float time) { m_shutterTime.set(time); }
  const ShutterTime& shutterTime() const { return m_shutterTime; }
  /// The nearest hit before `far` among everything.
  bool intersect(const V3f& origin, const V3f& direction, float far, Hit& hit) const {
    return intersect(m_scene.everything, origin, direction, far, hit);
  }
  /// Eight rays that run side by side, of which the first n count: cheaper than one by one. `met[i]` tells of hits[i].
  /// Only in a scene where nothing moves.
  void intersectEight(const Ray* rays, int n, Hit* hits, bool* met) const;
  /// The nearest among what lets some of the light of lamps through.
  bool intersectClear(const V3f& origin, const V3f& direction, float far, Hit& hit) const {
    return intersect(m_scene.clearBlockers, origin, direction, far, hit);
  }
  /// True if something that is opaque for certain casts its shadow here.
  bool occluded(const V3f& origin, const V3f& direction, float far) const;
  /// The same, as if one copy were not there.
  bool occludedBut(const V3f& origin, const V3f& direction, float far, const Instance* without) const;

 private:
  bool intersect(RTCScene in, const V3f& o, const V3f& d, float far, Hit& hit) const;
  const Scene& m_scene;
  TraceCount& m_count;
  RayLog* m_log;
  ShutterTime m_shutterTime;
};

/// What patterns may ask at a hit. `footprint`: metres that a sample covers there.
PatternPoint patternPoint(const Scene& scene, const Hit& hit, const ShutterTime& shutterTime, const V3f& direction,
                          float footprint);

} // namespace ilumbra
