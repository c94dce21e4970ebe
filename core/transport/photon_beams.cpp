#include "core/transport/photon_beams.h"

#include "core/scene/ray_caster.h"

#include <algorithm>
#include <cmath>

namespace ilumbra {
namespace {

// A ray that runs along a beam would see all of it at one place; below this sine it does not get brighter.
constexpr float leastSine = 0.02f;
constexpr int mostPieces = 24;

struct Query : RTCIntersectContext {
  std::vector<PhotonBeams::Meeting>* out;
};

} // namespace

PhotonBeams::PhotonBeams(std::vector<PhotonBeam> beams, std::vector<float> radius, RTCDevice device)
    : m_beams(std::move(beams)), m_radius(std::move(radius)) {
  if (m_beams.empty()) return;
  for (uint32_t i = 0; i < m_beams.size(); ++i) {
    const PhotonBeam& b = m_beams[i];
    const int n = std::clamp(int(b.length / (8 * m_radius[b.rule])), 1, mostPieces);
    for (int k = 0; k < n; ++k)
      m_pieces.push_back({i, b.length * float(k) / float(n), b.length * float(k + 1) / float(n)});
  }
  m_scene = EmbreeScene(rtcNewScene(device));
  const RTCGeometry g = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_USER);
  rtcSetGeometryUserPrimitiveCount(g, unsigned(m_pieces.size()));
  rtcSetGeometryUserData(g, this);
  rtcSetGeometryBoundsFunction(
      g,
      [](const RTCBoundsFunctionArguments* args) {
        const auto& all = *static_cast<const PhotonBeams*>(args->geometryUserPtr);
        const Piece& p = all.m_pieces[args->primID];
        const PhotonBeam& b = all.m_beams[p.beam];
        const V3f from = b.begin + b.direction * p.from, to = b.begin + b.direction * p.to;
        const float r = all.m_radius[b.rule];
        RTCBounds& o = *args->bounds_o;
        o.lower_x = std::min(from.x, to.x) - r;
        o.lower_y = std::min(from.y, to.y) - r;
        o.lower_z = std::min(from.z, to.z) - r;
        o.upper_x = std::max(from.x, to.x) + r;
        o.upper_y = std::max(from.y, to.y) + r;
        o.upper_z = std::max(from.z, to.z) + r;
      },
      nullptr);
  // Tells of every piece that comes near the ray, and lets the ray go on.
  rtcSetGeometryIntersectFunction(g, [](const RTCIntersectFunctionNArguments* args) {
    if (args->valid[0] != -1) return;
    const auto& all = *static_cast<const PhotonBeams*>(args->geometryUserPtr);
    const Piece& p = all.m_pieces[args->primID];
    const PhotonBeam& b = all.m_beams[p.beam];
    RTCRayN* ray = RTCRayHitN_RayN(args->rayhit, args->N);
    const V3f o(RTCRayN_org_x(ray, 1, 0), RTCRayN_org_y(ray, 1, 0), RTCRayN_org_z(ray, 1, 0)),
        d(RTCRayN_dir_x(ray, 1, 0), RTCRayN_dir_y(ray, 1, 0), RTCRayN_dir_z(ray, 1, 0));
    // Where two lines are nearest.
    const V3f w = o - b.begin;
    const float c = dot(d, b.direction), sine2 = 1 - c * c;
    if (sine2 < 1e-7f) return;
    const float dw = dot(d, w), bw = dot(b.direction, w), along = (c * bw - dw) / sine2, behind = (bw - c * dw) / sine2;
    if (along < 0 || along >= RTCRayN_tfar(ray, 1, 0) || behind < p.from || behind >= p.to) return;
    const V3f apart = w + d * along - b.direction * behind;
    const float r = all.m_radius[b.rule], x2 = dot(apart, apart) / (r * r);
    if (x2 >= 1) return;
    static_cast<Query*>(args->context)
        ->out->push_back({p.beam, along, behind, 0.75f / r * (1 - x2) / std::max(leastSine, std::sqrt(sine2))});
  });
  rtcCommitGeometry(g);
  rtcAttachGeometry(m_scene, g);
  rtcReleaseGeometry(g);
  rtcCommitScene(m_scene);
}

PhotonBeams::~PhotonBeams() = default;

void PhotonBeams::along(const V3f& origin, const V3f& direction, float far, std::vector<Meeting>& out) const {
  if (!m_scene) return;
  Query query;
  rtcInitIntersectContext(&query);
  query.out = &out;
  RTCRayHit q;
  fillRay(q.ray, origin, direction, far, 0);
  q.hit.geomID = q.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
  rtcIntersect1(m_scene, &query, &q);
}

} // namespace ilumbra
