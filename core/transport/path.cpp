#include "core/transport/path.h"

#include "core/scene/media.h"
#include "core/transport/body_absorption.h"
#include "core/transport/emission.h"
#include "core/transport/light_path.h"
#include "core/transport/medium_integrator.h"
#include "core/transport/shadow_catcher.h"
#include "core/transport/shadow_transmittance.h"
#include "core/transport/subsurface.h"
#include "core/transport/surface_scattering.h"

namespace ilumbra {

namespace {

// Steps of a random walk after which it survives by chance, so that it ends even where nothing absorbs.
constexpr int sureScatterings = 256;
constexpr int mostSteps = 100000;

// Whether the path has ended, goes on with a new segment, or is where it was and meets what is there.
enum class Step { Ended, Next, Here };

// The path goes on behind what it has met.
Step passOn(PathState& path, const Hit& hit, const V3f& facing) {
  path.origin = offset(hit.point, -facing);
  return Step::Next;
}

// Inside a scattering body, up to its boundary at `distance` metres.
Step wander(PathState& path, const Interior& interior, float distance) {
  if (!walkSubsurface(path, distance, interior)) return Step::Here;
  const float most = maxComponent(path.throughput);
  if (++path.subsurfaceSteps > sureScatterings || most < 0.1f) {
    const float survive = std::min(path.subsurfaceSteps > sureScatterings ? 0.99f : 1.0f, most);
    if (path.random.next() >= survive) return Step::Ended;
    path.throughput *= 1 / survive;
  }
  return Step::Next;
}

// What lies between the path and what its ray meets (`distance`; infinite: nothing): media, and photons on their way
// through them. `within`: the body that it runs in; null: none. `hit`: what it meets; null: nothing.
Step crossSegment(PathState& path, const MediumStack::Body* within, float distance, const Hit* hit) {
  const Media* media = path.scene.media.get();
  if (!media) return Step::Here;
  const NodeId body = within ? bodyOf(path, *within) : 0;
  if (path.sink) {
    if (within && !media->anyWithin()) return Step::Here;
    if (path.sink->wantsAir && path.lastSpecular != noMaterial)
      path.sink->pass(
          {path.origin, path.direction, distance, body, landingOf(path, path.origin, V3f(0.0f), noMaterial, false)});
    if (std::isfinite(distance))
      path.throughput *= mediaTransmittance(path, path.origin, path.direction, distance, body);
    return Step::Here;
  }
  if (within && (!media->anyWithin() || within->scatters)) return Step::Here;
  switch (crossMedia(path, distance, body, hit)) {
  case Crossing::Scattered:
    return Step::Next;
  case Crossing::Ended:
    return Step::Ended;
  case Crossing::Passed:
    break;
  }
  return Step::Here;
}

// Switches: what this ray is not meant to meet, it passes.
bool hidden(const PathState& path, const InstancedObject& in) {
  if (path.sink && path.sink->sight)
    return !(in.switches & (path.specularCount == 0 ? SwitchSeen
                            : path.reflectedFirst   ? SwitchMirrored
                                                    : SwitchThrough));
  if (path.sink && (in.light >= 0 || !(in.switches & SwitchShadow) || (in.switches & SwitchCatches))) return true;
  if (path.primary) return !(in.switches & SwitchSeen);
  return path.specularChain && (((path.label.seen & SeenMirrored) && !(in.switches & SwitchMirrored)) ||
                                ((path.label.seen & SeenThrough) && !(in.switches & SwitchThrough)));
}

// What is less than opaque: passed by chance, or met. Its own light is added here.
Step meetVeil(PathState& path, const Hit& hit, const V3f& facing, const ShadingPoint& point, int step) {
  if (point.opacity <= 0) return passOn(path, hit, facing);
  const Material& m = *point.material;
  const bool counts = !(hit.object->switches & (SwitchCatches | SwitchCutsOut));
  // Own light of a veil is there for certain; the rest of it by chance, as much as it covers and adds.
  if (!path.sink) addEmission(path, hit, m, point.at, path.throughput * point.opacity);
  const float additive = m.veil.keys.empty() ? 0 : m.veil.additive, both = 1 + point.opacity * additive;
  if (m.veil.frontOnly && facing == hit.geometric)
    path.passedVeils[size_t(step) % path.passedVeils.size()] = hit.instance;
  if (m.onlyShines()) { // nothing of it is left to chance
    const float covered = point.opacity * (1 - additive);
    if (path.primary && !path.first.hit && counts) path.first.alpha += (1 - path.first.alpha) * covered;
    path.throughput *= 1 - covered;
    return covered >= 1 ? Step::Ended : passOn(path, hit, facing);
  }
  path.certain = false;
  path.throughput *= both;
  const bool covers = path.random.next() < point.opacity / both;
  // In the mean its alpha is what it covers.
  if (covers && path.primary && !path.first.hit)
    path.first.alpha = path.first.alpha + (1 - path.first.alpha) * (1 - additive) * both;
  return covers ? Step::Here : passOn(path, hit, facing);
}

Step meet(PathState& path, const Hit& hit, const MediumStack::Body* within, int step) {
  const InstancedObject& in = *hit.object;
  const V3f facing = dot(path.direction, hit.geometric) <= 0 ? hit.geometric : -hit.geometric;
  path.travelled += hit.distance;
  path.footprint += path.footprintSpread * hit.distance;
  if (within && !within->scatters)
    path.throughput *= bodyTransmittance(path, *within, path.origin, path.direction, hit.distance);
  if (hidden(path, in)) return passOn(path, hit, facing);
  if (in.light >= 0) {
    if (path.sink)
      path.sink->land(landingOf(path, hit.point, facing, in.thingAt(hit.instance->index), false));
    else
      addLamp(path, hit);
    return Step::Ended;
  }
  const ShadingPoint point = shadingPointAt(path, hit, path.direction, path.footprint, path.passedVeils);
  const bool veiled = point.opacity < 1;
  if (veiled) {
    if (const Step s = meetVeil(path, hit, facing, point, step); s != Step::Here) return s;
  } else if (path.primary && !path.first.hit && !(in.switches & (SwitchCatches | SwitchCutsOut))) {
    path.first.alpha = 1;
  }
  if (path.primary && (in.switches & SwitchCutsOut)) return Step::Ended; // empty in alpha, and nothing behind it
  if (path.primary && (in.switches & SwitchCatches))
    return catchShadow(path, hit, facing) ? passOn(path, hit, facing) : Step::Ended;
  if (within && within->scatters && within->instance == hit.instance && facing != hit.geometric) // never of a photon
    return leaveSubsurface(path, hit, point) ? Step::Next : Step::Ended;
  if (!veiled && !path.sink) addEmission(path, hit, *point.material, point.at, path.throughput);
  return scatterAtSurface(path, hit, point) ? Step::Next : Step::Ended;
}

Step nextSegment(PathState& path, const Hit* first, bool firstMet, int step) {
  const MediumStack::Body* within = path.mediumStack.empty() ? nullptr : path.mediumStack.current();
  Hit hit;
  bool met = firstMet;
  if (!first)
    met = path.rays.intersect(path.origin, path.direction, infinite, hit);
  else if (met)
    hit = *first;
  const float distance = met ? hit.distance : infinite;
  if (within && within->scatters)
    if (const Step s = wander(path, interiorOf(path, *within), distance); s != Step::Here) return s;
  path.metShare = 1;
  if (const Step s = crossSegment(path, within, distance, met ? &hit : nullptr); s != Step::Here) return s;
  if (met) return meet(path, hit, within, step);
  if (!path.sink)
    addSky(path);
  else if (path.sink->sight)
    path.sink->leave(landingOf(path, path.origin, V3f(0.0f), noMaterial, false));
  return Step::Ended;
}

} // namespace

void followBranch(PathState& path) {
  for (int i = 0; i < mostSteps && nextSegment(path, nullptr, false, i) != Step::Ended; ++i) {
  }
}

void tracePath(PathState& path, const Hit* first, bool firstMet) {
  for (int i = 0; i < mostSteps; ++i)
    if (nextSegment(path, i == 0 ? first : nullptr, firstMet, i) == Step::Ended) break;
  if (!path.film) return;
  if (!path.lampSeen) path.first.lookedAt = path.label;
  path.film->finish(path.pixel, path.first, path.total);
}

} // namespace ilumbra
