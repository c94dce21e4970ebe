#include "core/render/path.h"

#include "core/base/hash.h"
#include "core/render/geometry.h"

#include <array>
#include <cstring>
#include <limits>

namespace ilumbra {
namespace {

constexpr float infinite = std::numeric_limits<float>::infinity();
// After this many bounces a path survives with probability 0.97 at most, so that it ends even where nothing absorbs.
constexpr int sureBounces = 6;
constexpr int mostSteps = 100000;
// Up to so many lamps are all asked for their light where the camera looks; of more, one is chosen.
constexpr size_t allLamps = 4;
// A draft follows mirrors and clear things this far, and nothing else.
constexpr int draftBounces = 8;

struct Hit {
  const Instance* instance = nullptr;
  V3f point;
  V3f geometric;  ///< unit, outwards
  V3f shading;    ///< unit, interpolated, outwards
  V3f tangent;
  V2f uv{0, 0};
  float distance = 0;
};

// Wächter and Binder 2019, "A fast and robust method for avoiding self-intersection".
V3f offset(const V3f& p, const V3f& n) {
  constexpr float nearOrigin = 1.0f / 32, floatScale = 1.0f / 65536, intScale = 256;
  V3f r;
  for (int i = 0; i < 3; ++i) {
    const auto step = int32_t(intScale * n[i]);
    int32_t bits;
    std::memcpy(&bits, &p[i], 4);
    bits += p[i] < 0 ? -step : step;
    float moved;
    std::memcpy(&moved, &bits, 4);
    r[i] = std::abs(p[i]) < nearOrigin ? p[i] + floatScale * n[i] : moved;
  }
  return r;
}

void fillRay(RTCRay& r, const V3f& o, const V3f& d, float far) {
  r.org_x = o.x;
  r.org_y = o.y;
  r.org_z = o.z;
  r.dir_x = d.x;
  r.dir_y = d.y;
  r.dir_z = d.z;
  r.tnear = 0;
  r.tfar = far;
  r.time = 0;
  r.mask = ~0u;
  r.id = 0;
  r.flags = 0;
}

class Tracer {
public:
  Tracer(const Scene& s, TraceCount& c, RayLog* log) : m_scene(s), m_count(c), m_log(log) {}

  bool intersect(RTCScene in, const V3f& o, const V3f& d, float far, Hit& hit) {
    RTCRayHit q;
    fillRay(q.ray, o, d, far);
    q.hit.geomID = q.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    rtcIntersect1(in, &context, &q);
    ++m_count.rays;
    if (m_log) m_log->rays.push_back({o, d, 0, far, false});
    if (q.hit.geomID == RTC_INVALID_GEOMETRY_ID) return false;
    const size_t id = q.hit.instID[0];
    const Instance& i = m_scene.instances[in == m_scene.blockers ? size_t(m_scene.blockerInstance[id]) : id];
    complete(i, q.hit, o, d, q.ray.tfar, hit);
    return true;
  }

  bool occluded(const V3f& o, const V3f& d, float far) {
    RTCRay r;
    fillRay(r, o, d, far);
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    rtcOccluded1(m_scene.blockers, &context, &r);
    ++m_count.rays;
    if (m_log) m_log->rays.push_back({o, d, 0, far, true});
    return r.tfar < 0;
  }

