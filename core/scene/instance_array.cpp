#include "core/scene/instance_array.h"

#include "core/scene/ray_caster.h"

#include <limits>

namespace ilumbra {
namespace {

void bounds(const RTCBoundsFunctionArguments* args) {
  const auto& array = *static_cast<const InstanceArray*>(args->geometryUserPtr);
  const M44f& m = array.instances[args->primID].toWorld;
  Box3f box;
  for (int corner = 0; corner < 8 && !array.bounds.isEmpty(); ++corner)
    box.extendBy(transformPoint(m, {corner & 1 ? array.bounds.max.x : array.bounds.min.x,
                                    corner & 2 ? array.bounds.max.y : array.bounds.min.y,
                                    corner & 4 ? array.bounds.max.z : array.bounds.min.z}));
  RTCBounds& out = *args->bounds_o;
  out.lower_x = box.min.x;
  out.lower_y = box.min.y;
  out.lower_z = box.min.z;
  out.upper_x = box.max.x;
  out.upper_y = box.max.y;
  out.upper_z = box.max.z;
}

// One lane of a ray (packet) in the space of a copy.
RTCRay own(RTCRayN* rays, unsigned n, unsigned i, const Instance& copy) {
  const V3f o =
      transformPoint(copy.toObject, {RTCRayN_org_x(rays, n, i), RTCRayN_org_y(rays, n, i), RTCRayN_org_z(rays, n, i)});
  const V3f d =
      transformVector(copy.toObject, {RTCRayN_dir_x(rays, n, i), RTCRayN_dir_y(rays, n, i), RTCRayN_dir_z(rays, n, i)});
  RTCRay r;
  fillRay(r, o, d, RTCRayN_tfar(rays, n, i), RTCRayN_time(rays, n, i));
  r.tnear = RTCRayN_tnear(rays, n, i);
  return r;
}

void intersect(const RTCIntersectFunctionNArguments* args) {
  const auto& array = *static_cast<const InstanceArray*>(args->geometryUserPtr);
  RTCRayN* rays = RTCRayHitN_RayN(args->rayhit, args->N);
  RTCHitN* hits = RTCRayHitN_HitN(args->rayhit, args->N);
  for (unsigned i = 0; i < args->N; ++i) {
    if (args->valid[i] != -1) continue;
    RTCRayHit q;
    q.ray = own(rays, args->N, i, array.instances[args->primID]);
    q.hit.geomID = q.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    rtcIntersect1(array.form, &context, &q);
    if (q.hit.geomID == RTC_INVALID_GEOMETRY_ID) continue;
    RTCRayN_tfar(rays, args->N, i) = q.ray.tfar;
    RTCHitN_geomID(hits, args->N, i) = q.hit.geomID;
    RTCHitN_primID(hits, args->N, i) = q.hit.primID;
    RTCHitN_u(hits, args->N, i) = q.hit.u;
    RTCHitN_v(hits, args->N, i) = q.hit.v;
    RTCHitN_instID(hits, args->N, i, 0) = array.first + args->primID;
  }
}

void occluded(const RTCOccludedFunctionNArguments* args) {
  const auto& array = *static_cast<const InstanceArray*>(args->geometryUserPtr);
  for (unsigned i = 0; i < args->N; ++i) {
    if (args->valid[i] != -1) continue;
    RTCRay r = own(args->ray, args->N, i, array.instances[args->primID]);
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    rtcOccluded1(array.form, &context, &r);
    if (r.tfar < 0) RTCRayN_tfar(args->ray, args->N, i) = -std::numeric_limits<float>::infinity();
  }
}

} // namespace

RTCGeometry instanceArrayGeometry(RTCDevice device, const InstanceArray& array, uint32_t copies) {
  const RTCGeometry g = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_USER);
  rtcSetGeometryUserPrimitiveCount(g, copies);
  rtcSetGeometryUserData(g, const_cast<InstanceArray*>(&array));
  rtcSetGeometryBoundsFunction(g, bounds, nullptr);
  rtcSetGeometryIntersectFunction(g, intersect);
  rtcSetGeometryOccludedFunction(g, occluded);
  rtcCommitGeometry(g);
  return g;
}

} // namespace ilumbra
