#include "core/transport/emission.h"

#include "core/scene/geometry.h"
#include "core/scene/plates.h"

namespace ilumbra {

namespace {

// Chance has no part in what is `ahead` metres before the camera but where in its pixel a sample falls. (A lens that
// blurs it and a shutter in which it moves make it one.)
bool isCertain(const PathState& path, float ahead) {
  const Camera& camera = path.scene.camera;
  return path.primary && path.certain && !camera.moves() && camera.blur(ahead) <= path.footprintSpread;
}
bool isCertain(const PathState& path, const Hit& hit) {
  return !hit.instance->motion && hit.object->geometry->shape.forms.empty() &&
         isCertain(path, dot(hit.point - path.scene.camera.position(), path.scene.camera.forward()));
}

} // namespace

void addSky(PathState& path) {
  float clear = 1; // of the sky, beside a plate that clear things show in front of it
  if (path.scene.plateGroup >= 0 && path.specularChain && !path.primary && path.label.seen == SeenThrough) {
    float alpha;
    const Color light = plateSeen(*path.scene.plates, path.scene.camera, path.direction, alpha);
    Label l = path.label;
    l.group = uint16_t(path.scene.plateGroup);
    l.event = EventEmitted;
    l.thing = path.scene.plateThing;
    l.material = noMaterial;
    addLight(path, l, path.throughput * light * path.scene.plateBaked);
    clear = 1 - alpha;
  }
  for (const Emitter& sky : path.scene.skies) {
    if (countedStraight(path, sky) || photonsCarry(path, sky)) continue;
    const bool shown = !path.specularChain ||
                       (path.primary ? sky.switches & SwitchSeen && !path.scene.plateBehind
                                     : !((path.label.seen & SeenMirrored) && !(sky.switches & SwitchMirrored)) &&
                                           !((path.label.seen & SeenThrough) && !(sky.switches & SwitchThrough)));
    if (!shown) continue;
    float w = 1;
    if (std::isfinite(path.previousPdf))
      w = powerHeuristic(path.previousPdf,
                         sky.light->pdf(path.previousPoint, path.direction, infinite, path.direction));
    Label l = path.label;
    l.group = sky.group;
    l.event = eventMet(path);
    if (path.primary) l.first = sky.thing;
    if (path.specularChain) {
      l.thing = sky.thing;
      l.material = noMaterial;
    }
    addLight(path, l,
             path.throughput * sky.light->radiance(path.previousPoint, path.direction, path.direction) * sky.baked *
                 (w * clear * path.bounceFactor * lampShare(path, sky, infinite) * path.metShare),
             isCertain(path, infinite));
  }
}

void addLamp(PathState& path, const Hit& hit) {
  const InstancedObject& in = *hit.object;
  const Emitter& e = path.scene.emitters[size_t(in.emitter)];
  const Color radiance = path.rays.shutterTime().radiance(e, hit.point, path.direction, hit.geometric);
  Label l = path.label;
  l.group = e.group;
  l.event = eventMet(path);
  if (path.primary) l.first = in.thing;
  if (path.specularChain) {
    l.thing = in.thing;
    l.material = noMaterial;
  }
  if (path.primary) path.first = {true, 1, path.travelled, hit.geometric, Color(0.0f), in.thing};
  if (path.specularChain) path.first.lookedAt = l, path.lampSeen = true;
  if (countedStraight(path, e) || path.lampsAccounted || isBlack(radiance) || photonsCarry(path, e)) return;
  float w = 1;
  if (std::isfinite(path.previousPdf))
    w = powerHeuristic(path.previousPdf, lampProbability(path, in.emitter) *
                                             path.rays.shutterTime().pdf(e, path.previousPoint, path.direction,
                                                                         length(hit.point - path.previousPoint),
                                                                         {hit.geometric, hit.triangle, hit.u, hit.v}));
  addLight(path, l,
           path.throughput * radiance * e.baked *
               (w * lampShare(path, e, length(hit.point - path.previousPoint)) * path.metShare),
           isCertain(path, hit));
}

void addEmission(PathState& path, const Hit& hit, const Material& m, const PatternPoint& at, const Color& throughput) {
  const InstancedObject& in = *hit.object;
  const int emitter = m.emits ? in.emitterOf(m.index, hit.instance->index) : -1;
  if (emitter < 0 || path.lampsAccounted) return;
  if (!(path.primary || (in.switches & SwitchLightsOthers) || path.specularChain)) return;
  if (!m.emitsBack && dot(path.direction, hit.geometric) > 0) return;
  const Emitter& e = path.scene.emitters[size_t(emitter)];
  if (countedStraight(path, e) || photonsCarry(path, e)) return;
  float w = 1;
  if (std::isfinite(path.previousPdf))
    w = powerHeuristic(path.previousPdf, lampProbability(path, emitter) *
                                             path.rays.shutterTime().pdf(e, path.previousPoint, path.direction,
                                                                         length(hit.point - path.previousPoint),
                                                                         {hit.geometric, hit.triangle, hit.u, hit.v}));
  Label l = path.label;
  l.group = e.group;
  l.event = eventMet(path);
  const uint16_t thing = in.thingAt(hit.instance->index);
  if (path.primary) l.first = thing;
  if (path.specularChain) {
    l.thing = thing;
    l.material = m.index;
  }
  addLight(path, l, throughput * m.emitted(at) * e.baked * (w * path.metShare), isCertain(path, hit));
}

bool addOwnLightAhead(PathState& path, const Hit* hit, bool add) {
  if (!hit) {
    if (add) addSky(path);
    return !path.scene.skies.empty();
  }
  const InstancedObject& in = *hit->object;
  if (!(in.switches & SwitchSeen) || (in.switches & (SwitchCatches | SwitchCutsOut))) return false;
  if (in.light < 0) {
    if (in.insideMaterial != noMaterial) return false;
    const Material& m = *path.scene.materials[in.material];
    if (m.layered() || !m.emits || !m.alwaysOpaque()) return false;
  }
  if (!add) return true;
  const FirstHit first = path.first;
  const bool lampSeen = path.lampSeen;
  if (in.light >= 0) {
    addLamp(path, *hit);
  } else {
    const ShadingPoint p = shadingPointAt(path, *hit, path.direction,
                                          path.footprint + path.footprintSpread * hit->distance, path.passedVeils);
    addEmission(path, *hit, *p.material, p.at, path.throughput);
  }
  path.first = first; // the sample goes on from the air
  path.lampSeen = lampSeen;
  return true;
}

} // namespace ilumbra
