#include "core/render/air.h"

#include "core/render/hit.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace ilumbra {
namespace {

// All crossings of a ray with a mesh: Embree offers each hit to the filter, which takes note and lets the ray go on.
struct Crossing {
  float t;
  int step; ///< 1: in, -1: out
};
struct Gather : RTCIntersectContext { // the filter is given its address
  boost::container::small_vector<Crossing, 32> crossings;
};

void takeNote(const RTCFilterFunctionNArguments* a) {
  auto* g = static_cast<Gather*>(a->context);
  const RTCHit hit = rtcGetHitFromHitN(a->hit, a->N, 0);
  const RTCRay ray = rtcGetRayFromRayN(a->ray, a->N, 0);
  const float along = ray.dir_x * hit.Ng_x + ray.dir_y * hit.Ng_y + ray.dir_z * hit.Ng_z;
  if (along != 0) g->crossings.push_back({ray.tfar, along < 0 ? 1 : -1});
  a->valid[0] = 0;
}

} // namespace

Air::Air(std::vector<Filled> hazes, RTCDevice device) : m_hazes(std::move(hazes)) {
  for (const Filled& h : m_hazes) {
    m_scenes.push_back(nullptr);
    if (!h.geometry || h.geometry->shape.sphereRadius > 0) continue;
    const RTCScene scene = m_scenes.back() = rtcNewScene(device);
    rtcSetSceneFlags(scene, RTC_SCENE_FLAG_ROBUST);
    const RTCGeometry g = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_TRIANGLE);
    const Mesh& m = h.geometry->shape.mesh;
    auto* v = static_cast<float*>(rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, 12, std::max<size_t>(1, m.positions.size())));
    if (!m.positions.empty()) std::copy_n(&m.positions[0].x, 3 * m.positions.size(), v);
    if (!m.triangles.empty()) rtcSetSharedGeometryBuffer(g, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, m.triangles.data(), 0, 12, m.triangles.size());
    rtcSetGeometryIntersectFilterFunction(g, takeNote);
    rtcCommitGeometry(g);
    rtcAttachGeometry(scene, g);
    rtcReleaseGeometry(g);
    rtcCommitScene(scene);
  }
}

Air::~Air() {
  for (const RTCScene s : m_scenes)
    if (s) rtcReleaseScene(s);
}

void Air::along(const V3f& origin, const V3f& direction, float far, AirWay& way) const {
  for (size_t i = 0; i < m_hazes.size(); ++i) {
    const Filled& h = m_hazes[i];
    const auto haze = uint16_t(i);
    if (!h.geometry) {
      way.add({0, far, haze});
      continue;
    }
    for (const Filled::Place& place : h.places) {
      // Past the box there is nothing.
      float near = 0, last = std::numeric_limits<float>::infinity();
      for (int k = 0; k < 3; ++k) {
        const float inverse = 1 / direction[k], a = (place.bounds.min[k] - origin[k]) * inverse, b = (place.bounds.max[k] - origin[k]) * inverse;
        if (direction[k] == 0) {
          if (origin[k] < place.bounds.min[k] || origin[k] > place.bounds.max[k]) last = -1;
          continue;
        }
        near = std::max(near, std::min(a, b));
        last = std::min(last, std::max(a, b));
      }
      if (last < near * 0.9999f || near > far) continue;
      const V3f o = transformPoint(place.toObject, origin), d = transformVector(place.toObject, direction); // t stays metres of the world
      if (const float r = h.geometry->shape.sphereRadius; r > 0) {
        const double a = double(dot(d, d)), b = double(dot(o, d)), c = double(dot(o, o)) - double(r) * double(r), root = b * b - a * c;
        if (root <= 0) continue;
        const double q = std::sqrt(root);
        way.add({float(std::max(0.0, (-b - q) / a)), float(std::min(double(far), (-b + q) / a)), haze});
        continue;
      }
      Gather g;
      rtcInitIntersectContext(&g);
      RTCRayHit q{};
      fillRay(q.ray, o, d, std::numeric_limits<float>::infinity(), 0);
      q.hit.geomID = q.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
      rtcIntersect1(m_scenes[i], &g, &q);
      std::sort(g.crossings.begin(), g.crossings.end(), [](const Crossing& x, const Crossing& y) { return x.t < y.t; });
      // A ray through an edge meets both of its triangles: one crossing.
      const auto same = [](const Crossing& x, const Crossing& y) { return x.step == y.step && y.t - x.t <= 1e-5f * y.t; };
      g.crossings.erase(std::unique(g.crossings.begin(), g.crossings.end(), same), g.crossings.end());
      int inside = 0;
      for (const Crossing& c : g.crossings) inside -= c.step;
      float from = 0;
      for (const Crossing& c : g.crossings) {
        const float t = std::min(c.t, far);
        if (inside > 0) way.add({from, t, haze});
        inside += c.step;
        from = t;
        if (t >= far) break;
      }
    }
  }
}

Color Air::transmittance(const AirWay& way, float t) const {
  Color out(1.0f);
  for (const auto& s : way)
    for (int c = 0; c < 3 && t > s.from; ++c)
      if (const float k = m_hazes[s.haze].haze.extinction[c]; k > 0) out[c] *= std::exp(-k * (std::min(t, s.to) - s.from));
  return out;
}

Color Air::extinction(const AirWay& way, float t) const {
  Color sum(0.0f);
  for (const auto& s : way)
    if (t >= s.from && t < s.to) sum += m_hazes[s.haze].haze.extinction;
  return sum;
}

float Air::lose(const AirWay& way, float far, int channel, float u, float& density) const {
  const float all = 1 - transmittance(way, far)[channel];
  density = 0;
  if (!(all > 0)) return -1;
  const float wanted = -std::log1p(-u * all); // optical depth
  // Between the places where hazes begin and end the depth grows evenly.
  boost::container::small_vector<float, 16> at;
  for (const auto& s : way) {
    at.push_back(s.from);
    at.push_back(std::min(s.to, far));
  }
  std::sort(at.begin(), at.end());
  float depth = 0, t = -1;
  for (size_t k = 0; k + 1 < at.size(); ++k) {
    const float a = at[k], b = at[k + 1];
    if (!(b > a)) continue;
    float e = 0;
    for (const auto& s : way)
      if (s.from <= a && std::min(s.to, far) >= b) e += m_hazes[s.haze].haze.extinction[channel];
    if (!(e > 0)) continue;
    t = std::isfinite(b) ? std::min(b, a + (wanted - depth) / e) : a + (wanted - depth) / e;
    if (depth + e * (b - a) >= wanted) break;
    depth += e * (b - a);
  }
  if (t < 0) return -1;
  density = loseDensity(way, far, channel, t);
  return t;
}

float Air::loseDensity(const AirWay& way, float far, int channel, float t) const {
  const float all = 1 - transmittance(way, far)[channel];
  return all > 0 ? extinction(way, t)[channel] * transmittance(way, t)[channel] / all : 0;
}

} // namespace ilumbra
