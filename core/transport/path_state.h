#pragma once
#include "core/base/sampling.h"
#include "core/film/film.h"
#include "core/scene/caustics.h"
#include "core/scene/medium_stack.h"
#include "core/scene/ray_caster.h"
#include "core/scene/scene.h"
#include "core/scene/trace_count.h"
#include <array>
#include <limits>

namespace ilumbra {

class PhotonMap;
class PhotonSink;

/// Up to so many lamps are all asked for their light where the camera looks; of more, one is chosen.
inline constexpr size_t allLamps = 4;
/// Light that is less than this in the picture, of 1 for white, has no shadow ray in a draft.
inline constexpr float draftLeast = 1e-3f;
/// A path splits into so many where it is first dispersed, each of a wavelength of its own, spread over all of them.
inline constexpr int dispersedPaths = 3;
/// How wide a bounce off something rough makes a path, in metres to the metre: textures are read as coarsely.
inline constexpr float roughSpread = 0.1f;
/// Metres of a ray without end.
inline constexpr float infinite = std::numeric_limits<float>::infinity();

/// What a path knows of lamps that it may still meet in a straight line through clear things.
struct StraightLight {
  bool sampled = false; ///< the last point that sampled light would have seen a lamp ahead, clear things or not
  bool crossed = false; ///< and since then clear things were crossed
};

/// One path on its way: of a camera's sample, whose light goes to a film, or of a photon, which goes to a sink. The
/// estimators of this folder read and advance it; each is a function that takes it first. It lives as long as its path
/// and refers to the scene, the film and the counts, which outlive it.
struct PathState {
  /// Of a camera's sample. `photons`: null: paths find all light.
  PathState(const Scene& s, Film& f, size_t pixelIndex, const Sampler& numbers, uint32_t randomSeed, bool isDraft,
            const PhotonMap* map, TraceCount& counts, RayLog* log)
      : scene(s), film(&f), pixel(pixelIndex), sampler(numbers), random(randomSeed), draft(isDraft),
        photons(s.caustics ? map : nullptr), count(counts), rays(s, counts, log), lampChooser(s.tree) {}
  /// Of a photon that starts along a ray at a time of the shutter.
  PathState(const Scene& s, const Ray& ray, float time, const Sampler& numbers, uint32_t randomSeed, PhotonSink& to,
            TraceCount& counts)
      : scene(s), sampler(numbers), random(randomSeed), sink(&to), count(counts), rays(s, counts, nullptr),
        lampChooser(s.tree) {
    rays.setTime(time);
    origin = previousPoint = ray.origin;
    direction = ray.direction;
    specularChain = primary = false;
  }

  const Scene& scene;
  Film* film = nullptr; ///< null: of a photon
  size_t pixel = 0;
  Sampler sampler;
  RandomStream random;
  bool draft = false;
  bool achromatic = false; ///< light is not spread by its colours: of few samples it would be confetti
  const PhotonMap* photons = nullptr;
  PhotonSink* sink = nullptr; ///< null: of the camera
  TraceCount& count;
  RayCaster rays;
  LightTree::Chooser lampChooser;
  bool allLampsSampled = false; ///< at the last point every lamp had its ray

