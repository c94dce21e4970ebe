#include "core/transport/subsurface.h"

#include "core/air/haze.h"
#include "core/base/attenuation.h"
#include "core/surface/bsdf.h"
#include "core/transport/direct_light.h"

namespace ilumbra {

bool walkSubsurface(PathState& path, float distance, const Interior& in) {
  Color share;
  float total = 0;
  for (int c = 0; c < 3; ++c) total += share[c] = std::abs(path.throughput[c]) * (in.albedo[c] + 0.01f);
  share *= 1 / total;
  float u = path.random.next();
  const int channel = u < share.x ? 0 : u < share.x + share.y ? 1 : 2;
  const float way = -std::log(1 - path.random.next()) / in.extinction[channel];
  if (way >= distance) {
    const Color t = attenuation(in.extinction, distance);
    path.throughput *= t * (1 / std::max(1e-30f, dot(share, t)));
    return false;
  }
  const Color t = attenuation(in.extinction, way);
  path.throughput *= in.extinction * in.albedo * t * (1 / std::max(1e-30f, dot(share, in.extinction * t)));
  path.origin += path.direction * way;
  const float x = path.random.next(), phi = 2 * pi * path.random.next(), cosine = samplePhase(x, in.anisotropy);
  const float sine = std::sqrt(std::max(0.0f, 1 - cosine * cosine));
  path.direction = Frame(path.direction).toWorld({sine * std::cos(phi), sine * std::sin(phi), cosine});
  return true;
}

bool leaveSubsurface(PathState& path, const Hit& hit, const ShadingPoint& g) {
  Bsdf s;
  g.material->describe(g.at, false, g.material->ior, s);
  path.mediumStack.leave(hit.instance);
  const Frame frame(hit.geometric);
  struct Leaving final : ScatteringFunction {
    explicit Leaving(const Bsdf& surface) : s(surface) {}
    const Bsdf& s;
    Color evaluate(const V3f& wi) const override { return Color(s.leaving(wi)); }
    float pdf(const V3f& wi) const override { return std::max(0.0f, wi.z) / pi; }
  };
  const Leaving leaving(s);
  sampleDirectLight(path,
                    PathVertex{hit, g.material, frame, hit.geometric, false, false, nullptr, false, false, s.occlusion},
                    leaving);
  ++path.scatterings;
  path.bounceFactor = s.occlusion;
  const V3f wi = sampleCosineHemisphere(path.sampler.get2());
  if (wi.z <= 0) return false;
  path.previousPdf = wi.z / pi;
  path.previousPoint = hit.point;
  path.linkedThing = hit.object->thing;
  path.receiver = hit.object->thingAt(hit.instance->index);
  path.lastSpecular = noMaterial;
  path.straightLight.fill({true, false});
  path.origin = offset(hit.point, hit.geometric);
  path.direction = frame.toWorld(wi);
  return russianRoulette(path, Color(s.leaving(wi) * pi / wi.z), path.sampler.get1());
}

} // namespace ilumbra
