#include "core/render/path.h"

#include "core/base/hash.h"
#include "core/base/spectrum.h"
#include "core/render/air.h"
#include "core/render/caustics.h"
#include "core/render/geometry.h"
#include "core/render/hit.h"
#include "core/render/inside.h"
#include "core/render/photons.h"
#include "core/render/plate.h"

#include <array>
#include <limits>
#include <optional>

namespace ilumbra {
namespace {

constexpr float infinite = std::numeric_limits<float>::infinity();
// After this many bounces a path survives with probability 0.97 at most, so that it ends even where nothing absorbs.
constexpr int sureBounces = 6;
constexpr int sureScatterings = 256;
constexpr int mostSteps = 100000;
// Up to so many lamps are all asked for their light where the camera looks; of more, one is chosen.
constexpr size_t allLamps = 4;
// A draft follows mirrors and clear things this far, and nothing else.
constexpr int draftBounces = 8;
// Light that is less than this in the picture, of 1 for white, has no shadow ray in a draft.
constexpr float draftLeast = 1e-3f;
// How wide a bounce off something rough makes a path, in metres to the metre: textures are read as coarsely.
constexpr float roughSpread = 0.1f;
// Clear things without an inside (open or thin) end at once.
constexpr int mostCrossings = 64;

Color attenuation(const Color& perMetre, float metres) {
  return {std::exp(-perMetre.x * metres), std::exp(-perMetre.y * metres), std::exp(-perMetre.z * metres)};
}

// One path of one sample.
class Path {
 public:
  Path(const Scene& scene, Film& film, size_t pixel, const Sampler& sampler, uint32_t randomSeed, bool draft,
       const PhotonMap* photons, TraceCount& count, RayLog* log)
      : m_scene(scene), m_film(&film), m_pixel(pixel), m_sampler(sampler), m_random(randomSeed), m_draft(draft),
        m_photons(scene.caustics ? photons : nullptr), m_count(count), m_rays(scene, count, log), m_choice(scene.tree) {
  }
  /// Of light on its way from a lamp.
  Path(const Scene& scene, const Ray& start, float time, const Sampler& sampler, uint32_t randomSeed, PhotonSink& sink,
       TraceCount& count)
      : m_scene(scene), m_film(nullptr), m_pixel(0), m_sampler(sampler), m_random(randomSeed), m_draft(false),
        m_sink(&sink), m_count(count), m_rays(scene, count, nullptr), m_choice(scene.tree) {
    m_rays.setTime(time);
    m_origin = m_previousPoint = start.origin;
    m_direction = start.direction;
    m_chain = m_straight = false;
  }

  /// Dispersion is left out: of few samples it would be confetti.
  void keepWhite() { m_white = true; }
  /// The camera's ray through a pixel of the film.
  Ray start(float x, float y, float step);
  /// The whole path; `first`: what the camera's ray meets, if that is known, and `firstMet` whether it meets anything.
  void run(const Hit* first = nullptr, bool firstMet = false);

 private:
  // Where light is gathered: a point of a surface, or where light leaves a scattering body.
  struct Vertex {
    const Hit& hit;
    const Material* material;
    const Frame& frame;
    V3f facing;       ///< geometric normal on the side that the frame looks to
    bool farSide;     ///< light from the other side counts
    bool clearFar;    ///< only as far as it comes through clear matter
    const Copy* body; ///< this clear body, if it is one
    bool backside;    ///< the frame looks into it
    bool chained; ///< it sends light on to the surface that the path has left before: photons may carry what comes here
    float occlusion;
  };
  // What the material says about an opaque, veiled or clear point on the way.
  struct Ground {
    const Material* material;
    PatternPoint at;
    float opacity;
  };

  void add(const Label& label, const Color& light);
  void meetSky();
  void meetLamp(const Hit& hit);
  void addOwnLight(const Hit& hit, const Material& m, const PatternPoint& at, const Color& throughput);
  bool catchShadow(const Hit& hit, const V3f& facing);
  enum class Crossing { Passed, Turned, Ended };
  Crossing crossAir(float far, NodeId body);
  void lightAir(const AirWay& way, float begin, float end, float turns);
  void meetInAir(const AirWay& way, const Emitter& e, float weight, float from, float to, const AirWay::Stretch* only);
  void takeInAir(const AirWay& way, const Emitter& e, float t, const LightSample& ls, float weight, float turns,
                 const AirWay::Stretch* only);
  bool litPart(const Emitter& e, float& from, float& to) const;
  bool turn(const AirWay& way, float begin, float end, float chance);
  bool mayTurn(const Air::Filled& h) const { return !h.chosen && h.scatterings > m_turned + 1; }
  Label airLabel(const Air::Filled& h, int times) const;
  Color throughAir(const V3f& from, const V3f& direction, float far, NodeId body);
  NodeId bodyOf(const InsideStack::Body& b) const;
  bool scatterInside(float distance, const Interior& interior);
  bool leaveBody(const Hit& hit, const Ground& ground);
  bool surface(const Hit& hit, const Ground& ground);
  bool goOn(const Color& weight, float choice);
  template <typename Scatter> void gather(const Vertex& v, const Scatter& scatter);
  /// `without`: a body that casts no shadow onto its own far side.
  void gatherFrom(const Vertex& v, const Emitter& e, const LightSample& ls, const Color& light, bool sky,
                  const Copy* without = nullptr);
  void gatherWrapped(const Vertex& v, const Surface& s);
  template <typename Scatter> void gatherPhotons(const Vertex& v, const Scatter& scatter);
  void gatherBeams(const AirWay& way, float end, NodeId body);
  Landing landing(const V3f& place, const V3f& facing, uint16_t thing, bool narrow) const {
    return {place,
            -m_direction,
            facing,
            m_throughput,
            m_lastSpecular,
            thing,
            m_takenBy != noMaterial ? m_takenBy : thing,
            m_firstWay,
            m_travelled - m_bentAt,
            m_surfaces,
            m_mirroredFirst,
            narrow};
  }
  /// `lamp`: whose light it is; `last`: told the clear thing that is nearest to the lamp, the one that its light meets
  /// first.
  Color throughClear(V3f origin, const V3f& direction, float far, const Hit* first, InsideStack inside, const Copy* own,
                     const Emitter* lamp, uint16_t& last);
  // Light of a lamp that photons carry, from the thing that it met first onto another: it is not the path's to add.
  bool carried(const Emitter& lamp, uint16_t first, uint16_t onto) const {
    if (!m_photons || first == noMaterial || onto == noMaterial) return false;
    const bool sky =
        !m_scene.skies.empty() && &lamp >= m_scene.skies.data() && &lamp < m_scene.skies.data() + m_scene.skies.size();
    const size_t light =
        sky ? m_scene.emitters.size() + size_t(&lamp - m_scene.skies.data()) : size_t(&lamp - m_scene.emitters.data());
    return m_scene.caustics->ruleOf(light, first, onto) >= 0;
  }
  bool carried(const Emitter& lamp) const { return carried(lamp, m_lastSpecular, m_receiver); }

  Ground groundAt(const Hit& hit, const V3f& direction, float footprint, const std::array<const Copy*, 4>& veils);
  float chance(int emitter) const { return m_allTaken ? 1.0f : m_choice.probability(size_t(emitter)); }
  // Of a lamp that the path meets.
  float shareOf(const Emitter& e, float distance) const {
    return m_takenBy == noMaterial ? 1 : e.share(m_takenBy, m_scattered > 0 && std::isfinite(distance) ? distance : 0);
  }
  uint8_t eventOf(int times) const {
    return uint8_t(times == 0 ? EventEmitted : times == 1 ? EventDirect : EventIndirect);
  }
  // Of a lamp that the path meets.
  uint8_t eventMet() const {
    return m_scattered == 1 && m_receiver != noMaterial && m_lastSpecular != noMaterial ? uint8_t(EventCaustic)
                                                                                        : eventOf(m_scattered);
  }
  // Lamps that the last vertex saw through clear things in a straight line are not counted again: nor those whose light
  // clear things block.
  bool counted(const Emitter& e) const {
    return e.clear != LightThrough::Focused && m_straightTo[e.clear != LightThrough::AsThings].crossed;
  }

  const Scene& m_scene;
  Film* m_film; // null: of a photon
  size_t m_pixel;
  Sampler m_sampler;
  RandomStream m_random;
  bool m_draft;
  bool m_white = false; // light is not spread by its colours
  const PhotonMap* m_photons = nullptr;
  PhotonSink* m_sink = nullptr;
  TraceCount& m_count;
  RayCaster m_rays;
  LightTree::Chooser m_choice;
  bool m_allTaken = false; // at the last point every lamp had its ray

