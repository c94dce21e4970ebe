#include "core/effects/sight_probe.h"

#include "core/base/colorspace.h"
#include "core/base/hash.h"
#include "core/base/sampling.h"
#include "core/scene/ray_caster.h"
#include "core/scene/scene.h"
#include "core/transport/light_path.h"

namespace ilumbra {

namespace {

constexpr int across = 128;       // of the grid by which the things are found
constexpr uint32_t wanted = 4096; // rays that meet them, about

// Hears where one ray of sight ends.
class Hearer final : public PhotonSink {
 public:
  Hearer(const std::set<uint16_t>& things, SightRay& ray) : m_things(things), m_ray(ray) {
    sight = true;
    least = 1e-4f;
  }
  bool meets(uint16_t thing) override { return m_things.count(thing) > 0; }
  bool follows(uint16_t thing) override { return m_things.count(thing) > 0; }
  void land(const Landing& l) override {
    if (l.narrow) return; // it goes on
    hear(l);
    // What scatters it on the body itself is the body's own look; what is not all there lets it by.
    m_ray.ends = l.first != noMaterial || !m_things.count(l.thing);
    m_ray.thing = l.thing;
    m_ray.end = l.place;
  }
  void leave(const Landing& l) override {
    hear(l);
    m_ray.ends = true;
    m_ray.thing = -1;
    m_ray.end = -l.from;
  }

 private:
  void hear(const Landing& l) {
    m_ray.carried = l.carried;
    m_ray.mirrored = l.mirrored;
    m_ray.surfaces = l.surfaces;
  }
  const std::set<uint16_t>& m_things;
  SightRay& m_ray;
};

class Prober {
 public:
  Prober(const Scene& scene, const std::set<uint16_t>& things)
      : m_scene(scene), m_things(things), m_rays(scene, m_count, nullptr) {}

  SightProbe run() {
    find();
    if (m_found.isEmpty()) return std::move(m_out);
    const V2f size = m_found.max - m_found.min;
    const double area = double(size.x) * double(size.y);
    // As many as the things need, of the rectangle that holds them.
    const auto count = uint32_t(std::clamp(wanted / std::max(0.02, m_filled), 256.0, 16.0 * wanted));
    uint32_t met = 0;
    for (uint32_t i = 0; i < count; ++i) {
      const V2f u = Sampler(0, 0, i, 71).get2();
      met += trace(m_found.min + V2f(u.x * size.x, u.y * size.y), i);
    }
    m_out.share = area * met / count / (double(m_scene.width) * m_scene.height);
    sum();
    m_out.traced = m_count.rays;
    return std::move(m_out);
  }

 private:
  // The middle of the lens: what is out of focus is probed as if it were sharp.
  Ray rayAt(const V2f& at) const { return m_scene.camera.through(at.x, at.y); }
  bool firstHit(const Ray& ray, Hit& hit, float& away) const {
    V3f from = ray.origin;
    away = 0;
    for (int guard = 0; guard < 32; ++guard) {
      if (!m_rays.intersect(from, ray.direction, std::numeric_limits<float>::infinity(), hit)) return false;
      away += hit.distance;
      if (hit.object->switches & SwitchSeen) return m_things.count(hit.object->thingAt(hit.instance->index)) > 0;
      from = offset(hit.point, dot(hit.geometric, ray.direction) > 0 ? hit.geometric : -hit.geometric);
    }
    return false;
  }

  // The rectangle of pixels that holds them, and how much of it they fill.
  void find() {
    const float step = float(m_scene.width) / across;
    int met = 0;
    for (float y = 0.5f * step; y < float(m_scene.height); y += step)
      for (float x = 0.5f * step; x < float(m_scene.width); x += step) {
        Hit hit;
        float away;
        if (!firstHit(rayAt({x, y}), hit, away)) continue;
        ++met;
        m_found.extendBy(V2f(x - step, y - step));
        m_found.extendBy(V2f(x + step, y + step));
      }
    if (m_found.isEmpty()) return;
    m_found.min = {std::max(0.0f, m_found.min.x), std::max(0.0f, m_found.min.y)};
    m_found.max = {std::min(float(m_scene.width), m_found.max.x), std::min(float(m_scene.height), m_found.max.y)};
    const V2f size = m_found.max - m_found.min;
    m_filled = double(met) * double(step) * double(step) / std::max(1e-6, double(size.x) * double(size.y));
  }

  bool trace(const V2f& at, uint32_t index) {
    const Ray ray = rayAt(at);
    Hit hit;
    SightRay s;
    if (!firstHit(ray, hit, s.away)) return false;
    s.way = ray.direction;
    s.place = hit.point;
    s.normal = dot(hit.shading, ray.direction) <= 0 ? hit.shading : -hit.shading;
    s.cosine = std::max(0.0f, -dot(s.normal, s.way));
    if (dot(hit.geometric, ray.direction) < 0 && hit.object->closed) s.chord = chord(hit, ray.direction);
    Hearer hearer(m_things, s);
    tracePhoton(m_scene, ray, 0.5f, Sampler(1, 0, index, 71), mixBits(index + 0x51u), hearer, m_count);
    m_out.rays.push_back(s);
    return true;
  }

  // Straight on to where the body ends, with what stands in it.
  float chord(const Hit& first, const V3f& way) {
    V3f from = offset(first.point, -first.geometric);
    float inside = 0;
    for (int guard = 0; guard < 32; ++guard) {
      Hit hit;
      if (!m_rays.intersect(from, way, std::numeric_limits<float>::infinity(), hit)) return inside;
      inside += hit.distance;
      if (hit.instance == first.instance) return inside;
      m_out.within.insert(hit.object->thingAt(hit.instance->index));
      from = offset(hit.point, dot(hit.geometric, way) > 0 ? hit.geometric : -hit.geometric);
    }
    return inside;
  }

  void sum() {
    if (m_out.rays.empty()) return;
    const float each = 1 / float(m_out.rays.size());
    for (const SightRay& r : m_out.rays) {
      if (!r.ends) continue;
      (r.mirrored ? m_out.mirrored : m_out.through) += r.carried * each;
      (r.mirrored ? m_out.mirroredTo : m_out.ends)[r.thing] += double(luminance(r.carried) * each);
    }
  }

  const Scene& m_scene;
  const std::set<uint16_t>& m_things;
  TraceCount m_count;
  const RayCaster m_rays;
  Imath::Box2f m_found;
  double m_filled = 0;
  SightProbe m_out;
};

} // namespace

SightProbe probeSight(const Scene& scene, const std::set<uint16_t>& things) {
  if (things.empty() || scene.bare()) return {};
  return Prober(scene, things).run();
}

} // namespace ilumbra
