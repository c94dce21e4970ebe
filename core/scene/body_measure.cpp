// How patterns measure a body: by its own bottom-level scene, so that nothing is built for it.
#include "core/base/hash.h"
#include "core/geometry/mesh_tools.h"
#include "core/scene/geometry.h"
#include "core/scene/instances.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

namespace ilumbra {
namespace {

struct Nearest {
  const Mesh* mesh;
  uint32_t triangle;
};

bool nearer(RTCPointQueryFunctionArguments* a) {
  auto& found = *static_cast<Nearest*>(a->userPtr);
  const auto& t = found.mesh->triangles[a->primID];
  const auto& at = found.mesh->positions;
  const V3f p(a->query->x, a->query->y, a->query->z);
  const float d = length(p - nearestOnTriangle(p, at[t.a], at[t.b], at[t.c]));
  if (!(d < a->query->radius)) return false;
  a->query->radius = d;
  found.triangle = a->primID;
  return true;
}

} // namespace

PatternPoint pointOn(const InstancedObject& object, uint32_t copy) {
  const auto share = [](uint32_t bits) { return float(mixBits(bits) >> 8) * 0x1p-24f; };
  PatternPoint at;
  at.random = share(object.chance);
  at.copyRandom = share(object.chance + (copy + 1) * 40503u);
  at.body = object.geometry.get();
  return at;
}

uint32_t Geometry::nearest(const V3f& place, float& away) const {
  Nearest found{&shape.mesh, ~0u};
  RTCPointQuery q{};
  q.x = place.x;
  q.y = place.y;
  q.z = place.z;
  q.radius = away;
  RTCPointQueryContext context;
  rtcInitPointQueryContext(&context);
  rtcPointQuery(scene, &q, &context, nearer, &found);
  away = q.radius;
  return found.triangle;
}

float Geometry::distance(const V3f& place, float within) const {
  if (shape.sphereRadius > 0) return std::min(within, std::abs(length(place) - shape.sphereRadius));
  nearest(place, within);
  return within;
}

float Geometry::chord(const V3f& place, const V3f& d, float within) const {
  if (shape.sphereRadius > 0) {
    // The far root of |place + t d| = r, where there is one ahead.
    const float b = dot(place, d), c = dot(place, place) - sqr(shape.sphereRadius), root = b * b - c;
    const float far = root > 0 ? -b + std::sqrt(root) : 0;
    return far > 1e-4f * shape.sphereRadius ? std::min(within, far) : within;
  }
  RTCRayHit q{};
  q.ray.org_x = place.x;
  q.ray.org_y = place.y;
  q.ray.org_z = place.z;
  q.ray.dir_x = d.x;
  q.ray.dir_y = d.y;
  q.ray.dir_z = d.z;
  // Beyond the surface that it starts from, as exactly as that is known.
  q.ray.tnear = 1e-5f * length(bounds.size());
  q.ray.tfar = within;
  q.ray.mask = ~0u;
  q.hit.geomID = q.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
  RTCIntersectContext context;
  rtcInitIntersectContext(&context);
  if (q.ray.tnear < within) rtcIntersect1(scene, &context, &q);
  return q.hit.geomID == RTC_INVALID_GEOMETRY_ID ? within : q.ray.tfar;
}

uint32_t Geometry::piece(const V3f& place) const {
  const Mesh& mesh = shape.mesh;
  if (mesh.triangles.empty()) return 0;
  std::call_once(m_pieced, [&] {
    std::vector<uint32_t> at;
    std::vector<uint32_t> root(placesOf(mesh, at));
    std::iota(root.begin(), root.end(), 0u);
    const auto find = [&](uint32_t i) {
      while (root[i] != i) i = root[i] = root[root[i]];
      return i;
    };
    for (const auto& t : mesh.triangles) {
      root[find(at[t.a])] = find(at[t.b]);
      root[find(at[t.b])] = find(at[t.c]);
    }
    // In the order in which they come.
    std::vector<uint32_t> number(root.size(), ~0u);
    uint32_t count = 0;
    m_pieces.reserve(mesh.triangles.size());
    for (const auto& t : mesh.triangles) {
      uint32_t& n = number[find(at[t.a])];
      if (n == ~0u) n = count++;
      m_pieces.push_back(n);
    }
  });
  float away = std::numeric_limits<float>::infinity();
  const uint32_t t = nearest(place, away);
  return t < m_pieces.size() ? m_pieces[t] : 0;
}

template <typename V> bool Geometry::between(const std::vector<V>& of, const V3f& place, V& out) const {
  const Mesh& m = shape.mesh;
  if (of.empty() || of.size() != m.positions.size() || m.triangles.empty()) return false;
  float away = std::numeric_limits<float>::infinity();
  const uint32_t i = nearest(place, away);
  if (i >= m.triangles.size()) return false;
  const auto& t = m.triangles[i];
  // By the areas that its nearest point parts the triangle into.
  const V3f a = m.positions[t.a], b = m.positions[t.b], c = m.positions[t.c], p = nearestOnTriangle(place, a, b, c),
            n = cross(b - a, c - a);
  const float all = dot(n, n);
  const float v = all > 0 ? dot(cross(p - a, c - a), n) / all : 0, w = all > 0 ? dot(cross(b - a, p - a), n) / all : 0;
  out = of[t.a] * (1 - v - w) + of[t.b] * v + of[t.c] * w;
  return true;
}

bool Geometry::painted(const V3f& place, V4f& color) const { return between(shape.mesh.colors, place, color); }
bool Geometry::secondCoordinates(const V3f& place, V2f& uv) const { return between(shape.mesh.uvs2, place, uv); }

} // namespace ilumbra
