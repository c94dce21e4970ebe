#include "core/transport/shadow_catcher.h"

#include "core/transport/shadow_transmittance.h"

namespace ilumbra {

bool catchShadow(PathState& path, const Hit& hit, const V3f& facing) {
  const V3f lift = offset(hit.point, facing);
  const auto visibility = [&](const V3f& d, float far, const Emitter* lamp) {
    if (path.rays.occluded(lift, d, far)) return Color(0.0f);
    Hit clear;
    const bool meets = path.scene.clearBlockers && path.rays.intersectClear(lift, d, far, clear);
    uint16_t last = noMaterial;
    return clearTransmittance(path, lift, d, far, meets ? &clear : nullptr, path.mediumStack, nullptr, lamp, last);
  };
  Color pass(1.0f);
  path.lampChooser.moveTo(hit.point, facing);
  path.allLampsSampled = false;
  size_t k;
  float p;
  LightSample ls;
  const V2f u0 = path.sampler.get2(), u1 = path.sampler.get2();
  float skyWeight = 0;
  for (const Emitter& e : path.scene.skies) skyWeight += e.weight * e.light->illuminance();
  const float lampWeight = path.lampChooser.total();
  const float skyShare = skyWeight + lampWeight > 0 ? skyWeight / (skyWeight + lampWeight) : 0;
  if (u0.x < skyShare)
    pass = visibility(Frame(facing).toWorld(sampleCosineHemisphere(u1)), infinite, nullptr);
  else if (path.lampChooser.pick((u0.x - skyShare) / std::max(1e-6f, 1 - skyShare), k, p) &&
           path.rays.shutterTime().sample(path.scene.emitters[k], hit.point, u1, ls) && dot(ls.direction, facing) > 0)
    pass = visibility(ls.direction, ls.distance * 0.9998f, &path.scene.emitters[k]);
  path.first.alpha += (1 - path.first.alpha) * (1 - (pass.x + pass.y + pass.z) / 3);
  path.throughput *= pass;
  return maxComponent(pass) > 0;
}

} // namespace ilumbra
