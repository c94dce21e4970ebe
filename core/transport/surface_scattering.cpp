#include "core/transport/surface_scattering.h"

#include "core/base/spectrum.h"
#include "core/scene/geometry.h"
#include "core/surface/bsdf.h"
#include "core/transport/direct_light.h"
#include "core/transport/light_path.h"
#include "core/transport/path.h"

#include <optional>

namespace ilumbra {

namespace {

// A draft follows mirrors and clear things this far, and nothing else.
constexpr int draftBounces = 8;

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

// The scattering function of a surface, as direct light asks it.
struct SurfaceFunction final : ScatteringFunction {
  SurfaceFunction(const Bsdf& surface, RandomStream& numbers) : s(surface), random(numbers) {}
  const Bsdf& s;
  RandomStream& random;
  Color evaluate(const V3f& wi) const override { return s.evaluate(wi, random); }
  float pdf(const V3f& wi) const override { return s.pdf(wi); }
};

// A path at one surface: what it is there, the light that is sampled, and how the path goes on.
class SurfaceScattering {
 public:
  SurfaceScattering(PathState& state, const Hit& met, const ShadingPoint& point)
      : path(state), hit(met), shading(point), in(*met.object), m(*point.material),
        backside(dot(state.direction, met.geometric) > 0), facing(backside ? -met.geometric : met.geometric),
        clear(m.mayPassLight() && !m.thin), body(m.hasInside() && in.closed),
        other(clear && body ? state.mediumStack.current(met.instance) : nullptr),
        thing(in.thingAt(met.instance->index)) {}

  // False: the path ends.
  bool run() {
    if (other && MediumStack::outranks(*other, hit.instance, &m)) { // something stronger is there: no boundary
      crossBoundary();
      path.origin = offset(hit.point, -facing);
      return true;
    }
    describe();
    // A path takes on a wavelength where it is first bent; what is mirrored by smooth glass stays white.
    const bool disperses = clear && body && m.abbe > 0 && path.wavelength == 0 && !path.achromatic;
    std::optional<PathState> before;
    if (disperses && path.wave < 0 && !path.sink) before.emplace(path);
    if (path.draft && s.subsurface > 0) { // no wandering about in a draft: matte, of the colour that it would come to
      Color c;
      const Interior inside = m.interiorVaries ? m.interiorAt(shading.at) : m.interior;
      for (int i = 0; i < 3; ++i) c[i] = slabReflectance(inside.albedo[i], inside.anisotropy);
      s.base = mix(s.base, c, s.subsurface);
      s.subsurface = 0;
    }
    orient();
    float uWave = 0;
    if (disperses) {
      uWave = path.sampler.get1();
      if (path.wave >= 0) uWave = path.wave;
      if (!s.onlySpecular()) {
        if (before) split(*before, uWave);
        takeWavelength(uWave);
      }
    }
    mark();
    if (!(in.switches & SwitchTakesLight)) return false;
    if (!path.primary && !path.specularChain && !path.sink && !(in.switches & SwitchLightsOthers)) return false;
    if (path.scene.bounces > 0 && path.bounces >= path.scene.bounces) return false;
    if (!sampleLight()) return false;
    if (path.draft && (!s.anySpecular() || path.bounces >= draftBounces)) return false;

    const V2f uDirection = path.sampler.get2(), uChoice = path.sampler.get2();
    if (disperses && path.branch) path.sampler.turnOff(path.branch); // here it goes as what it was split off from
    bool sampled = s.sample(uDirection, uChoice.x, path.random, bs);
    if (disperses && path.wavelength == 0 && sampled && bs.through) {
      if (before) split(*before, uWave);
      takeWavelength(uWave);
      sampled = s.sample(uDirection, uChoice.x, path.random, bs);
    }
    if (path.specularChain && !(sampled && bs.specular)) { // what the eye sees at last
      path.first.seenNormal = backside ? -hit.shading : hit.shading;
      path.first.seenAlbedo = s.albedo();
    }
    if (!sampled) return false;
    if ((in.switches & SwitchMirrorsNothing) && !bs.through && !bs.diffuse && !bs.enters && !backside) return false;
    if ((path.draft || (path.sink && !narrow)) && !bs.specular) return false;
    if (path.sink && path.sink->sight && (bs.diffuse || bs.enters)) return false;
    next = frame.toWorld(bs.wi);
    crosses = dot(next, facing) < 0;
    if (crosses != bs.through) return false; // the shading normal leads through the surface: no light there
    if (path.sink && !followPhoton()) return false;
    if (!russianRoulette(path, bs.weight, uChoice.y)) return false;
    if (bs.enters)
      enterSubsurface();
    else
      continuePath();
    return true;
  }

