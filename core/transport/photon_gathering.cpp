#include "core/transport/photon_gathering.h"

#include "core/transport/medium_integrator.h"
#include "core/transport/photons.h"
#include "core/transport/shadow_transmittance.h"

namespace ilumbra {

void gatherPhotons(PathState& path, const PathVertex& v, const ScatteringFunction& scatter) {
  const uint16_t thing = v.hit.object->thingAt(v.hit.instance->index);
  boost::container::small_vector<std::pair<uint16_t, Color>, 4> sums; // by group: the film is asked once for each
  path.photons->near(v.hit.point, v.facing, v.farSide, thing, [&](const Photon& p, float weight) {
    const V3f from = p.from.unit(), wi = v.frame.toLocal(from);
    const bool sameSide = dot(from, v.facing) > 0;
    if (sameSide != (wi.z > 0) || (!sameSide && !v.farSide) || std::abs(wi.z) < 1e-3f) return;
    const Color light = scatter.evaluate(wi) * p.power * (weight / std::abs(wi.z));
    const auto group = std::find_if(sums.begin(), sums.end(), [&](const auto& s) { return s.first == p.group; });
    if (group != sums.end())
      group->second += light;
    else
      sums.emplace_back(p.group, light);
  });
  Label l = path.label;
  l.event = path.scatterings == 0 ? EventCaustic : EventIndirect;
  for (const auto& [group, light] : sums) {
    l.group = group;
    addLight(path, l, path.throughput * vmax(light, path.scene.caustics->saturated() ? Color(0.0f) : light));
  }
}

void gatherPhotonBeams(PathState& path, const RayMedia& way, float end, NodeId body) {
  const Media& air = *path.scene.media;
  const PhotonBeams& beams = *path.photons->beams();
  static thread_local std::vector<PhotonBeams::Meeting> met;
  met.clear();
  beams.along(path.origin, path.direction, end, met);
  for (const PhotonBeams::Meeting& m : met) {
    const PhotonBeam& b = beams[m.beam];
    const bool sky = b.light >= path.scene.emitters.size();
    const Emitter& e = sky ? path.scene.skies[b.light - path.scene.emitters.size()] : path.scene.emitters[b.light];
    const V3f x = path.origin + path.direction * m.along;
    Color come(-1.0f); // what comes to this place, and from it
    for (const auto& s : way) {
      if (m.along < s.from || m.along >= s.to) continue;
      const Medium& h = air[s.haze];
      const auto asked = [&](const auto& list, size_t i) {
        return std::find(list.begin(), list.end(), uint32_t(i)) != list.end();
      };
      if (h.chosen && !(sky ? asked(h.places[s.place].skies, b.light - path.scene.emitters.size())
                            : asked(h.places[s.place].lamps, b.light)))
        continue;
      if (path.scene.caustics->ruleOf(b.light, b.first, h.thing) != b.rule) continue;
      const float share = e.share(b.takenBy != noMaterial ? b.takenBy : h.thing, sky ? 0 : b.firstWay);
      if (!(share > 0)) continue;
      if (come.x < 0)
        come = b.power * mediaTransmittance(path, b.begin, b.direction, m.behind, body) *
               (path.draft ? air.meanTransmittance(way, m.along)
                           : air.transmittance(way, path.origin, path.direction, m.along, path.random)) *
               (m.weight * path.scene.caustics->rules()[b.rule].carried(b.lastWay + m.behind));
      Label l = mediumLabel(path, h, path.scatterings + 1);
      l.event = path.scatterings == 0 ? EventCaustic : EventIndirect;
      l.group = b.group;
      addLight(path, l,
               path.throughput * come * air.scattering(s, x) *
                   (share * phase(-dot(b.direction, path.direction), air.anisotropy(s, x))));
    }
  }
}

} // namespace ilumbra
