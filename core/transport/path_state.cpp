#include "core/transport/path_state.h"

#include "core/scene/geometry.h"

namespace ilumbra {

namespace {

// After this many bounces a path survives with probability 0.97 at most, so that it ends even where nothing absorbs.
constexpr int sureBounces = 6;

} // namespace

void addLight(PathState& path, const Label& label, const Color& light, bool certain) {
  if (!finite(light)) {
    ++path.count.dropped;
    return;
  }
  Color shown = light * path.scene.groupScales[label.group];
  float l = luminance(shown), keep = 1;
  if (path.scene.fireflyLimit > 0 && label.event == EventIndirect && l > path.scene.fireflyLimit) {
    keep = path.scene.fireflyLimit / l;
    l = path.scene.fireflyLimit;
    shown *= keep;
    ++path.count.limited;
  }
  if (certain)
    path.film->addCertain(path.pixel, label, light, shown);
  else
    path.film->add(path.pixel, label, light * keep);
  path.total += shown;
  path.film->addSeen(path.pixel, label.thing, l);
}

bool photonsCarry(const PathState& path, const Emitter& lamp, uint16_t first, uint16_t onto) {
  if (!path.photons || first == noMaterial || onto == noMaterial) return false;
  const Scene& scene = path.scene;
  const bool sky =
      !scene.skies.empty() && &lamp >= scene.skies.data() && &lamp < scene.skies.data() + scene.skies.size();
  const size_t light =
      sky ? scene.emitters.size() + size_t(&lamp - scene.skies.data()) : size_t(&lamp - scene.emitters.data());
  return scene.caustics->ruleOf(light, first, onto) >= 0;
}

ShadingPoint shadingPointAt(PathState& path, const Hit& hit, const V3f& direction, float footprint,
                            const std::array<const Instance*, 4>& veils) {
  const InstancedObject& in = *hit.object;
  const bool cut = in.insideMaterial != noMaterial && in.geometry->shape.mesh.inside[hit.triangle];
  const uint16_t material = cut ? in.insideMaterial : in.material;
  ShadingPoint g{path.scene.materials[material].get(), {}, 1};
  if (path.scene.patterned[material])
    g.at = patternPoint(path.scene, hit, path.rays.shutterTime(), direction, footprint);
  while (g.material->layered()) {
    const float above = clamp01(g.material->mask.real(g.at));
    path.certain &= above == 0 || above == 1;
    g.material = path.scene.materials[size_t(path.random.next() < above ? g.material->above : g.material->below)].get();
  }
  const Material& m = *g.material;
  if (m.alwaysOpaque()) return g;
  g.opacity = clamp01(m.opacity.real(g.at));
  if (m.veil.keys.empty()) return g;
  if (m.veil.frontOnly &&
      (dot(direction, hit.geometric) > 0 || std::find(veils.begin(), veils.end(), hit.instance) != veils.end()))
    g.opacity = 0;
  else
    g.opacity *= clamp01(m.veil.at(std::abs(dot(direction, hit.shading))));
  return g;
}

bool russianRoulette(PathState& path, const Color& weight, float choice) {
  path.throughput *= weight;
  if (isBlack(path.throughput) || !finite(path.throughput)) return false;
  const float most =
      std::max(std::abs(path.throughput.x), std::max(std::abs(path.throughput.y), std::abs(path.throughput.z))) /
      path.share;
  if (++path.bounces > sureBounces || most < 0.1f) {
    const float survive = std::min(0.97f, most);
    if (choice >= survive) return false;
    path.throughput *= 1 / survive;
  }
  return true;
}

} // namespace ilumbra