 private:
  // The other wavelengths go their own ways from here: bent by a smooth face, none of them could carry the others.
  void split(const PathState& before, float u) {
    constexpr float each = 1.0f / dispersedPaths;
    for (int k = 1; k < dispersedPaths; ++k) {
      PathState other = before;
      const float w = u + float(k) * each;
      other.wave = w < 1 ? w : w - 1;
      other.throughput *= each;
      other.share *= each;
      other.total = Color(0.0f);
      other.branch = uint32_t(k);
      other.random = RandomStream(mixBits(uint32_t(other.random.next() * 0x1p24f) + other.branch));
      if (SurfaceScattering(other, hit, shading).run()) followBranch(other);
      path.total += other.total;
    }
    path.throughput *= each;
    path.share *= each;
  }

  void crossBoundary() {
    if (backside)
      path.mediumStack.leave(hit.instance);
    else
      path.mediumStack.enter({hit.instance, &m, false});
  }

  void describe() {
    const float outer = other ? other->material->indexAt(path.wavelength) : 1.0f, inner = m.indexAt(path.wavelength);
    m.describe(shading.at, backside && clear, backside && clear ? outer / inner : inner / outer, s);
    if (in.switches & SwitchKeepsLightOut) s.subsurface = s.translucency = 0;
    if (path.sink) s.minLobeProbability = 0.1f;
    if (path.specularChain) s.minLobeProbability = path.bounces == 0 ? 0.25f : path.bounces < 3 ? 0.1f : 0.02f;
  }

  void takeWavelength(float u) {
    Color weight;
    path.wavelength = sampleWavelength(u, weight);
    path.throughput *= weight;
    describe();
    s.view(frame.toLocal(-path.direction));
  }

  // The shading frame: interpolated normal, normal map, bump, and the grain's turn.
  void orient() {
    normal = hit.shading;
    if (m.normal.program || m.bump.program) {
      const Frame f(normal, textureFrame(hit, path.rays.shutterTime()).tangent);
      V3f local(0, 0, 1);
      if (m.normal.program) {
        const Sample4 t = m.normal.program->evaluate(shading.at);
        local = normalize({(2 * t.x - 1) * m.normalStrength, (2 * t.y - 1) * m.normalStrength, 2 * t.z - 1});
      }
      if (m.bump.program) {
        const V2f slope = bumpSlope(hit, shading.at, m, f, path.footprint);
        local = normalize({local.x - slope.x, local.y - slope.y, local.z});
      }
      if (local.z > 0.05f) normal = normalize(f.toWorld(local));
    }
    if (dot(normal, hit.geometric) < 0) normal = hit.geometric;
    if (backside) normal = -normal;
    if (dot(normal, path.direction) >= 0) normal = facing;
    frame = Frame(normal);
    if (s.anisotropy > 0) {
      const float turn = m.grainTurn.real(shading.at) * pi / 180;
      const Frame f(normal, textureFrame(hit, path.rays.shutterTime()).tangent);
      frame.x = f.x * std::cos(turn) + f.y * std::sin(turn);
      frame.y = cross(frame.z, frame.x);
    }
    s.view(frame.toLocal(-path.direction));
  }

  // What is seen here, for labels and the passes without light.
  void mark() {
    if (path.specularChain) {
      path.label.thing = thing;
      path.label.material = m.index;
    }
    if (path.primary) path.label.first = thing;
    if (path.primary && !path.first.hit)
      path.first = {true, path.first.alpha, path.travelled, backside ? -hit.shading : hit.shading, s.albedo(), thing};
    path.throughput *= path.bounceFactor;
    path.bounceFactor = 1;
    path.lampsAccounted = false;
  }

  // Light that comes here: of lamps for the camera, told to its sink for a photon. False: the path ends.
  bool sampleLight() {
    gathers = !s.onlySpecular();
    // What is rough but narrow is lit by photons where the camera sees it; of light that it sends on it is a link of
    // the chain.
    const bool sight = path.sink && path.sink->sight && path.sink->follows(thing);
    narrow = gathers && (path.sink || path.photons) && (sight || s.isNearSpecular());
    chained = narrow && path.receiver != noMaterial;
    if (path.sink && gathers) path.sink->land(landingOf(path, hit.point, facing, thing, narrow));
    if (path.sink && !narrow && !s.anySpecular()) return false;
    if (gathers && !path.sink) {
      const PathVertex v{hit,
                         &m,
                         frame,
                         facing,
                         clear || s.translucency > 0,
                         clear && s.translucency <= 0,
                         clear ? hit.instance : nullptr,
                         backside,
                         chained,
                         s.occlusion};
      if (s.wrap > 0) sampleWrappedLight(path, v, s);
      sampleDirectLight(path, v, SurfaceFunction(s, path.random));
    }
    return true;
  }