  // Share of light that comes through, opacity by opacity.
  float visibility(V3f o, const V3f& d, float far) {
    if (!m_scene.clearBlockers) return occluded(o, d, far) ? 0.0f : 1.0f;
    float v = 1;
    for (int i = 0; i < 64; ++i) {
      Hit h;
      if (!intersect(m_scene.blockers, o, d, far, h)) return v;
      const Material& m = *m_scene.materials[h.instance->material];
      v *= 1 - clamp01(m.opacity.real({h.uv}));
      if (v <= 0) return 0;
      const V3f next = offset(h.point, dot(d, h.geometric) > 0 ? h.geometric : -h.geometric);
      far -= dot(next - o, d);
      o = next;
      if (far <= 0) return v;
    }
    return 0;
  }

private:
  static void complete(const Instance& i, const RTCHit& q, const V3f& o, const V3f& d, float t, Hit& h) {
    h.instance = &i;
    const Shape& s = i.geometry->shape;
    if (s.sphereRadius > 0) {
      // Onto the exact sphere, in its own space.
      const V3f n = normalize(transformPoint(i.toObject, o + d * t));
      h.point = transformPoint(i.toWorld, n * s.sphereRadius);
      h.geometric = h.shading = normalize(transformNormal(i.toObject, n));
      h.uv = {std::atan2(-n.z, n.x) / (2 * pi) + 0.5f, 0.5f + std::asin(std::clamp(n.y, -1.0f, 1.0f)) / pi};
      h.tangent = transformVector(i.toWorld, {-n.z, 0, n.x});
    } else {
      const Mesh& m = s.mesh;
      const auto& tri = m.triangles[q.primID];
      const V3f &a = m.positions[tri.a], &b = m.positions[tri.b], &c = m.positions[tri.c];
      const float u = q.u, v = q.v, w = 1 - u - v;
      h.point = transformPoint(i.toWorld, a * w + b * u + c * v);
      const V3f flat = cross(b - a, c - a);
      h.geometric = normalize(transformNormal(i.toObject, flat));
      h.shading = h.geometric;
      h.tangent = transformVector(i.toWorld, b - a);
      if (!m.normals.empty()) {
        const V3f n = normalize(transformNormal(i.toObject, m.normals[tri.a] * w + m.normals[tri.b] * u + m.normals[tri.c] * v));
        if (!isBlack(n)) h.shading = dot(n, h.geometric) < 0 ? -n : n;
      }
      if (!m.uvs.empty()) {
        const V2f &ta = m.uvs[tri.a], &tb = m.uvs[tri.b], &tc = m.uvs[tri.c];
        h.uv = ta * w + tb * u + tc * v;
        const V2f e1 = tb - ta, e2 = tc - ta;
        const float det = e1.x * e2.y - e1.y * e2.x;
        if (std::abs(det) > 1e-20f) h.tangent = transformVector(i.toWorld, ((b - a) * e2.y - (c - a) * e1.y) * (1 / det));
      }
    }
    h.distance = dot(h.point - o, d);
  }

