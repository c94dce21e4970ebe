#include "core/effects/cover.h"

#include "core/base/sampling.h"
#include "core/effects/route_parts.h"
#include "core/scene/geometry.h"
#include "core/scene/ray_caster.h"
#include "core/scene/trace_count.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

constexpr uint32_t places = 6000; // over all objects

// The mask as it is compiled for an object; null: it wears none.
const Driven* maskOn(const Document& doc, const Scene& scene, uint16_t material, NodeId pattern) {
  for (int i = material; i >= 0 && size_t(i) < scene.materials.size() && scene.materials[size_t(i)]->layered();
       i = scene.materials[size_t(i)]->below) {
    const Material& m = *scene.materials[size_t(i)];
    const Node* n = doc.find(m.node);
    const Value* v = n ? n->find("mask") : nullptr;
    if (v && v->pattern() && v->pattern()->pattern.target == pattern) return &m.mask;
  }
  return nullptr;
}

} // namespace

void spreadOver(const InstancedObject& o, uint32_t count, const std::function<void(const SpreadPlace&)>& f) {
  const Shape& shape = o.geometry->shape;
  const M44f back = o.toWorld.inverse();
  const float side = o.toWorld.determinant() < 0 ? -1.0f : 1.0f;
  if (shape.sphereRadius > 0) {
    const double scale = std::cbrt(std::abs(double(o.toWorld.determinant())));
    const double radius = double(shape.sphereRadius) * scale, area = 4 * double(pi) * radius * radius;
    for (uint32_t i = 0; i < count; ++i) {
      Sampler sampler(5, 1, i, 1);
      SpreadPlace p{pointOn(o, 0)};
      p.at.normal = sampleUniformSphere(sampler.get2());
      p.at.position = p.at.normal * shape.sphereRadius;
      p.at.uv = {std::atan2(-p.at.normal.z, p.at.normal.x) / (2 * pi) + 0.5f,
                 0.5f + std::asin(std::clamp(p.at.normal.y, -1.0f, 1.0f)) / pi};
      p.at.world = transformPoint(o.toWorld, p.at.position);
      p.at.facing = normalize(transformNormal(back, p.at.normal));
      p.area = area / count;
      f(p);
    }
    return;
  }
  const Mesh& m = shape.mesh;
  std::vector<float> areas;
  for (const auto& t : m.triangles) {
    const V3f a = transformPoint(o.toWorld, m.positions[t.a]);
    areas.push_back(0.5f * length(cross(transformPoint(o.toWorld, m.positions[t.b]) - a,
                                        transformPoint(o.toWorld, m.positions[t.c]) - a)));
  }
  const Distribution cells(areas);
  if (cells.empty() || !(cells.total() > 0)) return;
  for (uint32_t i = 0; i < count; ++i) {
    Sampler sampler(5, 1, i, 1);
    V2f u = sampler.get2();
    float chance;
    const auto& t = m.triangles[cells.sample(u.x, chance)];
    const float r = std::sqrt(u.x), b1 = 1 - r, b2 = u.y * r, b0 = 1 - b1 - b2;
    SpreadPlace p{pointOn(o, 0)};
    p.at.position = m.positions[t.a] * b0 + m.positions[t.b] * b1 + m.positions[t.c] * b2;
    p.at.normal = normalize(cross(m.positions[t.b] - m.positions[t.a], m.positions[t.c] - m.positions[t.a]));
    if (!m.uvs.empty()) p.at.uv = m.uvs[t.a] * b0 + m.uvs[t.b] * b1 + m.uvs[t.c] * b2;
    p.at.world = transformPoint(o.toWorld, p.at.position);
    p.at.facing = normalize(transformNormal(back, p.at.normal)) * side;
    p.area = cells.total() / count;
    f(p);
  }
}

Cover coverOf(const Document& doc, const Scene& scene, const std::vector<NodeId>& objects, NodeId pattern) {
  Cover out;
  std::vector<const InstancedObject*> mine;
  for (const InstancedObject& o : scene.objects)
    if (o.light < 0 && o.material != noMaterial &&
        std::find(objects.begin(), objects.end(), scene.things[o.thing].node) != objects.end())
      mine.push_back(&o);
  if (mine.empty()) return out;
  TraceCount count;
  const RayCaster rays(scene, count, nullptr);
  const V3f eye = scene.camera.position();
  for (const InstancedObject* o : mine) {
    const Driven* mask = maskOn(doc, scene, o->material, pattern);
    const bool closed = o->geometry->shape.sphereRadius > 0 || isClosed(o->geometry->shape.mesh);
    spreadOver(*o, std::max<uint32_t>(64, places / uint32_t(mine.size())), [&](SpreadPlace p) {
      out.area += p.area;
      p.at.incidence = std::abs(dot(normalize(eye - p.at.world), p.at.facing)); // as the camera looks at it
      if (out.places.size() < 1024) out.places.push_back(p.at.world);
      const double share = mask ? std::clamp(double(mask->real(p.at)), 0.0, 1.0) : 0;
      if (share <= 0) return;
      const double covered = share * p.area;
      out.covered += covered;
      const V3f way = eye - p.at.world;
      const float far = length(way);
      float x, y, got;
      if (!scene.camera.project(p.at.world, x, y) || x < 0 || y < 0 || x >= float(scene.width) ||
          y >= float(scene.height)) {
        out.outside += covered;
      } else if (closed && dot(way, p.at.facing) <= 0) {
        out.back += covered;
      } else {
        const V3f up = dot(way, p.at.facing) > 0 ? p.at.facing : -p.at.facing;
        if (const NodeId by = blocker(scene, rays, offset(p.at.world, up), way * (1 / far), far * 0.999f, true, got))
          out.hidden[by] += covered;
        else
          out.seen += covered;
      }
    });
  }
  out.rays = count.rays;
  return out;
}

Station coverStation(const Document& doc, const Cover& cover, std::string name) {
  const double seen = cover.covered > 0 ? cover.seen / cover.covered : 0;
  Station s{"picture", "Picture", std::move(name), percent(seen) + " in sight", seen, {}};
  if (cover.covered <= 0) return s;
  s.losses.push_back({"is out of frame", 0, cover.outside / cover.covered});
  s.losses.push_back({"faces away", 0, cover.back / cover.covered});
  for (const auto& [by, area] : cover.hidden) s.losses.push_back(lossTo(doc, by, area / cover.covered));
  sortLosses(s.losses, 0.005);
  return s;
}

std::string areaText(double a) {
  return a < 1e-4  ? fmt::format("{:.0f} mm²", a * 1e6)
         : a < 0.1 ? fmt::format("{:.0f} cm²", a * 1e4)
                   : fmt::format("{:.2g} m²", a);
}

std::string lengthText(double m) {
  return m < 0.01  ? fmt::format("{:.2g} mm", 1000 * m)
         : m < 0.1 ? fmt::format("{:.0f} mm", 1000 * m)
         : m < 1   ? fmt::format("{:.0f} cm", 100 * m)
                   : fmt::format("{:.2f} m", m);
}

} // namespace ilumbra
