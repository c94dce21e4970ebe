#include "core/transport/bounced_light.h"

#include "core/scene/geometry.h"

namespace ilumbra {

namespace {

// Of more lamps, none has its rays: choosing one would be blind.
constexpr size_t mostLamps = 64;
// A lamp's rays are those through a ball around it, so many of its radii wide.
constexpr float ballRadii = 4;
// What paths find this much better themselves is left to them.
constexpr float leastShare = 0.02f;

bool sendsRays(const Emitter& e) { return !e.motion && e.light->reach().flux > 0; }

/// Unnormalised: a lamp counts by what it may give and by how near it is.
float lampWeight(const Emitter& e, const V3f& point) {
  if (!sendsRays(e)) return 0;
  const LightReach reach = e.light->reach();
  return e.weight * reach.flux / ((reach.centre - point).length2() + sqr(reach.radius) + 1e-4f);
}
float chanceOf(const Scene& scene, const Emitter& lamp, const V3f& point) {
  float sum = 0;
  for (const Emitter& e : scene.emitters) sum += lampWeight(e, point);
  return sum > 0 ? lampWeight(lamp, point) / sum : 0;
}

/// The directions from a lamp's middle in which its ball is met by its rays: about the axis of its reach.
float oneMinusCosine(const LightReach& reach) {
  const float widest = reach.spread + reach.fall + std::asin(1 / ballRadii) + 0.01f;
  return widest >= pi ? 2.0f : 1 - std::cos(widest);
}

// What lamp rays end at: what shadow rays never come through, whichever layer of it they meet. Of all else those weigh
// what comes through.
bool stops(const Scene& scene, const Hit& hit) {
  const InstancedObject& in = *hit.object;
  constexpr int wanted = SwitchShadow | SwitchTakesLight | SwitchLightsOthers;
  if (in.light >= 0 || (in.switches & wanted) != wanted || (in.switches & (SwitchCatches | SwitchCutsOut)))
    return false;
  const bool cut = in.insideMaterial != noMaterial && in.geometry->shape.mesh.inside[hit.triangle];
  const Material& m = *scene.materials[cut ? in.insideMaterial : in.material];
  return !m.layered() && m.alwaysOpaque() && !m.mayPassLight();
}

} // namespace

bool hasLampRays(const Scene& scene) { return !scene.emitters.empty() && scene.emitters.size() <= mostLamps; }

bool bouncesLampLight(const PathState& path, const Hit& hit, const Bsdf& s) {
  return stops(path.scene, hit) && path.mediumStack.empty() && !s.onlySpecular() && s.wrap <= 0 &&
         !(path.photons && s.isNearSpecular());
}

float lampRayShare(const Scene& scene, const Emitter& lamp, const V3f& point, const V3f& at, const V3f& normal,
                   const V3f& onLamp, float density) {
  const float chance = chanceOf(scene, lamp, point);
  if (chance <= 0) return 0;
  const LightReach reach = lamp.light->reach();
  const V3f way = onLamp - at;
  const float d2 = std::max(way.length2(), 1e-12f);
  const float rays = chance * std::abs(dot(way, normal)) / std::sqrt(d2) /
                     (2 * pi * oneMinusCosine(reach) * std::max(d2, sqr(reach.radius)));
  const float share = powerHeuristic(rays, density);
  return share < leastShare ? 0 : share;
}

bool traceLampRay(PathState& path, const V3f& point, LampLanding& out) {
  const Scene& scene = path.scene;
  float sum = 0;
  for (const Emitter& e : scene.emitters) {
    const float w = lampWeight(e, point);
    sum += w;
    if (w > 0 && path.random.next() * sum < w) out.lamp = &e;
  }
  if (!out.lamp) return false;
  const Emitter& e = *out.lamp;
  const LightReach reach = e.light->reach();
  const float radius = std::max(0.01f, ballRadii * reach.radius), cap = oneMinusCosine(reach);
  const V3f n = Frame(reach.axis).toWorld(sampleCone(path.sampler.get2(), cap)), y = reach.centre + n * radius;
  LightSample ls;
  if (!path.rays.shutterTime().sample(e, y, {path.random.next(), path.random.next()}, ls) || isBlack(ls.radiance))
    return false;
  const bool size = std::isfinite(ls.pdf);
  const float crossing = std::abs(dot(n, ls.direction));
  if (!(crossing > 0) || (size && !(ls.pdf > 0))) return false;
  out.density = lampWeight(e, point) / sum * (size ? ls.pdf : 1) / (2 * pi * cap * sqr(radius) * crossing);
  const V3f direction = -ls.direction;
  out.from = y + ls.direction * ls.distance;
  V3f origin = out.from + direction * (1e-4f * radius);
  float gone = 1e-4f * radius;
  constexpr int mostPassed = 16;
  for (int i = 0; i < mostPassed; ++i) {
    if (!path.rays.intersect(origin, direction, infinite, out.hit)) return false;
    gone += out.hit.distance;
    if (stops(scene, out.hit)) break;
    if (i + 1 == mostPassed) return false;
    origin = offset(out.hit.point, dot(direction, out.hit.geometric) > 0 ? out.hit.geometric : -out.hit.geometric);
  }
  out.sample = ls;
  out.sample.distance = gone;
  // Of a point without size the radiance is its intensity by the square of the distance: as the ball had it, which the
  // density is for.
  return true;
}

} // namespace ilumbra
