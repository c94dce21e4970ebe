#include "core/effects/air_path.h"

#include "core/effects/route_parts.h"
#include "core/scene/media.h"
#include "core/scene/ray_caster.h"
#include "core/scene/trace_count.h"

namespace ilumbra {
namespace {

constexpr float infinite = std::numeric_limits<float>::infinity();
constexpr int raysPerLight = 2048;

class AirWalk {
 public:
  AirWalk(const Scene& scene, const std::set<NodeId>& hazes)
      : m_scene(scene), m_air(*scene.media), m_hazes(hazes), m_rays(scene, m_count, nullptr) {
    for (const V3f& d : {V3f(0, 1, 0), V3f(1, 0, 0)}) {
      RayMedia way;
      m_air.along(m_scene.camera.position(), d, 1e-3f, way);
      m_path.inside |= std::any_of(way.begin(), way.end(), [this](const MediumSegment& s) { return ours(s); });
    }
  }

  void fromLamp(const Emitter& e) {
    const double weight = double(luminance(m_scene.groupScales[e.group] * e.baked));
    const LightReach reach = e.light->reach();
    const float cosSpread = std::cos(std::min(pi, reach.spread + reach.fall));
    for (int k = 0; k < raysPerLight; ++k) {
      Sampler sampler(uint32_t(e.thing), 23, uint32_t(k), 5);
      // A direction within which it shines, and a point of it as seen from far along there.
      const V3f local = sampleCone(sampler.get2(), 1 - cosSpread);
      const V3f d = Frame(reach.axis).toWorld(local);
      const float off = 1e3f * std::max(0.01f, reach.radius);
      LightSample s;
      if (!e.light->sample(reach.centre + d * off, sampler.get2(), s)) continue;
      const double w = weight * 2 * double(pi) * double(1 - cosSpread) / raysPerLight * double(luminance(s.radiance)) *
                       double(off) * double(off) / (std::isfinite(s.pdf) ? double(s.pdf) : 1.0);
      if (w > 0) enter(reach.centre + d * (off - s.distance * 0.99999f), d, e.range, w);
    }
  }

  void fromSky(const Emitter& sky) {
    for (size_t i = 0; i < m_air.size(); ++i) {
      if (!m_hazes.count(m_scene.things[m_air[i].thing].node)) continue;
      for (const MediumPlace& place : m_air[i].places) {
        const Box3f box = m_air[i].everywhere ? m_scene.bounds : place.bounds;
        for (int k = 0; !box.isEmpty() && k < raysPerLight; ++k) {
          Sampler sampler(uint32_t(i), 29, uint32_t(k), 5);
          const V2f a = sampler.get2(), b = sampler.get2();
          toSky(sky, box.min + box.size() * V3f(a.x, a.y, b.x), 1e-4f * length(box.size()), sampler);
        }
      }
    }
  }

  AirPath take() { return std::move(m_path); }

 private:
  bool ours(const MediumSegment& s) const { return m_hazes.count(m_scene.things[m_air[s.haze].thing].node) > 0; }

  NodeId blockedBy(const V3f& from, const V3f& d, float far, bool eye, float& distance) {
    ++m_path.rays;
    return blocker(m_scene, m_rays, from, d, far, eye, distance);
  }

  void enter(const V3f& from, const V3f& d, float range, double w) {
    m_path.sent += w;
    RayMedia way;
    m_air.along(from, d, std::isfinite(range) ? range : infinite, way);
    float begin = infinite;
    bool any = false;
    for (const MediumSegment& s : way)
      if (ours(s)) {
        any = true;
        begin = std::min(begin, s.from);
      }
    if (!any) return;
    m_path.meets += w;
    float far = infinite, got;
    const NodeId by = blockedBy(from, d, infinite, false, got);
    if (by) far = got;
    if (far <= begin + 1e-4f) {
      m_path.blocked[by] += w;
      if (begin - far < 0.15f) m_path.near += w;
      return;
    }
    m_path.enters += w;
    cross(from, d, far, w);
  }