  V3f origin, direction; ///< of the next segment; unit
  Color throughput{1.0f};
  float previousPdf = infinite; ///< over solid angle, of the direction: for the light it may meet; infinite: a mirror's
  V3f previousPoint;
  uint16_t receiver = noMaterial;     ///< the thing that scattered the path last; noMaterial: none, or the air did
  uint16_t lastSpecular = noMaterial; ///< of mirrors and clear things since then, the last; of a photon, the first
  float firstLength = 0;              ///< of a photon: metres to the first mirror or clear thing
  float lastSpecularAt = 0;           ///< of a photon: metres to the last of them
  uint32_t specularCount = 0;         ///< of a photon: how many
  bool reflectedFirst = false;        ///< of a photon: by the first of them
  uint16_t linkedThing = noMaterial;  ///< that last scattered or mirrored the path: links of lamps are asked for it
  float bounceFactor = 1;             ///< of bounced light only, never of lamps met directly
  bool specularChain = true;          ///< only mirrors and clear things so far
  bool primary = true;                ///< the camera's own ray so far
  bool certain = true;                ///< chance had no part in what it met so far
  float metShare = 1; ///< of the own light of what the path meets next: what the air turned aside has the rest
  /// Of lamps that leave it to things how their light gets through, and of those that do not.
  std::array<StraightLight, 2> straightLight;
  Label label;
  int scatterings = 0; ///< bounces off what is no mirror and no clear glass
  int bounces = 0;
  int subsurfaceSteps = 0;
  int mediumScatterings = 0;
  bool lampsAccounted = false; ///< where it was scattered in the air it had the light of every lamp
  float travelled = 0;         ///< metres
  float footprint = 0;         ///< of the sample: metres
  float footprintSpread = 0;   ///< metres to the metre
  float wavelength = 0;        ///< nm, once dispersion has chosen one; 0: all
  float wave = -1;     ///< 0 to 1: of which wavelength it is to be where it is first dispersed; below 0: undecided
  uint32_t branch = 0; ///< of a path that has split: which one this is
  float share = 1;     ///< of a sample: less than 1 once it has been split
  MediumStack mediumStack;
  Interior inside; ///< of the scattering body that it wanders about in, as it was where the path entered
  const Instance* insideOf = nullptr;           ///< that body, if its interior varies
  std::array<const Instance*, 4> passedVeils{}; ///< whose front surface was passed
  FirstHit first;
  bool lampSeen = false; ///< at the end of the specular chain
  Color total{0.0f};     ///< all light of the sample
};

/// What a scattering function says at one point of the way the path has come.
class ScatteringFunction {
 public:
  virtual ~ScatteringFunction() = default;
  /// f · |cos θ| for a unit direction in the point's frame.
  virtual Color evaluate(const V3f& wi) const = 0;
  /// Over solid angle, with which the path itself takes that direction.
  virtual float pdf(const V3f& wi) const = 0;
};

/// A point where light is sampled: of a surface, or where light leaves a scattering body.
struct PathVertex {
  const Hit& hit;
  const Material* material;
  const Frame& frame;
  V3f facing;           ///< geometric normal on the side that the frame looks to
  bool farSide;         ///< light from the other side counts
  bool clearFar;        ///< only as far as it comes through clear matter
  const Instance* body; ///< this clear body, if it is one
  bool backside;        ///< the frame looks into it
  bool chained; ///< it sends light on to the surface that the path has left before: photons may carry what comes here
  float occlusion;
};

/// What the material says about an opaque, veiled or clear point on the way.
struct ShadingPoint {
  const Material* material;
  PatternPoint at;
  float opacity;
};

/// Adds light (cd/m² at its group's unit) to the film, held by the firefly limit; what is not finite is dropped and
/// counted. `certain`: as Film::addCertain() has it.
void addLight(PathState& path, const Label& label, const Color& light, bool certain = false);

/// The material at a hit, layers decided, and how much of it is there.
ShadingPoint shadingPointAt(PathState& path, const Hit& hit, const V3f& direction, float footprint,
                            const std::array<const Instance*, 4>& veils);

/// Takes a bounce's weight. False: the path ends, by chance the sooner the less it carries (Russian roulette).
bool russianRoulette(PathState& path, const Color& weight, float choice);

/// Light of a lamp that photons carry, from the thing that it met first onto another: it is not the path's to add.
bool photonsCarry(const PathState& path, const Emitter& lamp, uint16_t first, uint16_t onto);
inline bool photonsCarry(const PathState& path, const Emitter& lamp) {
  return path.photons && photonsCarry(path, lamp, path.lastSpecular, path.receiver);
}

/// The probability with which the last point chose a lamp.
inline float lampProbability(const PathState& path, int emitter) {
  return path.allLampsSampled ? 1.0f : path.lampChooser.probability(size_t(emitter));
}

/// What of a lamp that the path meets, metres away, is meant for it.
inline float lampShare(const PathState& path, const Emitter& e, float distance) {
  return path.linkedThing == noMaterial
             ? 1
             : e.share(path.linkedThing, path.scatterings > 0 && std::isfinite(distance) ? distance : 0);
}

/// The label's event of light scattered so often.
inline uint8_t scatterEvent(int times) {
  return uint8_t(times == 0 ? EventEmitted : times == 1 ? EventDirect : EventIndirect);
}

/// Of a lamp that the path meets.
inline uint8_t eventMet(const PathState& path) {
  return path.scatterings == 1 && path.receiver != noMaterial && path.lastSpecular != noMaterial
             ? uint8_t(EventCaustic)
             : scatterEvent(path.scatterings);
}

/// Lamps that the last point sampled through clear things in a straight line are not counted again: nor those whose
/// light clear things block.
inline bool countedStraight(const PathState& path, const Emitter& e) {
  return e.clear != LightThrough::Focused && path.straightLight[e.clear != LightThrough::AsThings].crossed;
}

/// What this point's own predecessor already has of a lamp through this clear thing is not sampled again.
inline bool sampledStraight(const PathState& path, const Emitter& e, const InstancedObject& thing) {
  return e.through(thing) != LightThrough::Focused && path.straightLight[e.clear != LightThrough::AsThings].sampled;
}

/// What light goes through inside a scattering body on the path's medium stack.
inline const Interior& interiorOf(const PathState& path, const MediumStack::Body& b) {
  return b.instance == path.insideOf ? path.inside : b.material->interior;
}

/// The node of the thing that a body on the medium stack belongs to.
inline NodeId bodyOf(const PathState& path, const MediumStack::Body& b) {
  return path.scene.things[path.scene.objects[b.instance->object].thing].node;
}

} // namespace ilumbra
