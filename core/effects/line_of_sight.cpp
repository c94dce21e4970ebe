#include "core/effects/line_of_sight.h"

#include "core/effects/route_parts.h"
#include "core/scene/geometry.h"
#include "core/scene/ray_caster.h"

#include <embree3/rtcore.h>
#include <set>

namespace ilumbra {
namespace {

constexpr size_t raysPerBody = 1024;

// A point on one copy of a body, uniform by area (close to it for stretched spheres), with its outward normal.
void surfacePoint(const Shape& s, const Instance& copy, const Distribution& areas, V2f u, float pickU, V3f& point,
                  V3f& normal) {
  if (s.sphereRadius > 0) {
    const V3f n = sampleUniformSphere(u);
    point = transformPoint(copy.toWorld, n * s.sphereRadius);
    normal = normalize(transformNormal(copy.toObject, n));
    return;
  }
  float p;
  const auto& t = s.mesh.triangles[areas.sample(pickU, p)];
  const float r = std::sqrt(u.x), b = 1 - r, c = u.y * r;
  const V3f &pa = s.mesh.positions[t.a], &pb = s.mesh.positions[t.b], &pc = s.mesh.positions[t.c];
  point = transformPoint(copy.toWorld, pa * (1 - b - c) + pb * b + pc * c);
  normal = normalize(transformNormal(copy.toObject, cross(pb - pa, pc - pa)));
}

// True of what the camera looks through.
bool passes(const Scene& scene, const InstancedObject& object) {
  if (!(object.switches & SwitchSeen) || (object.switches & SwitchCatches)) return true;
  if (object.material == noMaterial) return false;
  const Material& m = *scene.materials[object.material];
  return m.transmission.real({}) > 0.5f || (!m.opacity.program && m.opacity.constant.x < 0.5f) ||
         (!m.veil.keys.empty() && (m.veil.additive > 0.5f || m.veil.at(1) < 0.5f));
}

// Who stands between the eye and a point of the instance `own`; 0: nobody.
NodeId between(const Scene& scene, const V3f& point, uint32_t own, uint64_t& rays) {
  V3f from = scene.camera.position();
  const V3f to = point - from;
  const V3f d = to * (1 / length(to));
  for (int guard = 0; guard < 64; ++guard) {
    RTCRayHit q{};
    fillRay(q.ray, from, d, length(point - from) * 0.9995f, 0.5f);
    q.hit.geomID = q.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    rtcIntersect1(scene.everything, &context, &q);
    ++rays;
    if (q.hit.geomID == RTC_INVALID_GEOMETRY_ID) return 0;
    const InstancedObject& other = scene.objects[scene.instances[q.hit.instID[0]].object];
    if (q.hit.instID[0] != own && !passes(scene, other)) return scene.things[other.thing].node;
    from = from + d * (q.ray.tfar * 1.0005f + 1e-5f);
    if (dot(point - from, d) <= 0) return 0;
  }
  return 0;
}

// The copies of a body that are meant: all of it, or those that are among the sources; at most one a ray.
std::vector<uint32_t> copiesMeant(const Scene& scene, const InstancedObject& body, const std::set<NodeId>& ids) {
  const bool worn = body.material != noMaterial && ids.count(scene.materials[body.material]->node) > 0;
  std::vector<uint32_t> meant;
  for (uint32_t c = 0; c < body.instanceCount; ++c)
    if (worn || scene.things[body.thingAt(c)].among(ids)) meant.push_back(c);
  if (meant.size() > raysPerBody) { // spread over all of them
    for (size_t k = 0; k < raysPerBody; ++k) meant[k] = meant[k * meant.size() / raysPerBody];
    meant.resize(raysPerBody);
  }
  return meant;
}

} // namespace

Sight lookAt(const Document& doc, double frame, const Scene& scene, const std::vector<const Node*>& sources) {
  Sight sight;
  std::set<NodeId> ids;
  for (const Node* n : sources) ids.insert(n->id);
  const V3f eye = scene.camera.position();
  for (const InstancedObject& body : scene.objects) {
    const std::vector<uint32_t> meant = copiesMeant(scene, body, ids);
    if (meant.empty()) continue;
    const Shape& shape = body.geometry->shape;
    std::vector<float> weights;
    for (const auto& t : shape.mesh.triangles) {
      const auto& p = shape.mesh.positions;
      weights.push_back(length(cross(p[t.b] - p[t.a], p[t.c] - p[t.a])));
    }
    const Distribution areas(weights);
    if (areas.empty() && shape.sphereRadius <= 0) continue;
    const NodeId node = scene.things[body.thing].node;
    const bool lamp = body.light >= 0;
    const bool closed = lamp || shape.sphereRadius > 0 || isClosed(shape.mesh);
    // Several bodies share the effect by what they send out; copies of a lamp are bodies of their own.
    const auto lamps = scene.copiesOf.find(node);
    const uint32_t all = !lamp ? body.instanceCount : lamps == scene.copiesOf.end() ? 1 : lamps->second;
    const double lumens =
        std::max(1e-30, lumensOf(doc, frame, scene, *doc.find(node)) * double(meant.size()) / double(all)) /
        double(raysPerBody);
    for (size_t k = 0; k < raysPerBody; ++k) {
      Sampler sampler(uint32_t(body.thing), 17, uint32_t(k), scene.seed);
      V3f point, normal;
      const V2f u = sampler.get2();
      const uint32_t own = body.firstInstance + meant[k % meant.size()]; // copies take turns
      surfacePoint(shape, scene.instances[own], areas, u, sampler.get1(), point, normal);
      const V3f to = point - eye;
      float facing = -dot(to * (1 / length(to)), normal);
      if (!closed) facing = std::abs(facing);
      if (facing <= 0) continue;
      const double w = lumens * double(facing);
      sight.sent += w;
      float x, y;
      if (!scene.camera.project(point, x, y) || x < 0 || y < 0 || x >= float(scene.width) || y >= float(scene.height))
        sight.outside += w;
      else if (!(body.switches & SwitchSeen))
        sight.hidden += w;
      else if (const NodeId by = between(scene, point, own, sight.rays))
        sight.blocked[by] += w;
      else
        sight.arrives += w;
    }
  }
  return sight;
}

} // namespace ilumbra
