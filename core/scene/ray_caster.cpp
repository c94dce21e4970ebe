#include "core/scene/ray_caster.h"

#include "core/base/hash.h"
#include "core/scene/geometry.h"

#include <limits>

namespace ilumbra {
namespace {

// Vertices of a triangle, or of its normals, at a time.
struct Corners {
  V3f a, b, c;
};
Corners cornersBetween(const Shape& s, const Mesh::Triangle& t, std::vector<V3f> Shape::Form::*member, float time);
inline Corners corners(const Shape& s, const Mesh::Triangle& t, std::vector<V3f> Shape::Form::*member,
                       const std::vector<V3f>& still, float time) {
  if (s.forms.empty()) return {still[t.a], still[t.b], still[t.c]};
  return cornersBetween(s, t, member, time);
}
Corners cornersBetween(const Shape& s, const Mesh::Triangle& t, std::vector<V3f> Shape::Form::*member, float time) {
  const float place = time * float(s.forms.size() - 1);
  const size_t k = std::min(size_t(place), s.forms.size() - 2);
  const auto &from = s.forms[k].*member, &to = s.forms[k + 1].*member;
  const float f = place - float(k);
  return {mix(from[t.a], to[t.a], f), mix(from[t.b], to[t.b], f), mix(from[t.c], to[t.c], f)};
}

float radiusAt(const Shape& s, float time) {
  if (s.forms.empty()) return s.sphereRadius;
  const float place = time * float(s.forms.size() - 1);
  const size_t k = std::min(size_t(place), s.forms.size() - 2);
  return mix(s.forms[k].sphereRadius, s.forms[k + 1].sphereRadius, place - float(k));
}

void complete(const Scene& scene, uint32_t id, const ShutterTime& shutterTime, const RTCHit& q, const V3f& o,
              const V3f& d, float t, Hit& h) {
  const Instance& copy = scene.instances[id];
  const InstancedObject& i = scene.objects[copy.object];
  h.object = &i;
  h.instance = &copy;
  const Shape& s = i.geometry->shape;
  h.toWorld = &copy.toWorld;
  h.toObject = &copy.toObject;
  if (copy.motion) {
    const ShutterTime::Place& p = shutterTime.of(*copy.motion);
    h.toWorld = &p.toWorld;
    h.toObject = &p.toObject;
  }
  const M44f &toWorld = *h.toWorld, &toObject = *h.toObject;
  if (s.sphereRadius > 0) {
    // Onto the exact sphere, in its own space.
    const V3f n = normalize(transformPoint(toObject, o + d * t));
    h.point = transformPoint(toWorld, n * radiusAt(s, shutterTime.time()));
    h.geometric = h.shading = normalize(transformNormal(toObject, n));
  } else {
    const Mesh& m = s.mesh;
    h.triangle = q.primID;
    h.u = q.u;
    h.v = q.v;
    const auto& tri = m.triangles[q.primID];
    if (!m.normals.empty()) // all that is far away in memory at once
      for (const uint32_t k : {tri.a, tri.b, tri.c}) __builtin_prefetch(&m.normals[k]);
    const auto [a, b, c] = corners(s, tri, &Shape::Form::positions, m.positions, shutterTime.time());
    const float u = q.u, v = q.v, w = 1 - u - v;
    h.point = transformPoint(toWorld, a * w + b * u + c * v);
    const V3f flat = cross(b - a, c - a);
    h.geometric = normalize(transformNormal(toObject, flat));
    h.shading = h.geometric;
    if (!m.normals.empty()) {
      const auto [na, nb, nc] = corners(s, tri, &Shape::Form::normals, m.normals, shutterTime.time());
      const V3f n = normalize(transformNormal(toObject, na * w + nb * u + nc * v));
      if (!isBlack(n)) h.shading = dot(n, h.geometric) < 0 ? -n : n;
    }
  }
  h.distance = dot(h.point - o, d);
}

} // namespace

TextureFrame textureFrame(const Hit& h, const ShutterTime& shutterTime) {
  const Shape& s = h.object->geometry->shape;
  if (s.sphereRadius > 0) {
    const V3f n = normalize(transformPoint(*h.toObject, h.point));
    return {{std::atan2(-n.z, n.x) / (2 * pi) + 0.5f, 0.5f + std::asin(std::clamp(n.y, -1.0f, 1.0f)) / pi},
            transformVector(*h.toWorld, {-n.z, 0, n.x})};
  }
  const Mesh& m = s.mesh;
  const auto& tri = m.triangles[h.triangle];
  const auto [a, b, c] = corners(s, tri, &Shape::Form::positions, m.positions, shutterTime.time());
  if (m.uvs.empty()) return {{0, 0}, transformVector(*h.toWorld, b - a)};
  const V2f &ta = m.uvs[tri.a], &tb = m.uvs[tri.b], &tc = m.uvs[tri.c], e1 = tb - ta, e2 = tc - ta;
  const float det = e1.x * e2.y - e1.y * e2.x;
  const V3f along = std::abs(det) > 1e-20f ? ((b - a) * e2.y - (c - a) * e1.y) * (1 / det) : b - a;
  return {ta * (1 - h.u - h.v) + tb * h.u + tc * h.v, transformVector(*h.toWorld, along)};
}

bool RayCaster::intersect(RTCScene in, const V3f& o, const V3f& d, float far, Hit& hit) const {
  RTCRayHit q;
  fillRay(q.ray, o, d, far, m_shutterTime.time());
  q.hit.geomID = q.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
  RTCIntersectContext context;
  rtcInitIntersectContext(&context);
  rtcIntersect1(in, &context, &q);
  ++m_count.rays;
  if (m_log) m_log->rays.push_back({o, d, 0, far, false, in});
  if (q.hit.geomID == RTC_INVALID_GEOMETRY_ID) return false;
  complete(m_scene, q.hit.instID[0], m_shutterTime, q.hit, o, d, q.ray.tfar, hit);
  return true;
}

void RayCaster::intersectEight(const Ray* rays, int n, Hit* hits, bool* met) const {
  RTCRayHit8 q;
  alignas(32) int valid[8];
  for (int i = 0; i < 8; ++i) {
    const Ray& r = rays[std::min(i, n - 1)];
    valid[i] = i < n ? -1 : 0;
    q.ray.org_x[i] = r.origin.x;
    q.ray.org_y[i] = r.origin.y;
    q.ray.org_z[i] = r.origin.z;
    q.ray.dir_x[i] = r.direction.x;
    q.ray.dir_y[i] = r.direction.y;
    q.ray.dir_z[i] = r.direction.z;
    q.ray.tnear[i] = 0;
    q.ray.tfar[i] = std::numeric_limits<float>::infinity();
    q.ray.time[i] = 0;
    q.ray.mask[i] = ~0u;
    q.ray.id[i] = 0;
    q.ray.flags[i] = 0;
    q.hit.geomID[i] = q.hit.instID[0][i] = RTC_INVALID_GEOMETRY_ID;
  }
  RTCIntersectContext context;
  rtcInitIntersectContext(&context);
  context.flags = RTC_INTERSECT_CONTEXT_FLAG_COHERENT;
  rtcIntersect8(valid, m_scene.everything, &context, &q);
  m_count.rays += uint64_t(n);
  for (int i = 0; i < n; ++i) {
    met[i] = q.hit.geomID[i] != RTC_INVALID_GEOMETRY_ID;
    if (!met[i]) continue;
    RTCHit h;
    h.primID = q.hit.primID[i];
    h.u = q.hit.u[i];
    h.v = q.hit.v[i];
    complete(m_scene, q.hit.instID[0][i], m_shutterTime, h, rays[i].origin, rays[i].direction, q.ray.tfar[i], hits[i]);
  }
}

bool RayCaster::occluded(const V3f& o, const V3f& d, float far) const {
  RTCRay r;
  fillRay(r, o, d, far, m_shutterTime.time());
  RTCIntersectContext context;
  rtcInitIntersectContext(&context);
  rtcOccluded1(m_scene.blockers, &context, &r);
  ++m_count.rays;
  if (m_log) m_log->rays.push_back({o, d, 0, far, true, m_scene.blockers});
  return r.tfar < 0;
}

bool RayCaster::occludedBut(const V3f& origin, const V3f& d, float far, const Instance* without) const {
  V3f o = origin;
  for (int i = 0; i < 32; ++i) {
    Hit h;
    if (!intersect(m_scene.blockers, o, d, far, h)) return false;
    if (h.instance != without) return true;
    const V3f next = offset(h.point, dot(h.geometric, d) > 0 ? h.geometric : -h.geometric);
    far -= dot(next - o, d);
    o = next;
    if (!(far > 0)) return false;
  }
  return false;
}

PatternPoint patternPoint(const Scene& scene, const Hit& hit, const ShutterTime& shutterTime, const V3f& direction,
                          float footprint) {
  const InstancedObject& i = *hit.object;
  PatternPoint at = pointOn(i, hit.instance->index);
  at.uv = textureFrame(hit, shutterTime).uv;
  at.position = transformPoint(*hit.toObject, hit.point);
  at.world = hit.point;
  at.normal = normalize(transformVector(*hit.toObject, hit.geometric));
  at.facing = hit.geometric;
  float x = 0, y = 0;
  scene.camera.project(hit.point, x, y);
  at.screen = {x / float(scene.width), 1 - y / float(scene.height), length(hit.point - scene.camera.position())};
  at.incidence = std::abs(dot(direction, hit.shading));
  at.footprint = footprint;
  // Texture widths to the metre: the triangle's size in both.
  const Mesh& m = i.geometry->shape.mesh;
  if (i.geometry->shape.sphereRadius > 0) {
    at.uvFootprint = footprint / (2 * pi * i.geometry->shape.sphereRadius);
  } else if (!m.uvs.empty()) {
    const auto& t = m.triangles[hit.triangle];
    const V2f e1 = m.uvs[t.b] - m.uvs[t.a], e2 = m.uvs[t.c] - m.uvs[t.a];
    const V3f w1 = transformVector(*hit.toWorld, m.positions[t.b] - m.positions[t.a]),
              w2 = transformVector(*hit.toWorld, m.positions[t.c] - m.positions[t.a]);
    const float area = length(cross(w1, w2));
    if (area > 0) at.uvFootprint = footprint * std::sqrt(std::abs(e1.x * e2.y - e1.y * e2.x) / area);
  }
  return at;
}

} // namespace ilumbra