  // Power, not radiance: it is not squeezed where light is bent, and the shading normal counts the other way (Veach
  // 1997, 5.3.2). False: this light is not followed.
  bool followPhoton() {
    if (bs.through && clear && !path.sink->sight) bs.weight *= sqr(s.clearEta);
    const float shaded = std::abs(dot(path.direction, facing) * bs.wi.z),
                geometric = std::abs(dot(path.direction, normal) * dot(next, facing));
    if (shaded > 0 && !path.sink->sight) bs.weight *= std::min(4.0f, geometric / shaded);
    if (path.lastSpecular == noMaterial) {
      if (!path.sink->meets(thing)) return false;
      path.lastSpecular = thing;
      path.firstLength = path.travelled;
      path.reflectedFirst = !bs.through;
    }
    path.lastSpecularAt = path.travelled;
    ++path.specularCount;
    if (!bs.through && path.linkedThing == noMaterial) path.linkedThing = thing;
    // Of one wavelength the luminance may be small.
    return maxComponent(path.throughput * bs.weight) >= path.sink->least;
  }

  void enterSubsurface() {
    path.mediumStack.enter({hit.instance, &m, true});
    if (m.interiorVaries) {
      path.inside = m.interiorAt(shading.at);
      path.insideOf = hit.instance;
    } else if (path.insideOf == hit.instance) { // of another layer of it, before
      path.insideOf = nullptr;
    }
    path.specularChain = path.primary = false;
    path.subsurfaceSteps = 0;
    path.previousPdf = infinite;
    path.straightLight.fill({});
    path.footprint += roughSpread * 0.1f;
    path.origin = offset(hit.point, -facing);
    path.direction = next;
  }

  void continuePath() {
    if (bs.through && body && clear) crossBoundary();
    // What lamps the way ahead may still be credited with.
    for (size_t k = 0; k < path.straightLight.size(); ++k) {
      StraightLight& to = path.straightLight[k];
      const bool goesOn = to.sampled && (k > 0 || in.lightThrough != LightThrough::Focused);
      if (bs.through && goesOn && (clear || (m.thin && bs.specular)))
        to.crossed = true;
      else
        to = {gathers && !bs.specular && !(clear && bs.through != backside), false};
    }
    if (path.specularChain) {
      if (bs.specular)
        path.label.seen = uint8_t(path.label.seen | (bs.through ? SeenThrough : SeenMirrored));
      else
        path.specularChain = false;
    }
    if (!bs.specular) {
      ++path.scatterings;
      path.footprintSpread = std::max(path.footprintSpread, roughSpread);
      if (chained) {
        path.lastSpecular = thing;
      } else if (!path.sink) {
        path.receiver = thing;
        path.lastSpecular = noMaterial;
      }
    } else if (!path.sink) {
      path.lastSpecular = thing;
    }
    path.primary = false;
    if (bs.diffuse) path.bounceFactor = s.occlusion;
    path.previousPdf = bs.pdf;
    path.previousPoint = hit.point;
    if (!(bs.specular && bs.through) && !path.sink) path.linkedThing = in.thing;
    path.origin = offset(hit.point, crosses ? -facing : facing);
    path.direction = next;
  }

  PathState& path;
  const Hit& hit;
  const ShadingPoint& shading;
  const InstancedObject& in;
  const Material& m;
  const bool backside;
  const V3f facing;                     // geometric, on the path's side
  const bool clear, body;               // passes light and bends it; has an inside
  const MediumStack::Body* const other; // what is on the other side of a clear body
  const uint16_t thing;
  Bsdf s;
  Bsdf::Sample bs;
  V3f normal, next;
  Frame frame{V3f(0, 0, 1)};
  bool gathers = false, narrow = false, chained = false, crosses = false;
};

} // namespace

bool scatterAtSurface(PathState& path, const Hit& hit, const ShadingPoint& g) {
  return SurfaceScattering(path, hit, g).run();
}

} // namespace ilumbra
