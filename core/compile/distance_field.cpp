#include "core/compile/distance_field.h"
#include "core/geometry/shape.h"

#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/geometry/grid.h"
#include "core/geometry/mesh_tools.h"
#include "core/geometry/world_mesh.h"
#include "core/scene/embree_handles.h"

#include <algorithm>
#include <cmath>
#include <embree3/rtcore.h>
#include <limits>

namespace ilumbra {
namespace {

constexpr size_t mostTriangles = 20'000'000, mostKept = 4'000'000;

struct Ball {
  V3f centre;
  float radius;
};

class Surfaces : public DistanceField {
 public:
  Surfaces(uint64_t key, Mesh mesh, std::vector<Ball> balls)
      : m_key(key), m_mesh(std::move(mesh)), m_balls(std::move(balls)) {
    if (m_mesh.triangles.empty()) return;
    m_device = EmbreeDevice(rtcNewDevice("threads=1,isa=avx2"));
    m_scene = EmbreeScene(rtcNewScene(m_device));
    rtcSetSceneFlags(m_scene, RTC_SCENE_FLAG_ROBUST);
    const RTCGeometry g = rtcNewGeometry(m_device, RTC_GEOMETRY_TYPE_TRIANGLE);
    auto* v = static_cast<float*>(
        rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, 12, m_mesh.positions.size()));
    std::copy_n(&m_mesh.positions[0].x, 3 * m_mesh.positions.size(), v);
    rtcSetSharedGeometryBuffer(g, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, m_mesh.triangles.data(), 0, 12,
                               m_mesh.triangles.size());
    rtcSetGeometryIntersectFilterFunction(g, count);
    rtcCommitGeometry(g);
    rtcAttachGeometry(m_scene, g);
    rtcReleaseGeometry(g);
    rtcCommitScene(m_scene);
  }

  float distance(const V3f& world, float within) const override {
    float least = within;
    for (const Ball& b : m_balls) least = std::min(least, std::abs(length(world - b.centre) - b.radius));
    if (!m_scene) return least;
    RTCPointQuery q;
    q.x = world.x;
    q.y = world.y;
    q.z = world.z;
    q.time = 0;
    q.radius = least;
    RTCPointQueryContext context;
    rtcInitPointQueryContext(&context);
    const Mesh* mesh = &m_mesh;
    rtcPointQuery(m_scene, &q, &context, nearer, const_cast<Mesh*>(mesh));
    return q.radius;
  }
  bool inside(const V3f& world) const override {
    for (const Ball& b : m_balls)
      if (length(world - b.centre) < b.radius) return true;
    if (!m_scene) return false;
    // Every way out of a body leads out of it once more often than in.
    Crossings c;
    rtcInitIntersectContext(&c);
    RTCRayHit q{};
    q.ray.org_x = world.x;
    q.ray.org_y = world.y;
    q.ray.org_z = world.z;
    q.ray.dir_x = 0.2673f; // along no axis, for what people build runs along them
    q.ray.dir_y = 0.8018f;
    q.ray.dir_z = 0.5345f;
    q.ray.tfar = std::numeric_limits<float>::infinity();
    q.ray.mask = ~0u;
    q.hit.geomID = q.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
    rtcIntersect1(m_scene, &c, &q);
    return c.out > 0;
  }
  uint64_t key() const override { return m_key; }
  size_t triangles() const { return m_mesh.triangles.size(); }