  // From a place in the air back towards a sky; `step`: how far the air must reach there.
  void toSky(const Emitter& sky, const V3f& x, float step, Sampler& sampler) {
    RayMedia here;
    m_air.along(x, V3f(0, 1, 0), step, here);
    if (std::none_of(here.begin(), here.end(), [this](const MediumSegment& s) { return ours(s); })) return;
    LightSample s;
    if (!sky.light->sample(x, sampler.get2(), s)) return;
    const double w = double(luminance(m_scene.groupScales[sky.group] * sky.baked)) * double(luminance(s.radiance)) /
                     (std::isfinite(s.pdf) ? double(s.pdf) : 1.0) / raysPerLight;
    if (!(w > 0)) return;
    m_path.sent += w;
    m_path.meets += w;
    float got;
    if (const NodeId by = blockedBy(x, s.direction, infinite, false, got)) {
      m_path.blocked[by] += w;
      return;
    }
    m_path.enters += w;
    // From where it comes in, through the place, as far as it goes.
    RayMedia back;
    m_air.along(x, s.direction, infinite, back);
    float edge = 0;
    for (const MediumSegment& b : back)
      if (ours(b) && std::isfinite(b.to)) edge = std::max(edge, b.to);
    const bool stopped = blocker(m_scene, m_rays, x, -s.direction, infinite, false, got);
    cross(x + s.direction * edge, -s.direction, stopped ? got + edge : infinite, w);
  }

  // What the air does to light that goes so far through it.
  void cross(const V3f& from, const V3f& d, float far, double w) {
    RayMedia way;
    m_air.along(from, d, far, way);
    double depth = 0, turned = 0;
    float place = -1;
    double chosen = 0;
    for (const MediumSegment& s : way) {
      if (!ours(s)) continue;
      const Haze& h = m_air[s.haze].haze;
      const float length = std::min(s.to, far) - s.from;
      const double e =
          double(luminance(h.extinction)) * double(s.mean) * (std::isfinite(length) ? double(length) : 1e3);
      const double albedo =
          e > 0 && luminance(h.extinction) > 0 ? double(luminance(h.scattering) / luminance(h.extinction)) : 0;
      const double lost = std::exp(-depth) * -std::expm1(-e);
      turned += lost * albedo;
      chosen += lost;
      if (lost > 0 && double(m_random.next()) * chosen < lost) { // one place, by how much is lost there
        const double u = double(m_random.next()) * -std::expm1(-e);
        place = s.from + float(-std::log1p(-u) / std::max(1e-9, double(luminance(h.extinction)) * double(s.mean)));
      }
      depth += e;
    }
    m_path.depth += w * depth;
    m_path.scatters += w * turned;
    m_path.absorbs += w * (-std::expm1(-depth) - turned);
    m_path.passes += w * std::exp(-depth);
    if (place >= 0 && turned > 0) see(from + d * place, w * turned);
  }

  // Light that is scattered at a place: does the camera see it there?
  void see(const V3f& x, double w) {
    float px, py;
    if (!m_scene.camera.project(x, px, py) || px < 0 || py < 0 || px >= float(m_scene.width) ||
        py >= float(m_scene.height)) {
      m_path.outside += w;
      return;
    }
    const V3f to = m_scene.camera.position() - x;
    const float far = length(to);
    float distance;
    if (const NodeId by = blockedBy(x, to * (1 / far), far, true, distance)) {
      m_path.hides[by] += w;
      return;
    }
    RayMedia way;
    m_air.along(x, to * (1 / far), far, way);
    const double through = double(luminance(m_air.meanTransmittance(way, far)));
    m_path.seen += w * through;
    m_path.dimmed += w * (1 - through);
  }

  const Scene& m_scene;
  const Media& m_air;
  const std::set<NodeId>& m_hazes;
  TraceCount m_count;
  const RayCaster m_rays;
  RandomStream m_random{71};
  AirPath m_path;
};

} // namespace

AirPath followThroughAir(const Scene& scene, const std::set<NodeId>& lights, const std::set<NodeId>& hazes) {
  if (!scene.media) return {};
  AirWalk walk(scene, hazes);
  for (const Emitter& e : scene.emitters)
    if (lights.count(scene.things[e.thing].node)) walk.fromLamp(e);
  for (const Emitter& e : scene.skies)
    if (lights.count(scene.things[e.thing].node)) walk.fromSky(e);
  return walk.take();
}

} // namespace ilumbra