  V3f m_origin, m_direction;
  Color m_throughput{1.0f};
  float m_previousDensity = infinite; // of the direction, for the light it may meet
  V3f m_previousPoint;
  uint16_t m_receiver = noMaterial;     // the thing that scattered the path last, noMaterial: none, or the air did
  uint16_t m_lastSpecular = noMaterial; // of mirrors and clear things since then, the last; of a photon, the first
  float m_firstWay = 0, m_bentAt = 0;   // of a photon: metres to the first mirror or clear thing, and to the last
  uint32_t m_surfaces = 0;              // of a photon: how many
  bool m_mirroredFirst = false;         // of a photon
  uint16_t m_takenBy =
      noMaterial;         // the thing that last scattered or mirrored the path: links of lamps are asked for it
  float m_nextFactor = 1; // of bounced light only, never of lamps met directly
  bool m_chain = true;    // only mirrors and clear things so far
  bool m_straight = true; // the camera's own ray so far
  /// What this point's own predecessor already has of a lamp through this clear thing is not gathered again.
  bool farTaken(const Emitter& e, const Instance& thing) const {
    return e.through(thing) != LightThrough::Focused && m_straightTo[e.clear != LightThrough::AsThings].saw;
  }
  struct Straight {
    bool saw = false;     // the last point that gathered light would have seen a lamp ahead, clear things or not
    bool crossed = false; // and since then clear things were crossed
  };
  std::array<Straight, 2>
      m_straightTo; // of lamps that leave it to things how their light gets through, and of those that do not
  Label m_label;
  int m_scattered = 0; // bounces off what is no mirror and no clear glass
  int m_bounce = 0, m_wandered = 0;
  int m_turned = 0;          // in the air
  bool m_lampsTaken = false; // what it turned away from in the air had the light of every lamp
  float m_travelled = 0;
  float m_width = 0, m_spread = 0; // of the sample: metres, and metres to the metre
  float m_wave = 0;                // nm, once dispersion has chosen one
  InsideStack m_inside;
  std::array<const Copy*, 4> m_veils{}; // whose front surface was passed
  FirstHit m_first;
  bool m_lampSeen = false; ///< at the end of the specular chain
  Color m_total{0.0f};     // all light of the sample
};

void Path::add(const Label& label, const Color& light) {
  if (!finite(light)) {
    ++m_count.dropped;
    return;
  }
  Color shown = light * m_scene.amounts[label.group];
  float l = luminance(shown), keep = 1;
  if (m_scene.fireflyLimit > 0 && label.event == EventIndirect && l > m_scene.fireflyLimit) {
    keep = m_scene.fireflyLimit / l;
    l = m_scene.fireflyLimit;
    shown *= keep;
    ++m_count.limited;
  }
  m_film->add(m_pixel, label, light * keep);
  m_total += shown;
  m_film->addSeen(m_pixel, label.thing, l);
}

void Path::meetSky() {
  float clear = 1; // of the sky, beside a plate that clear things show in front of it
  if (m_scene.plateGroup >= 0 && m_chain && !m_straight && m_label.seen == SeenThrough) {
    float alpha;
    const Color light = plateSeen(*m_scene.plates, m_scene.camera, m_direction, alpha);
    Label l = m_label;
    l.group = uint16_t(m_scene.plateGroup);
    l.event = EventEmitted;
    l.thing = m_scene.plateThing;
    l.material = noMaterial;
    add(l, m_throughput * light * m_scene.plateBaked);
    clear = 1 - alpha;
  }
  for (const Emitter& sky : m_scene.skies) {
    if (counted(sky) || carried(sky)) continue;
    const bool shown =
        !m_chain || (m_straight ? sky.switches & SwitchSeen && !m_scene.plateBehind
                                : !((m_label.seen & SeenMirrored) && !(sky.switches & SwitchMirrored)) &&
                                      !((m_label.seen & SeenThrough) && !(sky.switches & SwitchThrough)));
    if (!shown) continue;
    float w = 1;
    if (std::isfinite(m_previousDensity))
      w = powerHeuristic(m_previousDensity, sky.light->density(m_previousPoint, m_direction, infinite, m_direction));
    Label l = m_label;
    l.group = sky.group;
    l.event = eventMet();
    if (m_straight) l.first = sky.thing;
    if (m_chain) {
      l.thing = sky.thing;
      l.material = noMaterial;
    }
    add(l, m_throughput * sky.light->radiance(m_direction, m_direction) * sky.baked *
               (w * clear * m_nextFactor * shareOf(sky, infinite)));
  }
}

void Path::meetLamp(const Hit& hit) {
  const Instance& in = *hit.instance;
  const Emitter& e = m_scene.emitters[size_t(in.emitter)];
  const Color radiance = m_rays.moment().radiance(e, m_direction, hit.geometric);
  Label l = m_label;
  l.group = e.group;
  l.event = eventMet();
  if (m_straight) l.first = in.thing;
  if (m_chain) {
    l.thing = in.thing;
    l.material = noMaterial;
  }
  if (m_straight) m_first = {true, 1, m_travelled, hit.geometric, Color(0.0f), in.thing};
  if (m_chain) m_first.lookedAt = l, m_lampSeen = true;
  if (counted(e) || m_lampsTaken || isBlack(radiance) || carried(e)) return;
  float w = 1;
  if (std::isfinite(m_previousDensity))
    w = powerHeuristic(m_previousDensity, chance(in.emitter) * m_rays.moment().density(
                                                                   e, m_previousPoint, m_direction,
                                                                   length(hit.point - m_previousPoint), hit.geometric));
  add(l, m_throughput * radiance * e.baked * (w * shareOf(e, length(hit.point - m_previousPoint))));
}

void Path::addOwnLight(const Hit& hit, const Material& m, const PatternPoint& at, const Color& throughput) {
  const Instance& in = *hit.instance;
  const int emitter = m.emits ? in.emitterOf(m.index, hit.copy->index) : -1;
  if (emitter < 0 || m_lampsTaken) return;
  if (!(m_straight || (in.switches & SwitchLightsOthers) || m_chain)) return;
  if (!m.emitsBack && dot(m_direction, hit.geometric) > 0) return;
  const Emitter& e = m_scene.emitters[size_t(emitter)];
  if (counted(e) || carried(e)) return;
  float w = 1;
  if (std::isfinite(m_previousDensity))
    w = powerHeuristic(m_previousDensity,
                       chance(emitter) * m_rays.moment().density(e, m_previousPoint, m_direction,
                                                                 length(hit.point - m_previousPoint), hit.geometric));
  Label l = m_label;
  l.group = e.group;
  l.event = eventMet();
  const uint16_t thing = in.thingAt(hit.copy->index);
  if (m_straight) l.first = thing;
  if (m_chain) {
    l.thing = thing;
    l.material = m.index;
  }
  add(l, throughput * m.emissionColor.color(at) * e.baked * w);
}

// The material at a hit, layers decided, and how much of it is there.
Path::Ground Path::groundAt(const Hit& hit, const V3f& direction, float footprint,
                            const std::array<const Copy*, 4>& veils) {
  const Instance& in = *hit.instance;
  const bool cut = in.insideMaterial != noMaterial && in.geometry->shape.mesh.inside[hit.triangle];
  const uint16_t material = cut ? in.insideMaterial : in.material;
  Ground g{m_scene.materials[material].get(), {}, 1};
  if (m_scene.patterned[material]) g.at = patternPoint(m_scene, hit, m_rays.moment(), direction, footprint);
  while (g.material->layered())
    g.material = m_scene
                     .materials[size_t(m_random.next() < clamp01(g.material->mask.real(g.at)) ? g.material->above
                                                                                              : g.material->below)]
                     .get();
  const Material& m = *g.material;
  if (m.alwaysOpaque()) return g;
  g.opacity = clamp01(m.opacity.real(g.at));
  if (m.veil.keys.empty()) return g;
  if (m.veil.frontOnly &&
      (dot(direction, hit.geometric) > 0 || std::find(veils.begin(), veils.end(), hit.copy) != veils.end()))
    g.opacity = 0;
  else
    g.opacity *= clamp01(m.veil.at(std::abs(dot(direction, hit.shading))));
  return g;
}

// Share of light that comes through on a straight line, `inside` of what it starts in; `first`: the first clear thing
// in the way: opacity by opacity, and through clear things that let light go straight, by Fresnel's equations and
// absorption on the way that refracted light would take.
Color Path::throughClear(V3f o, const V3f& d, float far, const Hit* first, InsideStack inside, const Copy* own,
                         const Emitter* lamp, uint16_t& last) {
  Color v(1.0f);
  float stretch = 1, entered = -1;
  std::array<const Copy*, 4> veils{};
  for (int i = 0; i < mostCrossings; ++i) {
    Hit h;
    bool met = first;
    if (i == 0 && first)
      h = *first;
    else if (i > 0)
      met = m_rays.intersectClear(o, d, far, h);
    const InsideStack::Body* medium = inside.there();
    Color a(1.0f);
    if (medium && (met || std::isfinite(far))) {
      if (medium->scatters) return Color(0.0f);
      a = attenuation(medium->material->interior.absorption, (met ? h.distance : far) * stretch);
      v *= a;
    }
    if (m_scene.air && (!medium || m_scene.air->anyWithin()))
      v *= throughAir(o, d, met ? h.distance : far, medium ? bodyOf(*medium) : 0);
    if (!met) return v;
    const Ground g = groundAt(h, d, m_width, veils);
    const Material& m = *g.material;
    const bool leaving = dot(d, h.geometric) > 0, body = m.hasInside() && h.instance->closed;
    Color through(0.0f);
    if (m.mayPassLight() && (lamp ? lamp->through(*h.instance) : h.instance->lightThrough) == LightThrough::Straight &&
        h.copy != own && g.opacity > 0) {
      const float clear = clamp01(m.transmission.real(g.at)) * (1 - clamp01(m.metalness.real(g.at)));
      const float cosine = std::abs(dot(d, h.shading));
      if (m.thin) {
        const float r = fresnelDielectric(cosine, m.ior), back = 2 * r / (1 + r);
        through = m.baseColor.color(g.at) * (clear * (1 - back));
      } else if (body) {
        const InsideStack::Body* other = inside.there(h.copy);
        const bool hidden = other && InsideStack::above(*other, h.copy, &m);
        const float outer = other ? other->material->indexAt(m_wave) : 1.0f,
                    eta = leaving ? outer / m.indexAt(m_wave) : m.indexAt(m_wave) / outer;
        if (hidden) {
          through = Color(1.0f);
        } else if (!leaving) {
          const float r = fresnelDielectric(cosine, eta);
          through = Color(clear * (1 - r));
          stretch = cosine / std::sqrt(std::max(1e-6f, 1 - (1 - cosine * cosine) / (eta * eta)));
          entered = r;
        } else {
          // By symmetry the way out reflects as the way in did; what goes back and forth inside is summed. Light that
          // started inside is taken to come in along the same line.
          const float r = entered >= 0 ? entered : fresnelDielectric(cosine, 1 / eta);
          for (int c = 0; c < 3; ++c) through[c] = clear * (1 - r) / (entered >= 0 ? 1 - sqr(r * a[c]) : 1);
          stretch = 1;
          entered = -1;
        }
        if (leaving)
          inside.leave(h.copy);
        else
          inside.enter({h.copy, &m, false});
      }
    }
    const float o1 = g.opacity;
    if (!isBlack(through)) last = h.instance->thingAt(h.copy->index);
    v *= Color(1 - o1 * (1 - (m.veil.keys.empty() ? 0 : m.veil.additive))) + through * o1;
    if (maxComponent(v) <= 0) return Color(0.0f);
    if (m.veil.frontOnly && !leaving) veils[size_t(i) % veils.size()] = h.copy;
    const V3f next = offset(h.point, leaving ? h.geometric : -h.geometric);
    far -= dot(next - o, d);
    o = next;
    if (far <= 0) return v;
  }
  return Color(0.0f);
}

void Path::gatherFrom(const Vertex& v, const Emitter& e, const LightSample& ls, const Color& light, bool sky,
                      const Copy* without) {
  if (isBlack(light)) return;
  // What nobody would see is not worth a draft's ray.
  if (m_draft && luminance(m_throughput * light * e.baked * m_scene.amounts[e.group]) * m_scene.exposure < draftLeast)
    return;
  const bool here = dot(ls.direction, v.facing) > 0;
  const V3f from = offset(v.hit.point, here ? v.facing : -v.facing);
  const float far = sky ? infinite : ls.distance * 0.9998f;
  if (without && !here ? m_rays.occludedBut(from, ls.direction, far, without)
                       : m_rays.occluded(from, ls.direction, far))
    return;
  Color seen(1.0f);
  Hit clear;
  uint16_t last = noMaterial;
  const bool meets = m_scene.clearBlockers && m_rays.intersectClear(from, ls.direction, far, clear);
  if (meets || !m_inside.empty()) {
    InsideStack inside = m_inside;
    const bool into = v.body && here == v.backside; // a way through the body itself ends at its other side
    if (v.body && !into) inside.leave(v.body);
    if (into) inside.enter({v.body, v.material, false});
    seen = throughClear(from, ls.direction, far, meets ? &clear : nullptr, inside, into ? v.body : nullptr, &e, last);
    if (isBlack(seen)) return;
  } else if (m_scene.air) {
    seen = throughAir(from, ls.direction, far, 0);
  }
  const uint16_t thing = v.hit.instance->thingAt(v.hit.copy->index);
  if (v.chained ? carried(e, last != noMaterial ? last : thing, m_receiver) : carried(e, last, thing)) return;
  Label l = m_label;
  l.group = e.group;
  l.event = eventOf(m_scattered + 1);
  add(l, m_throughput * light * seen * e.baked * (sky ? v.occlusion : 1));
}

// Share of light that comes through the air on a straight line; `body`: the clear body around it.
Color Path::throughAir(const V3f& from, const V3f& direction, float far, NodeId body) {
  AirWay way;
  m_scene.air->along(from, direction, far, way, body);
  if (way.empty()) return Color(1.0f);
  return m_draft ? m_scene.air->meanTransmittance(way, far)
                 : m_scene.air->transmittance(way, from, direction, far, m_random);
}

NodeId Path::bodyOf(const InsideStack::Body& b) const {
  return m_scene.things[m_scene.instances[b.copy->instance].thing].node;
}

// What the air before the path adds, and what it takes of what lies behind; or the path turns in it.
Path::Crossing Path::crossAir(float far, NodeId body) {
  const Air& air = *m_scene.air;
  AirWay way;
  air.along(m_origin, m_direction, far, way, body);
  if (way.empty()) return Crossing::Passed;
  air.divide(way, far);
  float begin = infinite, end = 0, turns = 0;
  bool again = false;
  for (const auto& s : way) {
    begin = std::min(begin, s.from);
    end = std::max(end, std::min(s.to, far));
    again |= mayTurn(air[s.haze]);
  }
  const bool lit = !(m_scene.bounces > 0 && m_bounce >= m_scene.bounces);
  if (again && lit && !m_draft) {
    const Color d = Air::depth(way, end);
    turns = 1 - (std::exp(-d.x) + std::exp(-d.y) + std::exp(-d.z)) / 3;
    if (turns < 1e-4f) turns = 0;
  }
  if (lit) lightAir(way, begin, end, turns);
  if (lit && m_photons && m_photons->beams()) gatherBeams(way, end, body);
  if (air.anyGlow())
    air.glow(way, m_origin, m_direction, m_random, [&](const Air::Filled& h, const Color& radiance) {
      Label l = airLabel(h, m_scattered);
      l.group = h.group;
      add(l, m_throughput * radiance);
    });
  if (turns > 0 && m_random.next() < turns) return turn(way, begin, end, turns) ? Crossing::Turned : Crossing::Ended;
  const Color through =
      (m_draft ? air.meanTransmittance(way, far) : air.transmittance(way, m_origin, m_direction, far, m_random)) *
      (1 / std::max(1e-6f, 1 - turns));
  if (m_straight && !m_first.hit) m_first.alpha += (1 - m_first.alpha) * (1 - (through.x + through.y + through.z) / 3);
  m_throughput *= through;
  return isBlack(m_throughput) ? Crossing::Ended : Crossing::Passed;
}

Label Path::airLabel(const Air::Filled& h, int times) const {
  Label l = m_label;
  l.event = eventOf(times);
  if (m_straight) l.first = h.thing;
  if (m_chain) {
    l.thing = h.thing;
    l.material = noMaterial;
  }
  return l;
}

// Light that a lamp or a sky sends to one place of the way, turned into it there by one haze's place, or by all that
// show any light.
void Path::takeInAir(const AirWay& way, const Emitter& e, float t, const LightSample& ls, float weight, float turns,
                     const AirWay::Stretch* only) {
  const Air& air = *m_scene.air;
  const bool sky = !std::isfinite(ls.distance);
  const V3f x = m_origin + m_direction * t;
  const float reach = sky ? infinite : ls.distance * 0.9998f, cosine = dot(ls.direction, m_direction);
  const Color lit = ls.radiance * (weight / (std::isfinite(ls.density) ? ls.density : 1));
  if (isBlack(lit)) return;
  if (m_draft && luminance(m_throughput * lit * e.baked * m_scene.amounts[e.group]) * m_scene.exposure < draftLeast)
    return;
  struct Part {
    const Air::Filled* haze;
    Color light;
  };
  boost::container::small_vector<Part, 4> parts;
  float turned = 0, all = 0; // density with which the path itself turns this way, times and over what scatters
  for (const auto& s : way) {
    if (t < s.from || t >= s.to) continue;
    const Air::Filled& h = air[s.haze];
    if (only ? (s.haze != only->haze || s.place != only->place) : h.chosen) continue;
    const float share = e.share(h.thing, sky ? 0 : ls.distance);
    if (share <= 0) continue;
    const Color scattering = air.scattering(s, x);
    const float f = phase(cosine, h.haze.anisotropy), bright = luminance(scattering);
    if (!(bright > 0)) continue;
    if (mayTurn(h)) turned += bright * f;
    all += bright;
    parts.push_back({&h, scattering * (f * share)});
  }
  if (parts.empty() || m_rays.occluded(x, ls.direction, reach)) return;
  Color seen(1.0f);
  Hit clear;
  const bool meets = m_scene.clearBlockers && m_rays.intersectClear(x, ls.direction, reach, clear);
  uint16_t last = noMaterial;
  if (meets || !m_inside.empty())
    seen = throughClear(x, ls.direction, reach, meets ? &clear : nullptr, m_inside, nullptr, &e, last);
  else
    seen = throughAir(x, ls.direction, reach, 0);
  if (isBlack(seen)) return;
  seen *= m_draft ? air.meanTransmittance(way, t) : air.transmittance(way, m_origin, m_direction, t, m_random);
  // Skies are met by turning too.
  if (sky && turns > 0 && turned > 0) seen *= powerHeuristic(ls.density, turns * turned / all);
  for (const Part& p : parts) {
    if (carried(e, last, p.haze->thing)) continue;
    Label l = airLabel(*p.haze, m_scattered + 1);
    l.group = e.group;
    add(l, m_throughput * p.light * seen * lit * e.baked);
  }
}

// One place of the way between `from` and `to` for a lamp. It is chosen either where light is lost or by the angle
// under which the way is seen from the lamp (Kulla and Fajardo 2012, "Importance sampling techniques for path tracing
// in participating media", equations 3 and 4), each half of the time, within what the lamp lights; the sample is
// weighed by the density of both.
void Path::meetInAir(const AirWay& way, const Emitter& e, float weight, float from, float to,
                     const AirWay::Stretch* only) {
  if (!litPart(e, from, to)) return;
  const V3f to0 = e.centre - m_origin;
  const float middle = dot(to0, m_direction), d = std::max(1e-4f, length(to0 - m_direction * middle));
  const float a = std::atan((from - middle) / d), b = std::isfinite(to) ? std::atan((to - middle) / d) : 0.5f * pi;
  const int channel = std::min(2, int(3 * m_random.next()));
  float t, density;
  const V2f u = m_sampler.get2();
  if (u.y < 0.5f) {
    t = Air::lose(way, from, to, channel, u.x, density);
    if (t < 0) return;
  } else {
    t = std::clamp(middle + d * std::tan(a + (b - a) * u.x), from, to);
    density = Air::loseDensity(way, from, to, t);
  }
  const float seenDensity = b > a ? d / ((b - a) * (sqr(t - middle) + d * d)) : 0,
              both = 0.5f * (density + seenDensity);
  LightSample ls;
  if (!(both > 0) || !std::isfinite(t) || !m_rays.moment().sample(e, m_origin + m_direction * t, m_sampler.get2(), ls))
    return;
  takeInAir(way, e, t, ls, weight / both, 0, only);
}

// Narrows a stretch to what a lamp may light; false: nothing.
bool Path::litPart(const Emitter& e, float& from, float& to) const {
  if (e.motion) return from < to;
  if (const Convex* lit = e.light->lit(); lit && !lit->clip(m_origin, m_direction, from, to)) return false;
  if (std::isfinite(e.range)) {
    Convex ball;
    ball.ball(e.centre, e.range);
    if (!ball.clip(m_origin, m_direction, from, to)) return false;
  }
  return from < to;
}

// Single scattering: from every lamp where there are few, or from one that matters somewhere on the way; hazes that
// have lights of their own ask those.
void Path::lightAir(const AirWay& way, float begin, float end, float turns) {
  const Air& air = *m_scene.air;
  const std::vector<Emitter>& lamps = m_scene.emitters;
  const bool anyOpen = std::any_of(way.begin(), way.end(), [&](const auto& s) { return !air[s.haze].chosen; });
  if (anyOpen && !lamps.empty()) {
    if (lamps.size() <= allLamps && m_scattered == 0 && !m_draft) {
      for (const Emitter& e : lamps) meetInAir(way, e, 1, begin, end, nullptr);
    } else {
      // By what each would give to all of the way if nothing stood between; of very many, some of them are asked.
      constexpr size_t most = 32;
      const size_t step = (lamps.size() + most - 1) / most;
      float sum = 0;
      boost::container::small_vector<std::pair<const Emitter*, float>, most> asked;
      for (size_t i = step > 1 ? std::min(step - 1, size_t(m_random.next() * float(step))) : 0; i < lamps.size();
           i += step) {
        const Emitter& e = lamps[i];
        float from = begin, to = end;
        if (!litPart(e, from, to)) continue;
        const V3f off = e.centre - m_origin;
        const float middle = dot(off, m_direction), d = std::max(1e-3f, length(off - m_direction * middle));
        const float angle =
            (std::isfinite(to) ? std::atan((to - middle) / d) : 0.5f * pi) - std::atan((from - middle) / d);
        asked.emplace_back(&e, sum += e.weight * e.flux * std::max(1e-6f, angle) / d);
      }
      const float u = m_random.next() * sum;
      for (size_t i = 0; i < asked.size(); ++i)
        if (u < asked[i].second || i + 1 == asked.size()) {
          const float mine = asked[i].second - (i > 0 ? asked[i - 1].second : 0);
          if (mine > 0) meetInAir(way, *asked[i].first, float(step) * sum / mine, begin, end, nullptr);
          break;
        }
    }
  }
  const auto askSky = [&](const Emitter& sky, float from, float to, const AirWay::Stretch* only) {
    float density;
    const float t = Air::lose(way, from, to, std::min(2, int(3 * m_random.next())), m_sampler.get1(), density);
    LightSample ls;
    if (t < 0 || !(density > 0) || !std::isfinite(t) ||
        !sky.light->sample(m_origin + m_direction * t, m_sampler.get2(), ls))
      return;
    takeInAir(way, sky, t, ls, 1 / density, only ? 0 : turns, only);
  };
  if (anyOpen)
    for (const Emitter& sky : m_scene.skies) askSky(sky, begin, end, nullptr);
  // Stretch by stretch, all of one place at once.
  for (const auto* s = way.begin(); s != way.end(); ++s) {
    const Air::Filled& h = air[s->haze];
    if (!h.chosen ||
        std::any_of(way.begin(), s, [&](const auto& o) { return o.haze == s->haze && o.place == s->place; }))
      continue;
    float from = s->from, to = s->to;
    for (const auto& o : way)
      if (o.haze == s->haze && o.place == s->place) {
        from = std::min(from, o.from);
        to = std::max(to, o.to);
      }
    to = std::min(to, end);
    for (const uint32_t k : h.places[s->place].lamps) meetInAir(way, lamps[k], 1, from, to, s);
    for (const uint32_t k : h.places[s->place].skies) askSky(m_scene.skies[k], from, to, s);
  }
}

// The path goes on from a place in the air, in a direction that one of its hazes turns it to. False: it ends.
bool Path::turn(const AirWay& way, float begin, float end, float chance) {
  const Air& air = *m_scene.air;
  float density;
  const float t = Air::lose(way, begin, end, std::min(2, int(3 * m_random.next())), m_sampler.get1(), density);
  if (t < 0 || !(density > 0) || !std::isfinite(t)) return false;
  const V3f x = m_origin + m_direction * t;
  struct Part {
    const Air::Filled* haze;
    Color scattering;
    float bright;
  };
  boost::container::small_vector<Part, 4> parts;
  float all = 0;
  for (const auto& s : way)
    if (const Air::Filled& h = air[s.haze]; t >= s.from && t < s.to && mayTurn(h)) {
      const Color c = air.scattering(s, x);
      if (luminance(c) > 0) parts.push_back({&h, c, luminance(c)}), all += luminance(c);
    }
  if (parts.empty()) return false;
  float u = m_random.next() * all;
  const Part* by = &parts.back();
  for (const Part& p : parts) {
    if (u < p.bright) {
      by = &p;
      break;
    }
    u -= p.bright;
  }
  const V2f around = m_sampler.get2();
  const float cosine = samplePhase(around.x, by->haze->haze.anisotropy),
              sine = std::sqrt(std::max(0.0f, 1 - cosine * cosine)), phi = 2 * pi * around.y;
  Color f(0.0f);
  float towards = 0; // density of the direction
  for (const Part& p : parts) {
    const float share = phase(cosine, p.haze->haze.anisotropy);
    f += p.scattering * share;
    towards += p.bright / all * share;
  }
  const Color weight =
      f * air.transmittance(way, m_origin, m_direction, t, m_random) * (1 / (chance * density * towards));
  m_label = airLabel(*by->haze, 0);
  if (m_straight) m_first.alpha = 1;
  m_takenBy = by->haze->thing;
  m_throughput *= m_nextFactor;
  m_nextFactor = 1;
  m_chain = m_straight = false;
  m_travelled += t;
  m_width += m_spread * t;
  m_spread = std::max(m_spread, roughSpread);
  ++m_scattered;
  m_receiver = by->haze->thing;
  m_lastSpecular = noMaterial;
  ++m_turned;
  m_lampsTaken = true;
  m_previousDensity = chance * towards;
  m_previousPoint = x;
  m_straightTo.fill({true, false});
  m_origin = x;
  m_direction = Frame(m_direction).toWorld({sine * std::cos(phi), sine * std::sin(phi), cosine});
  return goOn(weight, m_random.next());
}

// Next-event estimation: one lamp, and every sky. The lamp is resampled from a few candidates by what each would give
// if nothing stood between (Talbot et al. 2005), so that among many lamps the ray goes where it matters. The weight
// against hits by scattering takes the candidates' density: any weights that sum to 1 leave the mean alone.
template <typename Scatter> void Path::gather(const Vertex& v, const Scatter& scatter) {
  // Share of a sample that is the light's to give, for hits by scattering give the rest; a draft has no such hits.
  const auto misWeight = [&](const LightSample& ls, float probability, float density) {
    return std::isfinite(ls.density) && !m_draft ? powerHeuristic(ls.density * probability, density) : 1.0f;
  };
  const auto inverseDensity = [](const LightSample& ls, float probability) {
    return 1 / (std::isfinite(ls.density) ? ls.density * probability : probability);
  };
  const auto towards = [&](const Emitter& e, LightSample& ls, V3f& wi) {
    ls.radiance *= e.share(v.hit.instance->thing, std::isfinite(ls.distance) ? ls.distance : 0);
    wi = v.frame.toLocal(ls.direction);
    const bool sameSide = dot(ls.direction, v.facing) > 0;
    return sameSide == (wi.z > 0) && (sameSide || (v.farSide && !(v.clearFar && farTaken(e, *v.hit.instance)))) &&
           !isBlack(ls.radiance);
  };
  const V3f horizon = v.farSide ? V3f(0.0f) : v.facing;
  const V3f& point = v.hit.point;
  if (!m_draft && (m_scene.emitters.size() == 1 || (m_scattered == 0 && m_scene.emitters.size() <= allLamps))) {
    // Where the eye looks, a few lamps each get their ray: none is lost to one that something hides.
    m_allTaken = true;
    for (const Emitter& e : m_scene.emitters) {
      LightSample ls;
      V3f wi;
      if (!m_rays.moment().sample(e, point, m_sampler.get2(), ls) || !towards(e, ls, wi)) continue;
      gatherFrom(v, e, ls,
                 scatter.evaluate(wi) * ls.radiance * (misWeight(ls, 1, scatter.density(wi)) * inverseDensity(ls, 1)),
                 false);
    }
  } else if (m_draft && !m_scene.emitters.empty()) {
    m_choice.moveTo(point, horizon);
    size_t lamp;
    float p;
    LightSample ls;
    V3f wi;
    if (m_choice.pick(m_sampler.get1(), lamp, p) &&
        m_rays.moment().sample(m_scene.emitters[lamp], point, m_sampler.get2(), ls) &&
        towards(m_scene.emitters[lamp], ls, wi))
      gatherFrom(v, m_scene.emitters[lamp], ls, scatter.evaluate(wi) * ls.radiance * inverseDensity(ls, p), false);
  } else if (!m_scene.emitters.empty()) {
    // What decides among the candidates is cheap: the light times the density that scattering has in its direction.
    constexpr int candidates = 4;
    const float uChoose = m_sampler.get1();
    m_choice.moveTo(point, horizon);
    m_allTaken = false;
    float sum = 0, target = 0;
    const Emitter* chosen = nullptr;
    LightSample chosenSample;
    V3f chosenWi, wi;
    for (int k = 0; k < candidates; ++k) {
      size_t lamp;
      float p;
      LightSample ls;
      if (!m_choice.pick((float(k) + uChoose) / float(candidates), lamp, p)) continue;
      const Emitter& e = m_scene.emitters[lamp];
      const V2f u = k == 0 ? m_sampler.get2() : V2f(m_random.next(), m_random.next());
      if (!m_rays.moment().sample(e, point, u, ls) || !towards(e, ls, wi)) continue;
      const float density = scatter.density(wi),
                  wanted = luminance(vmax(ls.radiance, Color(0.0f))) * e.weight * density;
      const float weight = wanted * misWeight(ls, p, density) * inverseDensity(ls, p);
      if (!(weight > 0) || !std::isfinite(weight)) continue;
      sum += weight;
      if (m_random.next() * sum < weight) {
        target = wanted;
        chosen = &e;
        chosenSample = ls;
        chosenWi = wi;
      }
    }
    if (chosen)
      gatherFrom(v, *chosen, chosenSample,
                 scatter.evaluate(chosenWi) * chosenSample.radiance * (sum / (target * float(candidates))), false);
  }
  for (const Emitter& sky : m_scene.skies) {
    LightSample ls;
    V3f wi;
    if (!sky.light->sample(point, m_sampler.get2(), ls) || !towards(sky, ls, wi)) continue;
    gatherFrom(v, sky, ls,
               scatter.evaluate(wi) * ls.radiance * (misWeight(ls, 1, scatter.density(wi)) * inverseDensity(ls, 1)),
               true);
  }
  if (m_photons && !v.chained) gatherPhotons(v, scatter);
}

// Light that photons have brought here.
template <typename Scatter> void Path::gatherPhotons(const Vertex& v, const Scatter& scatter) {
  const uint16_t thing = v.hit.instance->thingAt(v.hit.copy->index);
  boost::container::small_vector<std::pair<uint16_t, Color>, 4> sums; // by group: the film is asked once for each
  m_photons->near(v.hit.point, v.facing, v.farSide, thing, [&](const Photon& p, float weight) {
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
  Label l = m_label;
  l.event = m_scattered == 0 ? EventCaustic : EventIndirect;
  for (const auto& [group, light] : sums) {
    l.group = group;
    add(l, m_throughput * vmax(light, m_scene.caustics->saturated() ? Color(0.0f) : light));
  }
}

// Light that photons carry through the air that the path passes.
void Path::gatherBeams(const AirWay& way, float end, NodeId body) {
  const Air& air = *m_scene.air;
  const PhotonBeams& beams = *m_photons->beams();
  static thread_local std::vector<PhotonBeams::Meeting> met;
  met.clear();
  beams.along(m_origin, m_direction, end, met);
  for (const PhotonBeams::Meeting& m : met) {
    const PhotonBeam& b = beams[m.beam];
    const bool sky = b.light >= m_scene.emitters.size();
    const Emitter& e = sky ? m_scene.skies[b.light - m_scene.emitters.size()] : m_scene.emitters[b.light];
    const V3f x = m_origin + m_direction * m.along;
    Color come(-1.0f); // what comes to this place, and from it
    for (const auto& s : way) {
      if (m.along < s.from || m.along >= s.to) continue;
      const Air::Filled& h = air[s.haze];
      const auto asked = [&](const auto& list, size_t i) {
        return std::find(list.begin(), list.end(), uint32_t(i)) != list.end();
      };
      if (h.chosen && !(sky ? asked(h.places[s.place].skies, b.light - m_scene.emitters.size())
                            : asked(h.places[s.place].lamps, b.light)))
        continue;
      if (m_scene.caustics->ruleOf(b.light, b.first, h.thing) != b.rule) continue;
      const float share = e.share(b.takenBy != noMaterial ? b.takenBy : h.thing, sky ? 0 : b.firstWay);
      if (!(share > 0)) continue;
      if (come.x < 0)
        come = b.power * throughAir(b.begin, b.direction, m.behind, body) *
               (m_draft ? air.meanTransmittance(way, m.along)
                        : air.transmittance(way, m_origin, m_direction, m.along, m_random)) *
               (m.weight * m_scene.caustics->rules()[b.rule].carried(b.lastWay + m.behind));
      Label l = airLabel(h, m_scattered + 1);
      l.event = m_scattered == 0 ? EventCaustic : EventIndirect;
      l.group = b.group;
      add(l, m_throughput * come * air.scattering(s, x) *
                 (share * phase(-dot(b.direction, m_direction), h.haze.anisotropy)));
    }
  }
}

// What a wrapped material has of lamps and skies otherwise than by its cosine: its own body does not shade it.
void Path::gatherWrapped(const Vertex& v, const Surface& s) {
  const auto from = [&](const Emitter& e, const LightSample& ls, float chance, bool sky) {
    const float share = e.share(v.hit.instance->thing, sky ? 0 : ls.distance);
    const float density = std::isfinite(ls.density) ? ls.density * chance : chance;
    gatherFrom(v, e, ls, s.wrapped(dot(ls.direction, v.frame.z)) * ls.radiance * (share / density), sky, v.hit.copy);
  };
  LightSample ls;
  if (!m_draft && m_scene.emitters.size() <= allLamps) {
    for (const Emitter& e : m_scene.emitters)
      if (m_rays.moment().sample(e, v.hit.point, {m_random.next(), m_random.next()}, ls)) from(e, ls, 1, false);
  } else if (!m_scene.emitters.empty()) {
    m_choice.moveTo(v.hit.point, V3f(0.0f));
    size_t lamp;
    float p;
    if (m_choice.pick(m_random.next(), lamp, p) &&
        m_rays.moment().sample(m_scene.emitters[lamp], v.hit.point, {m_random.next(), m_random.next()}, ls))
      from(m_scene.emitters[lamp], ls, p, false);
  }
  for (const Emitter& sky : m_scene.skies)
    if (sky.light->sample(v.hit.point, {m_random.next(), m_random.next()}, ls)) from(sky, ls, 1, true);
}

// Invisible, but for what it takes: the ray goes on by the share of light that is not shadowed here, estimated by one
// source chosen by its unshadowed light; light bounced from other things is added. False: nothing goes on.
bool Path::catchShadow(const Hit& hit, const V3f& facing) {
  const V3f lift = offset(hit.point, facing);
  const auto visibility = [&](const V3f& d, float far, const Emitter* lamp) {
    if (m_rays.occluded(lift, d, far)) return Color(0.0f);
    Hit clear;
    const bool meets = m_scene.clearBlockers && m_rays.intersectClear(lift, d, far, clear);
    uint16_t last = noMaterial;
    return throughClear(lift, d, far, meets ? &clear : nullptr, m_inside, nullptr, lamp, last);
  };
  Color pass(1.0f);
  m_choice.moveTo(hit.point, facing);
  m_allTaken = false;
  size_t k;
  float p;
  LightSample ls;
  const V2f u0 = m_sampler.get2(), u1 = m_sampler.get2();
  float skyWeight = 0;
  for (const Emitter& e : m_scene.skies) skyWeight += e.weight * e.light->illuminance();
  const float lampWeight = m_choice.total();
  const float skyShare = skyWeight + lampWeight > 0 ? skyWeight / (skyWeight + lampWeight) : 0;
  if (u0.x < skyShare)
    pass = visibility(Frame(facing).toWorld(sampleCosineHemisphere(u1)), infinite, nullptr);
  else if (m_choice.pick((u0.x - skyShare) / std::max(1e-6f, 1 - skyShare), k, p) &&
           m_rays.moment().sample(m_scene.emitters[k], hit.point, u1, ls) && dot(ls.direction, facing) > 0)
    pass = visibility(ls.direction, ls.distance * 0.9998f, &m_scene.emitters[k]);
  m_first.alpha += (1 - m_first.alpha) * (1 - (pass.x + pass.y + pass.z) / 3);
  m_throughput *= pass;
  return maxComponent(pass) > 0;
}

// True if the path scatters within the next `distance` metres. The way is sampled by one channel, chosen by what the
// path still carries, and weighed over all three.
bool Path::scatterInside(float distance, const Interior& in) {
  Color share;
  float total = 0;
  for (int c = 0; c < 3; ++c) total += share[c] = std::abs(m_throughput[c]) * (in.albedo[c] + 0.01f);
  share *= 1 / total;
  float u = m_random.next();
  const int channel = u < share.x ? 0 : u < share.x + share.y ? 1 : 2;
  const float way = -std::log(1 - m_random.next()) / in.extinction[channel];
  if (way >= distance) {
    const Color t = attenuation(in.extinction, distance);
    m_throughput *= t * (1 / std::max(1e-30f, dot(share, t)));
    return false;
  }
  const Color t = attenuation(in.extinction, way);
  m_throughput *= in.extinction * in.albedo * t * (1 / std::max(1e-30f, dot(share, in.extinction * t)));
  m_origin += m_direction * way;
  // Henyey and Greenstein 1941.
  const float g = in.anisotropy, x = m_random.next(), phi = 2 * pi * m_random.next();
  const float term = (1 - g * g) / (1 - g + 2 * g * x),
              cosine = std::abs(g) < 1e-3f ? 1 - 2 * x : std::clamp((1 + g * g - term * term) / (2 * g), -1.0f, 1.0f);
  const float sine = std::sqrt(std::max(0.0f, 1 - cosine * cosine));
  m_direction = Frame(m_direction).toWorld({sine * std::cos(phi), sine * std::sin(phi), cosine});
  return true;
}

// How high the bump rises along the frame's x and y, as a slope, from its pattern beside the point.
V2f bumpSlope(const Hit& hit, const PatternPoint& at, const Material& m, const Frame& f, float width) {
  const float step = std::clamp(0.5f * width, 1e-5f, 0.01f),
              toTexture = at.footprint > 0 ? at.uvFootprint / at.footprint : 0;
  const float here = m.bump.real(at);
  V2f slope;
  for (int axis = 0; axis < 2; ++axis) {
    const V3f way = (axis == 0 ? f.x : f.y) * step;
    PatternPoint p = at;
    p.world += way;
    p.position += transformVector(*hit.toObject, way);
    p.uv[axis] += step * toTexture;
    slope[axis] = (m.bump.real(p) - here) * m.bumpDepth / step;
  }
  return slope;
}

// Out of a scattering body, evenly to all sides but for what the boundary keeps.
bool Path::leaveBody(const Hit& hit, const Ground& g) {
  Surface s;
  g.material->describe(g.at, false, g.material->ior, s);
  m_inside.leave(hit.copy);
  const Frame frame(hit.geometric);
  struct Leaving {
    const Surface& s;
    Color evaluate(const V3f& wi) const { return Color(s.leaving(wi)); }
    float density(const V3f& wi) const { return std::max(0.0f, wi.z) / pi; }
  } leaving{s};
  gather(Vertex{hit, g.material, frame, hit.geometric, false, false, nullptr, false, false, s.occlusion}, leaving);
  ++m_scattered;
  m_nextFactor = s.occlusion;
  const V3f wi = sampleCosineHemisphere(m_sampler.get2());
  if (wi.z <= 0) return false;
  m_previousDensity = wi.z / pi;
  m_previousPoint = hit.point;
  m_takenBy = hit.instance->thing;
  m_receiver = hit.instance->thingAt(hit.copy->index);
  m_lastSpecular = noMaterial;
  m_straightTo.fill({true, false});
  m_origin = offset(hit.point, hit.geometric);
  m_direction = frame.toWorld(wi);
  return goOn(Color(s.leaving(wi) * pi / wi.z), m_sampler.get1());
}

bool Path::goOn(const Color& weight, float choice) {
  m_throughput *= weight;
  if (isBlack(m_throughput) || !finite(m_throughput)) return false;
  const float most = std::max(std::abs(m_throughput.x), std::max(std::abs(m_throughput.y), std::abs(m_throughput.z)));
  if (++m_bounce > sureBounces || most < 0.1f) {
    const float survive = std::min(0.97f, most);
    if (choice >= survive) return false;
    m_throughput *= 1 / survive;
  }
  return true;
}

// Scatters at a surface. False: the path ends.
bool Path::surface(const Hit& hit, const Ground& g) {
  const Instance& in = *hit.instance;
  const Material& m = *g.material;
  const bool backside = dot(m_direction, hit.geometric) > 0;
  const V3f facing = backside ? -hit.geometric : hit.geometric;
  const bool clear = m.mayPassLight() && !m.thin, body = m.hasInside() && in.closed;

  // Which index is on which side.
  const InsideStack::Body* other = clear && body ? m_inside.there(hit.copy) : nullptr;
  if (other && InsideStack::above(*other, hit.copy, &m)) { // something stronger is there: no boundary
    if (backside)
      m_inside.leave(hit.copy);
    else
      m_inside.enter({hit.copy, &m, false});
    m_origin = offset(hit.point, -facing);
    return true;
  }
  const auto describe = [&](Surface& s) {
    const float outer = other ? other->material->indexAt(m_wave) : 1.0f, inner = m.indexAt(m_wave);
    m.describe(g.at, backside && clear, backside && clear ? outer / inner : inner / outer, s);
    if (m_sink) s.followAtLeast = 0.1f;
    if (m_chain) s.followAtLeast = m_bounce == 0 ? 0.25f : m_bounce < 3 ? 0.1f : 0.02f;
  };
  const auto chooseWave = [&](float u) {
    Color weight;
    m_wave = sampleWave(u, weight);
    m_throughput *= weight;
  };
  Surface s;
  describe(s);
  // A path takes on a wavelength where it is first bent; what is mirrored by smooth glass stays white.
  const bool disperses = clear && body && m.abbe > 0 && m_wave == 0 && !m_white;
  if (m_draft && s.subsurface > 0) { // no wandering about in a draft: matte, of the colour that it would come to
    Color c;
    for (int i = 0; i < 3; ++i) c[i] = slabReflectance(m.interior.albedo[i], m.interior.anisotropy);
    s.base = mix(s.base, c, s.subsurface);
    s.subsurface = 0;
  }

  V3f normal = hit.shading;
  if (m.normal.program || m.bump.program) {
    const Frame f(normal, textureFrame(hit, m_rays.moment()).tangent);
    V3f local(0, 0, 1);
    if (m.normal.program) {
      const Sample4 t = m.normal.program->evaluate(g.at);
      local = normalize({(2 * t.x - 1) * m.normalStrength, (2 * t.y - 1) * m.normalStrength, 2 * t.z - 1});
    }
    if (m.bump.program) {
      const V2f slope = bumpSlope(hit, g.at, m, f, m_width);
      local = normalize({local.x - slope.x, local.y - slope.y, local.z});
    }
    if (local.z > 0.05f) normal = normalize(f.toWorld(local));
  }
  if (dot(normal, hit.geometric) < 0) normal = hit.geometric;
  if (backside) normal = -normal;
  if (dot(normal, m_direction) >= 0) normal = facing;
  Frame frame(normal);
  if (s.anisotropy > 0) {
    const float turn = m.grainTurn.real(g.at) * pi / 180;
    const Frame f(normal, textureFrame(hit, m_rays.moment()).tangent);
    frame.x = f.x * std::cos(turn) + f.y * std::sin(turn);
    frame.y = cross(frame.z, frame.x);
  }
  s.view(frame.toLocal(-m_direction));
  float uWave = 0;
  if (disperses) {
    uWave = m_sampler.get1();
    if (!s.onlySpecular()) {
      chooseWave(uWave);
      describe(s);
      s.view(frame.toLocal(-m_direction));
    }
  }

  const uint16_t thing = in.thingAt(hit.copy->index);
  if (m_chain) {
    m_label.thing = thing;
    m_label.material = m.index;
  }
  if (m_straight) m_label.first = thing;
  if (m_straight && !m_first.hit)
    m_first = {true, m_first.alpha, m_travelled, backside ? -hit.shading : hit.shading, s.albedo(), thing};

  m_throughput *= m_nextFactor;
  m_nextFactor = 1;
  m_lampsTaken = false;
  if (!(in.switches & SwitchTakesLight)) return false;
  if (!m_straight && !m_chain && !m_sink && !(in.switches & SwitchLightsOthers)) return false;
  if (m_scene.bounces > 0 && m_bounce >= m_scene.bounces) return false;

  // Light that this point's own predecessor already has, through this clear thing, is not gathered again.
  const bool gathers = !s.onlySpecular();
  // What is rough but narrow is lit by photons where the camera sees it; of light that it sends on it is a link of the
  // chain.
  const bool narrow = gathers && (m_sink || m_photons) && s.focuses(), chained = narrow && m_receiver != noMaterial;
  if (m_sink && gathers) m_sink->land(landing(hit.point, facing, thing, narrow));
  if (m_sink && !narrow && !s.anySpecular()) return false;
  if (gathers && !m_sink) {
    struct Scattering {
      const Surface& s;
      RandomStream& random;
      Color evaluate(const V3f& wi) const { return s.evaluate(wi, random); }
      float density(const V3f& wi) const { return s.density(wi); }
    } scattering{s, m_random};
    const Vertex v{hit,
                   &m,
                   frame,
                   facing,
                   clear || s.translucency > 0,
                   clear && s.translucency <= 0,
                   clear ? hit.copy : nullptr,
                   backside,
                   chained,
                   s.occlusion};
    if (s.wrap > 0) gatherWrapped(v, s);
    gather(v, scattering);
  }

  if (m_draft && (!s.anySpecular() || m_bounce >= draftBounces)) return false;
  Surface::Sample bs;
  const V2f uDirection = m_sampler.get2(), uChoice = m_sampler.get2();
  bool sampled = s.sample(uDirection, uChoice.x, m_random, bs);
  if (disperses && m_wave == 0 && sampled && bs.through) {
    chooseWave(uWave);
    describe(s);
    s.view(frame.toLocal(-m_direction));
    sampled = s.sample(uDirection, uChoice.x, m_random, bs);
  }
  if (m_chain && !(sampled && bs.specular)) { // what the eye sees at last
    m_first.seenNormal = backside ? -hit.shading : hit.shading;
    m_first.seenAlbedo = s.albedo();
  }
  if (!sampled) return false;
  if ((m_draft || (m_sink && !narrow)) && !bs.specular) return false;
  const V3f next = frame.toWorld(bs.wi);
  const bool crosses = dot(next, facing) < 0;
  if (crosses != bs.through) return false; // the shading normal leads through the surface: no light there
  if (m_sink) {
    // Power, not radiance: it is not squeezed where light is bent, and the shading normal counts the other way (Veach
    // 1997, 5.3.2).
    if (bs.through && clear) bs.weight *= sqr(s.clearEta);
    const float shaded = std::abs(dot(m_direction, facing) * bs.wi.z),
                geometric = std::abs(dot(m_direction, normal) * dot(next, facing));
    if (shaded > 0) bs.weight *= std::min(4.0f, geometric / shaded);
    if (m_lastSpecular == noMaterial) {
      if (!m_sink->meets(thing)) return false;
      m_lastSpecular = thing;
      m_firstWay = m_travelled;
      m_mirroredFirst = !bs.through;
    }
    m_bentAt = m_travelled;
    ++m_surfaces;
    if (!bs.through && m_takenBy == noMaterial) m_takenBy = thing;
    if (maxComponent(m_throughput * bs.weight) < m_sink->least)
      return false; // of one wavelength the luminance may be small
  }
  if (!goOn(bs.weight, uChoice.y)) return false;

  if (bs.enters) {
    m_inside.enter({hit.copy, &m, true});
    m_chain = m_straight = false;
    m_wandered = 0;
    m_previousDensity = infinite;
    m_straightTo.fill({});
    m_width += roughSpread * 0.1f;
    m_origin = offset(hit.point, -facing);
    m_direction = next;
    return true;
  }
  if (bs.through && body && clear) {
    if (backside)
      m_inside.leave(hit.copy);
    else
      m_inside.enter({hit.copy, &m, false});
  }
  // What lamps the way ahead may still be credited with.
  for (size_t k = 0; k < m_straightTo.size(); ++k) {
    Straight& to = m_straightTo[k];
    const bool goesOn = to.saw && (k > 0 || in.lightThrough != LightThrough::Focused);
    if (bs.through && goesOn && (clear || (m.thin && bs.specular)))
      to.crossed = true;
    else
      to = {gathers && !bs.specular && !(clear && bs.through != backside), false};
  }
  if (m_chain) {
    if (bs.specular)
      m_label.seen = uint8_t(m_label.seen | (bs.through ? SeenThrough : SeenMirrored));
    else
      m_chain = false;
  }
  if (!bs.specular) {
    ++m_scattered;
    m_spread = std::max(m_spread, roughSpread);
    if (chained) {
      m_lastSpecular = thing;
    } else if (!m_sink) {
      m_receiver = thing;
      m_lastSpecular = noMaterial;
    }
  } else if (!m_sink) {
    m_lastSpecular = thing;
  }
  m_straight = false;
  if (bs.diffuse) m_nextFactor = s.occlusion;
  m_previousDensity = bs.density;
  m_previousPoint = hit.point;
  if (!(bs.specular && bs.through) && !m_sink) m_takenBy = in.thing;
  m_origin = offset(hit.point, crosses ? -facing : facing);
  m_direction = next;
  return true;
}

Ray Path::start(float x, float y, float step) {
  ++m_count.paths;
  m_film->begin(m_pixel);
  const V2f jitter = samplePixelFilter(m_sampler.get2());
  const V2f lens = m_sampler.get2();
  float time = 0.5f;
  if (m_scene.moves) {
    time = m_sampler.get1();
    m_rays.setTime(time);
  }
  const Ray ray = m_scene.camera.ray((x + 0.5f + jitter.x) * step, (y + 0.5f + jitter.y) * step, lens, time);
  m_origin = m_previousPoint = ray.origin;
  m_direction = ray.direction;
  m_spread = m_scene.camera.pixelAngle() * step;
  for (const Copy* c : m_scene.cameraInside)
    m_inside.enter({c, m_scene.materials[m_scene.instances[c->instance].material].get(), false});
  return ray;
}

void Path::run(const Hit* first, bool firstMet) {
  for (int i = 0; i < mostSteps; ++i) {
    const InsideStack::Body* within = m_inside.empty() ? nullptr : m_inside.there();
    Hit hit;
    bool met = firstMet;
    if (i > 0 || !first)
      met = m_rays.intersect(m_origin, m_direction, infinite, hit);
    else if (met)
      hit = *first;
    if (within && within->scatters) {
      const bool wanders = scatterInside(met ? hit.distance : infinite, within->material->interior);
      if (wanders) {
        const float most = maxComponent(m_throughput);
        if (++m_wandered > sureScatterings || most < 0.1f) {
          const float survive = std::min(m_wandered > sureScatterings ? 0.99f : 1.0f, most);
          if (m_random.next() >= survive) break;
          m_throughput *= 1 / survive;
        }
        continue;
      }
    }
    if (m_sink && m_sink->wantsAir && m_lastSpecular != noMaterial && (!within || m_scene.air->anyWithin()))
      m_sink->pass({m_origin, m_direction, met ? hit.distance : infinite, within ? bodyOf(*within) : 0,
                    landing(m_origin, V3f(0.0f), noMaterial, false)});
    if (m_sink && m_scene.air && met && (!within || m_scene.air->anyWithin())) {
      m_throughput *= throughAir(m_origin, m_direction, hit.distance, within ? bodyOf(*within) : 0);
    } else if (m_scene.air && !m_sink && (!within || (m_scene.air->anyWithin() && !within->scatters))) {
      const Crossing c = crossAir(met ? hit.distance : infinite, within ? bodyOf(*within) : 0);
      if (c == Crossing::Turned) continue;
      if (c == Crossing::Ended) break;
    }
    if (!met) {
      if (!m_sink) meetSky();
      break;
    }
    const Instance& in = *hit.instance;
    const V3f facing = dot(m_direction, hit.geometric) <= 0 ? hit.geometric : -hit.geometric;
    const auto passOn = [&] { m_origin = offset(hit.point, -facing); };
    m_travelled += hit.distance;
    m_width += m_spread * hit.distance;
    if (within && !within->scatters && !isBlack(within->material->interior.absorption))
      m_throughput *= attenuation(within->material->interior.absorption, hit.distance);

    // Switches: what this ray is not meant to meet, it passes.
    const bool hidden = m_straight ? !(in.switches & SwitchSeen)
                                   : (m_chain && (((m_label.seen & SeenMirrored) && !(in.switches & SwitchMirrored)) ||
                                                  ((m_label.seen & SeenThrough) && !(in.switches & SwitchThrough))));
    if (hidden || (m_sink && (in.light >= 0 || !(in.switches & SwitchShadow) || (in.switches & SwitchCatches)))) {
      passOn();
      continue;
    }
    if (in.light >= 0) {
      meetLamp(hit);
      break;
    }
    const Ground ground = groundAt(hit, m_direction, m_width, m_veils);
    const Material& m = *ground.material;
    const bool veiled = ground.opacity < 1;
    if (veiled) {
      if (ground.opacity <= 0) {
        passOn();
        continue;
      }
      // Own light of a veil is there for certain; the rest of it by chance, as much as it covers and adds.
      if (!m_sink) addOwnLight(hit, m, ground.at, m_throughput * ground.opacity);
      const float additive = m.veil.keys.empty() ? 0 : m.veil.additive, both = 1 + ground.opacity * additive;
      if (m.veil.frontOnly && facing == hit.geometric) m_veils[size_t(i) % m_veils.size()] = hit.copy;
      if (m.onlyShines()) { // nothing of it is left to chance
        const float covered = ground.opacity * (1 - additive);
        if (m_straight && !m_first.hit && !(in.switches & (SwitchCatches | SwitchCutsOut)))
          m_first.alpha += (1 - m_first.alpha) * covered;
        m_throughput *= 1 - covered;
        if (covered >= 1) break;
        passOn();
        continue;
      }
      m_throughput *= both;
      const bool covers = m_random.next() < ground.opacity / both;
      if (m_straight && !m_first.hit) {
        // In the mean its alpha is what it covers.
        if (covers) m_first.alpha = m_first.alpha + (1 - m_first.alpha) * (1 - additive) * both;
      }
      if (!covers) {
        passOn();
        continue;
      }
    } else if (m_straight && !m_first.hit && !(in.switches & (SwitchCatches | SwitchCutsOut))) {
      m_first.alpha = 1;
    }
    if (m_straight && (in.switches & SwitchCutsOut)) break; // empty in alpha, and nothing behind it
    if (m_straight && (in.switches & SwitchCatches)) {
      if (!catchShadow(hit, facing)) break;
      passOn();
      continue;
    }
    if (within && within->scatters && within->copy == hit.copy && facing != hit.geometric) { // never of a photon
      if (!leaveBody(hit, ground)) break;
      continue;
    }
    if (!veiled && !m_sink) addOwnLight(hit, m, ground.at, m_throughput);
    if (!surface(hit, ground)) break;
  }
  if (!m_film) return;
  if (!m_lampSeen) m_first.lookedAt = m_label;
  m_film->finish(m_pixel, m_first, m_total);
}

} // namespace

static uint32_t streamOf(int px, int py, uint32_t index, uint32_t seed) {
  return mixBits(uint32_t(px) + mixBits(uint32_t(py) + mixBits(index + mixBits(seed))));
}

// Beside the frame other numbers are drawn than in it.
static uint32_t seedOf(const Scene& scene, int margin) { return margin > 0 ? mixBits(scene.seed + 1) : scene.seed; }

void tracePhoton(const Scene& scene, const Ray& start, float time, const Sampler& sampler, uint32_t seed,
                 PhotonSink& sink, TraceCount& count) {
  ++count.paths;
  Path(scene, start, time, sampler, seed, sink, count).run();
}

void PathTracer::sample(Film& film, int px, int py, uint32_t index, TraceCount& count, RayLog* log) const {
  const size_t pixel = size_t(py) * size_t(film.width()) + size_t(px);
  const uint32_t seed = seedOf(m_scene, m_margin);
  Path path(m_scene, film, pixel, Sampler(uint32_t(px), uint32_t(py), index, seed), streamOf(px, py, index, seed),
            m_draft, m_photons, count, log);
  if (m_whole) path.keepWhite();
  path.start(float(px - m_margin), float(py - m_margin), m_step);
  path.run();
}

void PathTracer::sampleRow(Film& film, int px, int py, int n, uint32_t index, TraceCount& count) const {
  constexpr int wide = 8;
  if (m_scene.moves) {
    for (int x = px; x < px + n; ++x) sample(film, x, py, index, count);
    return;
  }
  const RayCaster rays(m_scene, count, nullptr);
  const uint32_t seed = seedOf(m_scene, m_margin);
  for (int x = px; x < px + n; x += wide) {
    const int k = std::min(wide, px + n - x);
    std::array<std::optional<Path>, wide> paths;
    Ray ray[wide];
    for (int i = 0; i < k; ++i) {
      const size_t pixel = size_t(py) * size_t(film.width()) + size_t(x + i);
      paths[size_t(i)].emplace(m_scene, film, pixel, Sampler(uint32_t(x + i), uint32_t(py), index, seed),
                               streamOf(x + i, py, index, seed), m_draft, m_photons, count, nullptr);
      if (m_whole) paths[size_t(i)]->keepWhite();
      ray[i] = paths[size_t(i)]->start(float(x + i - m_margin), float(py - m_margin), m_step);
    }
    Hit hits[wide];
    bool met[wide];
    rays.intersectEight(ray, k, hits, met);
    for (int i = 0; i < k; ++i) paths[size_t(i)]->run(&hits[i], met[i]);
  }
}

NodeId pick(const Scene& scene, float x, float y, int skip, V3f& point, uint32_t* copy) {
  const Ray ray = scene.camera.through(x, y);
  TraceCount count;
  const RayCaster rays(scene, count, nullptr);
  V3f origin = ray.origin;
  NodeId last = 0;
  for (int i = 0; i < 4096; ++i) {
    Hit hit;
    if (!rays.intersect(origin, ray.direction, infinite, hit)) return 0;
    const NodeId node = scene.things[hit.instance->thing].node;
    if ((hit.instance->switches & SwitchSeen) && node != last) {
      if (skip-- <= 0) {
        point = hit.point;
        if (copy) {
          *copy = hit.copy->index;
          if (hit.instance->light >= 0) // copies of a lamp are bodies of their own
            for (const Instance* other = scene.instances.data(); other != hit.instance; ++other)
              *copy += scene.things[other->thing].node == node;
        }
        return node;
      }
      last = node;
    }
    origin = offset(hit.point, dot(ray.direction, hit.geometric) > 0 ? hit.geometric : -hit.geometric);
  }
  return 0;
}

} // namespace ilumbra
