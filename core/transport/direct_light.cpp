#include "core/transport/direct_light.h"

#include "core/transport/photon_gathering.h"
#include "core/transport/shadow_transmittance.h"

namespace ilumbra {

namespace {

// `without`: a body that casts no shadow onto its own far side.
void addDirectLight(PathState& path, const PathVertex& v, const Emitter& e, const LightSample& ls, const Color& light,
                    bool sky, const Instance* without = nullptr) {
  if (isBlack(light)) return;
  // What nobody would see is not worth a draft's ray.
  if (path.draft &&
      luminance(path.throughput * light * e.baked * path.scene.groupScales[e.group]) * path.scene.exposure < draftLeast)
    return;
  const bool here = dot(ls.direction, v.facing) > 0;
  const V3f from = offset(v.hit.point, here ? v.facing : -v.facing);
  const float far = sky ? infinite : ls.distance * 0.9998f;
  if (without && !here ? path.rays.occludedBut(from, ls.direction, far, without)
                       : path.rays.occluded(from, ls.direction, far))
    return;
  Color seen(1.0f);
  Hit clear;
  uint16_t last = noMaterial;
  const bool meets = path.scene.clearBlockers && path.rays.intersectClear(from, ls.direction, far, clear);
  if (meets || !path.mediumStack.empty()) {
    MediumStack inside = path.mediumStack;
    const bool into = v.body && here == v.backside; // a way through the body itself ends at its other side
    if (v.body && !into) inside.leave(v.body);
    if (into) inside.enter({v.body, v.material, false});
    seen = clearTransmittance(path, from, ls.direction, far, meets ? &clear : nullptr, inside, into ? v.body : nullptr,
                              &e, last);
    if (isBlack(seen)) return;
  } else if (path.scene.media) {
    seen = mediaTransmittance(path, from, ls.direction, far, 0);
  }
  const uint16_t thing = v.hit.object->thingAt(v.hit.instance->index);
  if (v.chained ? photonsCarry(path, e, last != noMaterial ? last : thing, path.receiver)
                : photonsCarry(path, e, last, thing))
    return;
  Label l = path.label;
  l.group = e.group;
  l.event = scatterEvent(path.scatterings + 1);
  addLight(path, l, path.throughput * light * seen * e.baked * (sky ? v.occlusion : 1));
}

} // namespace

void sampleDirectLight(PathState& path, const PathVertex& v, const ScatteringFunction& scatter) {
  // Share of a sample that is the light's to give, for hits by scattering give the rest; a draft has no such hits.
  const auto misWeight = [&](const LightSample& ls, float probability, float pdf) {
    return std::isfinite(ls.pdf) && !path.draft ? powerHeuristic(ls.pdf * probability, pdf) : 1.0f;
  };
  const auto inverseDensity = [](const LightSample& ls, float probability) {
    return 1 / (std::isfinite(ls.pdf) ? ls.pdf * probability : probability);
  };
  const auto towards = [&](const Emitter& e, LightSample& ls, V3f& wi) {
    ls.radiance *= e.share(v.hit.object->thing, std::isfinite(ls.distance) ? ls.distance : 0);
    wi = v.frame.toLocal(ls.direction);
    const bool sameSide = dot(ls.direction, v.facing) > 0;
    return sameSide == (wi.z > 0) &&
           (sameSide || (v.farSide && !(v.clearFar && sampledStraight(path, e, *v.hit.object)))) &&
           !isBlack(ls.radiance);
  };
  const V3f horizon = v.farSide ? V3f(0.0f) : v.facing;
  const V3f& point = v.hit.point;
  if (!path.draft &&
      (path.scene.emitters.size() == 1 || (path.scatterings == 0 && path.scene.emitters.size() <= allLamps))) {
    // Where the eye looks, a few lamps each get their ray: none is lost to one that something hides.
    path.allLampsSampled = true;
    for (const Emitter& e : path.scene.emitters) {
      LightSample ls;
      V3f wi;
      if (!path.rays.shutterTime().sample(e, point, path.sampler.get2(), ls) || !towards(e, ls, wi)) continue;
      addDirectLight(path, v, e, ls,
                     scatter.evaluate(wi) * ls.radiance * (misWeight(ls, 1, scatter.pdf(wi)) * inverseDensity(ls, 1)),
                     false);
    }
  } else if (!path.scene.emitters.empty()) {
    // What decides among the candidates is cheap: the light times the density that scattering has in its direction.
    constexpr int candidates = 4;
    const float uChoose = path.sampler.get1();
    path.lampChooser.moveTo(point, horizon);
    path.allLampsSampled = false;
    float sum = 0, target = 0;
    const Emitter* chosen = nullptr;
    LightSample chosenSample;
    V3f chosenWi, wi;
    for (int k = 0; k < candidates; ++k) {
      size_t lamp;
      float p;
      LightSample ls;
      if (!path.lampChooser.pick((float(k) + uChoose) / float(candidates), lamp, p)) continue;
      const Emitter& e = path.scene.emitters[lamp];
      const V2f u = k == 0 ? path.sampler.get2() : V2f(path.random.next(), path.random.next());
      if (!path.rays.shutterTime().sample(e, point, u, ls) || !towards(e, ls, wi)) continue;
      const float pdf = scatter.pdf(wi), wanted = luminance(vmax(ls.radiance, Color(0.0f))) * e.weight * pdf;
      const float weight = wanted * misWeight(ls, p, pdf) * inverseDensity(ls, p);
      if (!(weight > 0) || !std::isfinite(weight)) continue;
      sum += weight;
      if (path.random.next() * sum < weight) {
        target = wanted;
        chosen = &e;
        chosenSample = ls;
        chosenWi = wi;
      }
    }
    if (chosen)
      addDirectLight(path, v, *chosen, chosenSample,
                     scatter.evaluate(chosenWi) * chosenSample.radiance * (sum / (target * float(candidates))), false);
  }
  for (const Emitter& sky : path.scene.skies) {
    LightSample ls;
    V3f wi;
    if (!sky.light->sample(point, path.sampler.get2(), ls) || !towards(sky, ls, wi)) continue;
    addDirectLight(path, v, sky, ls,
                   scatter.evaluate(wi) * ls.radiance * (misWeight(ls, 1, scatter.pdf(wi)) * inverseDensity(ls, 1)),
                   true);
  }
  if (path.photons && !v.chained) gatherPhotons(path, v, scatter);
}

void sampleWrappedLight(PathState& path, const PathVertex& v, const Bsdf& s) {
  const auto from = [&](const Emitter& e, const LightSample& ls, float chance, bool sky) {
    const float share = e.share(v.hit.object->thing, sky ? 0 : ls.distance);
    const float pdf = std::isfinite(ls.pdf) ? ls.pdf * chance : chance;
    addDirectLight(path, v, e, ls, s.wrapped(dot(ls.direction, v.frame.z)) * ls.radiance * (share / pdf), sky,
                   v.hit.instance);
  };
  LightSample ls;
  if (!path.draft && path.scene.emitters.size() <= allLamps) {
    for (const Emitter& e : path.scene.emitters)
      if (path.rays.shutterTime().sample(e, v.hit.point, {path.random.next(), path.random.next()}, ls))
        from(e, ls, 1, false);
  } else if (!path.scene.emitters.empty()) {
    path.lampChooser.moveTo(v.hit.point, V3f(0.0f));
    size_t lamp;
    float p;
    if (path.lampChooser.pick(path.random.next(), lamp, p) &&
        path.rays.shutterTime().sample(path.scene.emitters[lamp], v.hit.point, {path.random.next(), path.random.next()},
                                       ls))
      from(path.scene.emitters[lamp], ls, p, false);
  }
  for (const Emitter& sky : path.scene.skies)
    if (sky.light->sample(v.hit.point, {path.random.next(), path.random.next()}, ls)) from(sky, ls, 1, true);
}

} // namespace ilumbra