  const Scene& m_scene;
  TraceCount& m_count;
  RayLog* m_log;
};

} // namespace

void PathTracer::sample(Film& film, int px, int py, uint32_t index, TraceCount& count, RayLog* log) const {
  const Scene& scene = m_scene;
  Sampler sampler(uint32_t(px), uint32_t(py), index, scene.seed);
  RandomStream random(mixBits(uint32_t(px) + mixBits(uint32_t(py) + mixBits(index + mixBits(scene.seed)))));
  Tracer tracer(scene, count, log);
  const size_t pixel = size_t(py) * size_t(film.width()) + size_t(px);
  ++count.paths;
  film.begin(pixel);
  LightTree::Chooser choice(scene.tree);
  bool allTaken = false; // at the last point every lamp had its ray

  FirstHit first;
  float total = 0; // luminance of the whole sample
  const auto add = [&](const Label& label, const Color& light) {
    if (!finite(light)) {
      ++count.dropped;
      return;
    }
    float l = luminance(light * scene.amounts[label.group]), keep = 1;
    if (scene.fireflyLimit > 0 && label.event == EventIndirect && l > scene.fireflyLimit) {
      keep = scene.fireflyLimit / l;
      l = scene.fireflyLimit;
      ++count.limited;
    }
    film.add(pixel, label, light * keep);
    total += l;
    film.addSeen(pixel, label.thing, l);
  };

  const auto chance = [&](int emitter) { return allTaken ? 1.0f : choice.probability(size_t(emitter)); };

  const V2f jitter = samplePixelFilter(sampler.get2());
  const Ray ray = scene.camera.ray((float(px) + 0.5f + jitter.x) * m_step, (float(py) + 0.5f + jitter.y) * m_step, sampler.get2());
  V3f origin = ray.origin, direction = ray.direction;

  Color throughput(1.0f);
  float previousDensity = infinite; // of the direction, for the light it may meet
  V3f previousPoint = origin;
  float nextFactor = 1;             // of bounced light only, never of lamps met directly
  bool chain = true;                // only mirrors and clear things so far
  bool straight = true;             // the camera's own ray so far
  Label label;
  int scattered = 0;                // bounces off what is no mirror and no clear glass
  const auto eventOf = [](int times) { return uint8_t(times == 0 ? EventEmitted : times == 1 ? EventDirect : EventIndirect); };
  int bounce = 0;
  float travelled = 0;

  for (int step = 0; step < mostSteps; ++step) {
    Hit hit;
    if (!tracer.intersect(scene.everything, origin, direction, infinite, hit)) {
      for (const Emitter& sky : scene.skies) {
        const bool shown = !chain || (straight ? sky.switches & SwitchSeen
                                               : !((label.seen & SeenMirrored) && !(sky.switches & SwitchMirrored)) &&
                                                     !((label.seen & SeenThrough) && !(sky.switches & SwitchThrough)));
        if (!shown) continue;
        float w = 1;
        if (std::isfinite(previousDensity))
          w = powerHeuristic(previousDensity, sky.light->density(previousPoint, direction, infinite, direction));
        Label l = label;
        l.group = sky.group;
        l.event = eventOf(scattered);
        if (straight) l.first = sky.thing;
        if (chain) {
          l.thing = sky.thing;
          l.material = noMaterial;
        }
        add(l, throughput * sky.light->radiance(direction, direction) * sky.baked * (w * nextFactor));
      }
      break;
    }

    const Instance& in = *hit.instance;
    const V3f facing = dot(direction, hit.geometric) <= 0 ? hit.geometric : -hit.geometric;
    const auto passOn = [&] { origin = offset(hit.point, -facing); };
    travelled += hit.distance;

    // Switches: what this ray is not meant to meet, it passes.
    const bool hidden = straight ? !(in.switches & SwitchSeen)
                                 : (chain && (((label.seen & SeenMirrored) && !(in.switches & SwitchMirrored)) ||
                                              ((label.seen & SeenThrough) && !(in.switches & SwitchThrough))));
    if (hidden) {
      passOn();
      continue;
    }

    if (in.light >= 0) { // the body of a lamp
      const Emitter& e = scene.emitters[size_t(in.emitter)];
      const Color radiance = e.light->radiance(direction, hit.geometric);
      float w = 1;
      if (std::isfinite(previousDensity))
        w = powerHeuristic(previousDensity, chance(in.emitter) *
                                                e.light->density(previousPoint, direction, length(hit.point - previousPoint), hit.geometric));
      Label l = label;
      l.group = e.group;
      l.event = eventOf(scattered);
      if (straight) l.first = in.thing;
      if (chain) {
        l.thing = in.thing;
        l.material = noMaterial;
      }
      if (!isBlack(radiance)) add(l, throughput * radiance * e.baked * w);
      if (straight) first = {true, 1, travelled, hit.geometric, Color(0.0f), in.thing};
      break;
    }

    const Material& m = *scene.materials[in.material];
    const PatternPoint at{hit.uv};
    const auto baseTexel = m.baseColor.at(at);
    const float opacity = m.alwaysOpaque() ? 1 : clamp01(m.opacity.real(at));
    if (opacity < 1 && random.next() >= opacity) {
      passOn();
      continue;
    }

    if (straight && (in.switches & SwitchCutsOut)) break; // empty in alpha, and nothing behind it

    Surface s;
    s.base = vmax(Color(0.0f), vmin(Color(1.0f), Color(baseTexel.x, baseTexel.y, baseTexel.z)));
    s.metalness = clamp01(m.metalness.real(at));
    s.roughness = clamp01(m.roughness.real(at));
    s.transmission = clamp01(m.transmission.real(at));
    s.occlusion = clamp01(m.occlusion.real(at));
    s.thin = m.thin;
    s.coat = m.coat.get();
    const bool inside = dot(direction, hit.geometric) > 0;
    const bool clear = s.transmission > 0 && s.metalness < 1 && !m.thin;
    s.eta = inside && clear ? 1 / m.ior : m.ior;

    // Light that ran through the body has been absorbed on the way.
    if (inside && clear && !isBlack(m.absorption)) {
      const float d = length(hit.point - previousPoint);
      for (int i = 0; i < 3; ++i) throughput[i] *= std::exp(-m.absorption[i] * d);
    }

    V3f normal = hit.shading;
    if (m.normal.program) {
      const auto t = m.normal.program->evaluate(at);
      V3f local((2 * t.x - 1) * m.normalStrength, (2 * t.y - 1) * m.normalStrength, 2 * t.z - 1);
      local = normalize(local);
      if (local.z > 0.05f) normal = normalize(Frame(normal, hit.tangent).toWorld(local));
    }
    if (dot(normal, hit.geometric) < 0) normal = hit.geometric;
    if (inside) normal = -normal;
    if (dot(normal, direction) >= 0) normal = facing;
    const Frame frame(normal);
    const V3f wo = frame.toLocal(-direction);
    s.view(wo);

    if (chain) {
      label.thing = in.thing;
      label.material = in.material;
    }
    if (straight) label.first = in.thing;

    if (straight && (in.switches & SwitchCatches)) {
      // Invisible, but for what it takes: the ray goes on by the share of light that is not shadowed here, estimated
      // by one source chosen by its unshadowed light; light bounced from other things is added.
      const V3f lift = offset(hit.point, facing);
      float pass = 1;
      choice.moveTo(hit.point, facing);
      size_t k;
      float p;
      LightSample ls;
      const V2f u0 = sampler.get2(), u1 = sampler.get2();
      float skyWeight = 0;
      for (const Emitter& e : scene.skies) skyWeight += e.weight * e.light->illuminance();
      const float lampWeight = choice.total();
      const float skyShare = skyWeight + lampWeight > 0 ? skyWeight / (skyWeight + lampWeight) : 0;
      if (u0.x < skyShare) {
        const V3f d = frame.toWorld(sampleCosineHemisphere(u1));
        pass = tracer.visibility(lift, d, infinite);
      } else if (choice.pick((u0.x - skyShare) / std::max(1e-6f, 1 - skyShare), k, p) &&
                 scene.emitters[k].light->sample(hit.point, u1, ls) && dot(ls.direction, facing) > 0) {
        pass = tracer.visibility(lift, ls.direction, ls.distance * 0.9998f);
      }
      first.alpha += (1 - first.alpha) * (1 - pass);
      throughput *= pass;
      if (pass <= 0) break;
      passOn();
      continue;
    }

    if (straight && !first.hit) {
      const float before = first.alpha;
      first = {true, 1, travelled, inside ? -hit.shading : hit.shading, s.albedo(), in.thing};
      first.alpha = before + (1 - before);
    }

    if (m.emits) {
      const bool reaches = straight || (in.switches & SwitchLightsOthers) || chain;
      const Emitter& e = scene.emitters[size_t(in.emitter)];
      if (reaches) {
        float w = 1;
        if (std::isfinite(previousDensity))
          w = powerHeuristic(previousDensity, chance(in.emitter) *
                                                  e.light->density(previousPoint, direction, length(hit.point - previousPoint), hit.geometric));
        Label l = label;
        l.group = e.group;
        l.event = eventOf(scattered);
        add(l, throughput * m.emissionColor.color(at) * e.baked * w);
      }
    }
    throughput *= nextFactor;
    nextFactor = 1;

    if (!(in.switches & SwitchTakesLight)) break;
    if (!straight && !chain && !(in.switches & SwitchLightsOthers)) break;
    if (scene.bounces > 0 && bounce >= scene.bounces) break;

    // Next-event estimation: one lamp, and every sky. The lamp is resampled from a few candidates by what each would
    // give if nothing stood between (Talbot et al. 2005), so that among many lamps the ray goes where it matters. The
    // weight against hits by scattering takes the candidates' density: any weights that sum to 1 leave the mean alone.
    const V3f lift = offset(hit.point, facing);
    if (!s.onlySpecular()) {
      // Share of a sample that is the light's to give, for hits by scattering give the rest; a draft has no such hits.
      const auto misWeight = [&](const LightSample& ls, float probability, float scatter) {
        return std::isfinite(ls.density) && !m_draft ? powerHeuristic(ls.density * probability, scatter) : 1.0f;
      };
      const auto inverseDensity = [](const LightSample& ls, float probability) { return 1 / (std::isfinite(ls.density) ? ls.density * probability : probability); };
      const auto towards = [&](const LightSample& ls, V3f& wi) {
        wi = frame.toLocal(ls.direction);
        const bool sameSide = dot(ls.direction, facing) > 0;
        return sameSide == (wi.z > 0) && (sameSide || clear) && !isBlack(ls.radiance);
      };
      const auto gather = [&](const Emitter& e, const LightSample& ls, const Color& light, bool sky) {
        if (isBlack(light)) return;
        const V3f& from = dot(ls.direction, facing) > 0 ? lift : offset(hit.point, -facing);
        const float v = tracer.visibility(from, ls.direction, sky ? infinite : ls.distance * 0.9998f);
        if (v <= 0) return;
        Label l = label;
        l.group = e.group;
        l.event = eventOf(scattered + 1);
        add(l, throughput * light * e.baked * (v * (sky ? s.occlusion : 1)));
      };
      const V2f uChoose = sampler.get2();
      if (scattered == 0 && !m_draft && scene.emitters.size() <= allLamps) {
        // Where the eye looks, a few lamps each get their ray: none is lost to one that something hides.
        allTaken = true;
        for (const Emitter& e : scene.emitters) {
          LightSample ls;
          V3f wi;
          if (!e.light->sample(hit.point, sampler.get2(), ls) || !towards(ls, wi)) continue;
          gather(e, ls, s.evaluate(wi, random) * ls.radiance * (misWeight(ls, 1, s.density(wi)) * inverseDensity(ls, 1)), false);
        }
      } else if (m_draft && !scene.emitters.empty()) {
        choice.moveTo(hit.point, clear ? V3f(0.0f) : facing);
        size_t lamp;
        float p;
        LightSample ls;
        V3f wi;
        if (choice.pick(uChoose.x, lamp, p) && scene.emitters[lamp].light->sample(hit.point, sampler.get2(), ls) && towards(ls, wi))
          gather(scene.emitters[lamp], ls, s.evaluate(wi, random) * ls.radiance * inverseDensity(ls, p), false);
      } else if (!scene.emitters.empty()) {
        // What decides among the candidates is cheap: the light times the density that scattering has in its direction.
        const int candidates = scene.emitters.size() == 1 ? 1 : 4;
        choice.moveTo(hit.point, clear ? V3f(0.0f) : facing);
        allTaken = false;
        float sum = 0, target = 0;
        const Emitter* chosen = nullptr;
        LightSample chosenSample;
        V3f chosenWi, wi;
        for (int k = 0; k < candidates; ++k) {
          size_t lamp;
          float p;
          LightSample ls;
          if (!choice.pick((float(k) + uChoose.x) / float(candidates), lamp, p)) continue;
          const Emitter& e = scene.emitters[lamp];
          const V2f u = k == 0 ? sampler.get2() : V2f(random.next(), random.next());
          if (!e.light->sample(hit.point, u, ls) || !towards(ls, wi)) continue;
          const float scatter = s.density(wi), wanted = luminance(vmax(ls.radiance, Color(0.0f))) * e.weight * scatter;
          const float weight = wanted * misWeight(ls, p, scatter) * inverseDensity(ls, p);
          if (!(weight > 0) || !std::isfinite(weight)) continue;
          sum += weight;
          if (candidates == 1 || random.next() * sum < weight) {
            target = wanted;
            chosen = &e;
            chosenSample = ls;
            chosenWi = wi;
          }
        }
        if (chosen) gather(*chosen, chosenSample, s.evaluate(chosenWi, random) * chosenSample.radiance * (sum / (target * float(candidates))), false);
      }
      for (const Emitter& sky : scene.skies) {
        LightSample ls;
        V3f wi;
        if (!sky.light->sample(hit.point, sampler.get2(), ls) || !towards(ls, wi)) continue;
        gather(sky, ls, s.evaluate(wi, random) * ls.radiance * (misWeight(ls, 1, s.density(wi)) * inverseDensity(ls, 1)), true);
      }
    }

    // Onwards.
    Surface::Sample bs;
    const V2f uDirection = sampler.get2(), uChoice = sampler.get2();
    if (!s.sample(uDirection, uChoice.x, random, bs)) break;
    if (m_draft && (!bs.specular || bounce >= draftBounces)) break;
    const V3f next = frame.toWorld(bs.wi);
    const bool crosses = dot(next, facing) < 0;
    if (crosses != bs.through) break; // the shading normal leads through the surface: no light there
    throughput *= bs.weight;
    if (isBlack(throughput) || !finite(throughput)) break;
    if (++bounce > sureBounces || maxComponent(throughput) < 0.1f) {
      const float survive = std::min(0.97f, maxComponent(throughput));
      if (uChoice.y >= survive) break;
      throughput *= 1 / survive;
    }
    if (chain) {
      if (bs.specular)
        label.seen = uint8_t(label.seen | (bs.through ? SeenThrough : SeenMirrored));
      else
        chain = false;
    }
    if (!bs.specular) ++scattered;
    straight = false;
    if (bs.diffuse) nextFactor = s.occlusion;
    previousDensity = bs.density;
    previousPoint = hit.point;
    origin = crosses ? offset(hit.point, -facing) : lift;
    direction = next;
  }
  film.finish(pixel, first, total);
}

NodeId pick(const Scene& scene, float x, float y, int skip, V3f& point) {
  const Ray ray = scene.camera.ray(x, y, {0.5f, 0.5f});
  TraceCount count;
  Tracer tracer(scene, count, nullptr);
  V3f origin = ray.origin;
  NodeId last = 0;
  for (int i = 0; i < 4096; ++i) {
    Hit hit;
    if (!tracer.intersect(scene.everything, origin, ray.direction, infinite, hit)) return 0;
    const NodeId node = scene.things[hit.instance->thing].node;
    if ((hit.instance->switches & SwitchSeen) && node != last) {
      if (skip-- <= 0) {
        point = hit.point;
        return node;
      }
      last = node;
    }
    origin = offset(hit.point, dot(ray.direction, hit.geometric) > 0 ? hit.geometric : -hit.geometric);
  }
  return 0;
}

} // namespace ilumbra