 private:
  struct Crossings : RTCIntersectContext { // the filter is given its address
    int out = 0;
  };
  static void count(const RTCFilterFunctionNArguments* a) {
    const RTCHit hit = rtcGetHitFromHitN(a->hit, a->N, 0);
    const RTCRay ray = rtcGetRayFromRayN(a->ray, a->N, 0);
    const float along = ray.dir_x * hit.Ng_x + ray.dir_y * hit.Ng_y + ray.dir_z * hit.Ng_z;
    static_cast<Crossings*>(a->context)->out += along > 0 ? 1 : along < 0 ? -1 : 0;
    a->valid[0] = 0;
  }
  static bool nearer(RTCPointQueryFunctionArguments* a) {
    const auto& mesh = *static_cast<const Mesh*>(a->userPtr);
    const auto& t = mesh.triangles[a->primID];
    const V3f p(a->query->x, a->query->y, a->query->z);
    const float d = length(p - nearestOnTriangle(p, mesh.positions[t.a], mesh.positions[t.b], mesh.positions[t.c]));
    if (!(d < a->query->radius)) return false;
    a->query->radius = d;
    return true;
  }
  uint64_t m_key;
  Mesh m_mesh; ///< in the world
  std::vector<Ball> m_balls;
  EmbreeDevice m_device;
  EmbreeScene m_scene;
};

// Groups by all that they hold.
void collect(const Document& doc, const Node& n, std::vector<const Node*>& out) {
  if (!isGroup(n)) {
    if (std::find(out.begin(), out.end(), &n) == out.end()) out.push_back(&n);
    return;
  }
  if (const auto it = n.children.find("objects"); it != n.children.end())
    for (const NodeId id : it->second)
      if (const Node* child = doc.find(id); child && child->kind->family() == "object") collect(doc, *child, out);
}

// The same on all axes: a ball stays one.
bool evenly(const M44f& m, float& factor) {
  V3f x(m[0][0], m[0][1], m[0][2]), y(m[1][0], m[1][1], m[1][2]), z(m[2][0], m[2][1], m[2][2]);
  factor = length(x);
  const auto off = [&](float v) { return std::abs(v) > 1e-4f * factor; };
  return factor > 0 && !off(length(y) - factor) && !off(length(z) - factor) && !off(dot(x, y) / factor) &&
         !off(dot(y, z) / factor) && !off(dot(x, z) / factor);
}

// Things whose forms are being made for this: a pattern may shape the very thing that it measures to.
thread_local std::vector<NodeId> open;

} // namespace

std::shared_ptr<const DistanceField> DistanceFieldCache::find(uint64_t key) {
  const std::lock_guard lock(m_mutex);
  const auto it =
      std::find_if(m_lately.begin(), m_lately.end(), [&](const Kept& k) { return k.surfaces->key() == key; });
  if (it == m_lately.end()) return nullptr;
  const Kept found = *it;
  m_lately.erase(it);
  m_lately.push_front(found);
  return found.surfaces;
}

void DistanceFieldCache::keep(std::shared_ptr<const DistanceField> made, size_t triangles) {
  const std::lock_guard lock(m_mutex);
  m_lately.push_front({std::move(made), triangles});
  size_t kept = 0;
  for (const Kept& k : m_lately) kept += k.triangles;
  for (; m_lately.size() > 1 && (m_lately.size() > 8 || kept > mostKept); m_lately.pop_back())
    kept -= m_lately.back().triangles;
}

std::shared_ptr<const DistanceField> distanceFieldOf(const Document& doc, const std::vector<NodeId>& named,
                                                     double frame, const Assets& assets, DistanceFieldCache* cache,
                                                     const CancelFlag* cancel) {
  std::vector<const Node*> things;
  for (const NodeId id : named)
    if (const Node* n = doc.find(id)) collect(doc, *n, things);
  uint64_t key = things.size();
  std::vector<std::vector<M44f>> places;
  for (const Node* n : things) {
    if (std::find(open.begin(), open.end(), n->id) != open.end())
      throw badInput(n->name + ": its form is made from itself");
    open.push_back(n->id);
    const std::shared_ptr<void> closes(nullptr, [](void*) { open.pop_back(); });
    places.push_back(placesOf(*n, {doc, frame, assets, cancel}));
    const uint64_t form = formKey(doc, *n, frame).hash;
    key = contentHash({reinterpret_cast<const char*>(&form), sizeof form}, key);
    key = contentHash({reinterpret_cast<const char*>(places.back().data()), places.back().size() * sizeof(M44f)}, key);
  }
  if (cache)
    if (auto found = cache->find(key)) return found;
  Mesh all;
  std::vector<Ball> balls;
  for (size_t i = 0; i < things.size(); ++i) {
    open.push_back(things[i]->id);
    const std::shared_ptr<void> closes(nullptr, [](void*) { open.pop_back(); });
    Form form = formOf(*things[i], {doc, frame, assets, cancel});
    const Shape& s = form.shape;
    float factor;
    if (s.sphereRadius > 0 &&
        std::all_of(places[i].begin(), places[i].end(), [&](const M44f& m) { return evenly(m, factor); })) {
      for (const M44f& m : places[i]) {
        evenly(m, factor);
        balls.push_back({transformPoint(m, V3f(0.0f)), factor * s.sphereRadius});
      }
      continue;
    }
    append(all, worldMesh(*things[i], std::move(form), places[i],
                          mostTriangles - std::min(mostTriangles, all.triangles.size())));
  }
  auto made = std::make_shared<const Surfaces>(key, std::move(all), std::move(balls));
  if (cache) cache->keep(made, made->triangles());
  return made;
}

} // namespace ilumbra
