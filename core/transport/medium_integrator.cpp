#include "core/transport/medium_integrator.h"

#include "core/transport/emission.h"
#include "core/transport/photon_gathering.h"
#include "core/transport/photons.h"
#include "core/transport/shadow_transmittance.h"

namespace ilumbra {

Label mediumLabel(const PathState& path, const Medium& h, int times) {
  Label l = path.label;
  l.event = scatterEvent(times);
  if (path.primary) l.first = h.thing;
  if (path.specularChain) {
    l.thing = h.thing;
    l.material = noMaterial;
  }
  return l;
}

namespace {

// True if a path may go on by scattering in a haze.
bool mayScatterAgain(const PathState& path, const Medium& h) {
  return !h.chosen && h.scatterings > path.mediumScatterings + 1;
}

// Light that a lamp or a sky sends to one place of the way, turned into it there by one haze's place, or by all that
// show any light.
void addInscattering(PathState& path, const RayMedia& way, const Emitter& e, float t, const LightSample& ls,
                     float weight, float turns, const MediumSegment* only) {
  const Media& air = *path.scene.media;
  const bool sky = !std::isfinite(ls.distance);
  const V3f x = path.origin + path.direction * t;
  const float reach = sky ? infinite : ls.distance * 0.9998f, cosine = dot(ls.direction, path.direction);
  const Color lit = ls.radiance * (weight / (std::isfinite(ls.pdf) ? ls.pdf : 1));
  if (isBlack(lit)) return;
  if (path.draft &&
      luminance(path.throughput * lit * e.baked * path.scene.groupScales[e.group]) * path.scene.exposure < draftLeast)
    return;
  struct Part {
    const Medium* haze;
    Color light;
  };
  boost::container::small_vector<Part, 4> parts;
  float turned = 0, all = 0; // pdf with which the path itself turns this way, times and over what scatters
  for (const auto& s : way) {
    if (t < s.from || t >= s.to) continue;
    const Medium& h = air[s.haze];
    if (only ? (s.haze != only->haze || s.place != only->place) : h.chosen) continue;
    const float share = e.share(h.thing, sky ? 0 : ls.distance);
    if (share <= 0) continue;
    const Color scattering = air.scattering(s, x);
    const float f = phase(cosine, air.anisotropy(s, x)), bright = luminance(scattering);
    if (!(bright > 0)) continue;
    if (mayScatterAgain(path, h)) turned += bright * f;
    all += bright;
    parts.push_back({&h, scattering * (f * share)});
  }
  if (parts.empty() || path.rays.occluded(x, ls.direction, reach)) return;
  Color seen(1.0f);
  Hit clear;
  const bool meets = path.scene.clearBlockers && path.rays.intersectClear(x, ls.direction, reach, clear);
  uint16_t last = noMaterial;
  if (meets || !path.mediumStack.empty())
    seen =
        clearTransmittance(path, x, ls.direction, reach, meets ? &clear : nullptr, path.mediumStack, nullptr, &e, last);
  else
    seen = mediaTransmittance(path, x, ls.direction, reach, 0);
  if (isBlack(seen)) return;
  seen *=
      path.draft ? air.meanTransmittance(way, t) : air.transmittance(way, path.origin, path.direction, t, path.random);
  // Skies are met by turning too.
  if (sky && turns > 0 && turned > 0) seen *= powerHeuristic(ls.pdf, turns * turned / all);
  for (const Part& p : parts) {
    if (photonsCarry(path, e, last, p.haze->thing)) continue;
    Label l = mediumLabel(path, *p.haze, path.scatterings + 1);
    l.group = e.group;
    addLight(path, l, path.throughput * p.light * seen * lit * e.baked);
  }
}

// Narrows a stretch to what a lamp may light; false: nothing.
bool clipToLit(const PathState& path, const Emitter& e, float& from, float& to) {
  if (e.motion) return from < to;
  if (const Convex* lit = e.light->lit(); lit && !lit->clip(path.origin, path.direction, from, to)) return false;
  if (std::isfinite(e.range)) {
    Convex ball;
    ball.ball(e.centre, e.range);
    if (!ball.clip(path.origin, path.direction, from, to)) return false;
  }
  return from < to;
}

// One place of the way between `from` and `to` for a lamp. It is chosen either where light is lost or by the angle
// under which the way is seen from the lamp (Kulla and Fajardo 2012, "Importance sampling techniques for path tracing
// in participating media", equations 3 and 4), each half of the time, within what the lamp lights; the sample is
// weighed by the density of both.
void sampleLampInMedium(PathState& path, const RayMedia& way, const Emitter& e, float weight, float from, float to,
                        const MediumSegment* only) {
  if (!clipToLit(path, e, from, to)) return;
  const V3f to0 = e.centre - path.origin;
  const float middle = dot(to0, path.direction), d = std::max(1e-4f, length(to0 - path.direction * middle));
  const float a = std::atan((from - middle) / d), b = std::isfinite(to) ? std::atan((to - middle) / d) : 0.5f * pi;
  const int channel = std::min(2, int(3 * path.random.next()));
  float t, pdf;
  const V2f u = path.sampler.get2();
  if (u.y < 0.5f) {
    t = Media::sampleExtinction(way, from, to, channel, u.x, pdf);
    if (t < 0) return;
  } else {
    t = std::clamp(middle + d * std::tan(a + (b - a) * u.x), from, to);
    pdf = Media::extinctionPdf(way, from, to, t);
  }
  const float seenDensity = b > a ? d / ((b - a) * (sqr(t - middle) + d * d)) : 0, both = 0.5f * (pdf + seenDensity);
  LightSample ls;
  if (!(both > 0) || !std::isfinite(t) ||
      !path.rays.shutterTime().sample(e, path.origin + path.direction * t, path.sampler.get2(), ls))
    return;
  addInscattering(path, way, e, t, ls, weight / both, 0, only);
}

// Single scattering: from every lamp where there are few, or from one that matters somewhere on the way; hazes that
// have lights of their own ask those.
void sampleMediumLight(PathState& path, const RayMedia& way, float begin, float end, float turns) {
  const Media& air = *path.scene.media;
  const std::vector<Emitter>& lamps = path.scene.emitters;
  const bool anyOpen = std::any_of(way.begin(), way.end(), [&](const auto& s) { return !air[s.haze].chosen; });
  if (anyOpen && !lamps.empty()) {
    if (lamps.size() <= allLamps && path.scatterings == 0 && !path.draft) {
      for (const Emitter& e : lamps) sampleLampInMedium(path, way, e, 1, begin, end, nullptr);
    } else {
      // By what each would give to all of the way if nothing stood between; of very many, some of them are asked.
      constexpr size_t most = 32;
      const size_t step = (lamps.size() + most - 1) / most;
      float sum = 0;
      boost::container::small_vector<std::pair<const Emitter*, float>, most> asked;
      for (size_t i = step > 1 ? std::min(step - 1, size_t(path.random.next() * float(step))) : 0; i < lamps.size();
           i += step) {
        const Emitter& e = lamps[i];
        float from = begin, to = end;
        if (!clipToLit(path, e, from, to)) continue;
        const V3f off = e.centre - path.origin;
        const float middle = dot(off, path.direction), d = std::max(1e-3f, length(off - path.direction * middle));
        const float angle =
            (std::isfinite(to) ? std::atan((to - middle) / d) : 0.5f * pi) - std::atan((from - middle) / d);
        asked.emplace_back(&e, sum += e.weight * e.flux * std::max(1e-6f, angle) / d);
      }
      const float u = path.random.next() * sum;
      for (size_t i = 0; i < asked.size(); ++i)
        if (u < asked[i].second || i + 1 == asked.size()) {
          const float mine = asked[i].second - (i > 0 ? asked[i - 1].second : 0);
          if (mine > 0) sampleLampInMedium(path, way, *asked[i].first, float(step) * sum / mine, begin, end, nullptr);
          break;
        }
    }
  }
  const auto askSky = [&](const Emitter& sky, float from, float to, const MediumSegment* only) {
    float pdf;
    const float t =
        Media::sampleExtinction(way, from, to, std::min(2, int(3 * path.random.next())), path.sampler.get1(), pdf);
    LightSample ls;
    if (t < 0 || !(pdf > 0) || !std::isfinite(t) ||
        !sky.light->sample(path.origin + path.direction * t, path.sampler.get2(), ls))
      return;
    addInscattering(path, way, sky, t, ls, 1 / pdf, only ? 0 : turns, only);
  };
  if (anyOpen)
    for (const Emitter& sky : path.scene.skies) askSky(sky, begin, end, nullptr);
  // Stretch by stretch, all of one place at once.
  for (const auto* s = way.begin(); s != way.end(); ++s) {
    const Medium& h = air[s->haze];
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
    for (const uint32_t k : h.places[s->place].lamps) sampleLampInMedium(path, way, lamps[k], 1, from, to, s);
    for (const uint32_t k : h.places[s->place].skies) askSky(path.scene.skies[k], from, to, s);
  }
}

// The path goes on from a place in the air, in a direction that one of its hazes turns it to. False: it ends.
bool scatterInMedium(PathState& path, const RayMedia& way, float begin, float end, float chance) {
  const Media& air = *path.scene.media;
  float pdf;
  const float t =
      Media::sampleExtinction(way, begin, end, std::min(2, int(3 * path.random.next())), path.sampler.get1(), pdf);
  if (t < 0 || !(pdf > 0) || !std::isfinite(t)) return false;
  const V3f x = path.origin + path.direction * t;
  struct Part {
    const Medium* haze;
    Color scattering;
    float bright, anisotropy;
  };
  boost::container::small_vector<Part, 4> parts;
  float all = 0;
  for (const auto& s : way)
    if (const Medium& h = air[s.haze]; t >= s.from && t < s.to && mayScatterAgain(path, h)) {
      const Color c = air.scattering(s, x);
      if (luminance(c) > 0) parts.push_back({&h, c, luminance(c), air.anisotropy(s, x)}), all += luminance(c);
    }
  if (parts.empty()) return false;
  float u = path.random.next() * all;
  const Part* by = &parts.back();
  for (const Part& p : parts) {
    if (u < p.bright) {
      by = &p;
      break;
    }
    u -= p.bright;
  }
  const V2f around = path.sampler.get2();
  const float cosine = samplePhase(around.x, by->anisotropy), sine = std::sqrt(std::max(0.0f, 1 - cosine * cosine)),
              phi = 2 * pi * around.y;
  Color f(0.0f);
  float towards = 0; // pdf of the direction
  for (const Part& p : parts) {
    const float share = phase(cosine, p.anisotropy);
    f += p.scattering * share;
    towards += p.bright / all * share;
  }
  const Color weight =
      f * air.transmittance(way, path.origin, path.direction, t, path.random) * (1 / (chance * pdf * towards));
  path.label = mediumLabel(path, *by->haze, 0);
  if (path.primary) path.first.alpha = 1;
  path.linkedThing = by->haze->thing;
  path.throughput *= path.bounceFactor;
  path.bounceFactor = 1;
  path.specularChain = path.primary = false;
  path.travelled += t;
  path.footprint += path.footprintSpread * t;
  path.footprintSpread = std::max(path.footprintSpread, roughSpread);
  ++path.scatterings;
  path.receiver = by->haze->thing;
  path.lastSpecular = noMaterial;
  ++path.mediumScatterings;
  path.lampsAccounted = true;
  path.previousPdf = chance * towards;
  path.previousPoint = x;
  path.straightLight.fill({true, false});
  path.origin = x;
  path.direction = Frame(path.direction).toWorld({sine * std::cos(phi), sine * std::sin(phi), cosine});
  return russianRoulette(path, weight, path.random.next());
}

// Of what a camera's own ray comes through, so many estimates are taken; up to this optical depth of what is uneven
// about it, that leaves the light behind as good as certain.
constexpr int primaryEstimates = 4;
constexpr float certainDepth = 1;

// The optical depth by which a way may differ from its mean.
float unevenDepth(const PathState& path, const RayMedia& way, float far) {
  float depth = 0;
  for (const auto& s : way)
    if (s.spread > 0)
      depth += maxComponent((*path.scene.media)[s.haze].haze.extinction) * s.spread * (std::min(s.to, far) - s.from);
  return depth;
}

} // namespace

Crossing crossMedia(PathState& path, float far, NodeId body, const Hit* met) {
  const Media& air = *path.scene.media;
  RayMedia way;
  air.along(path.origin, path.direction, far, way, body);
  if (way.empty()) return Crossing::Passed;
  air.divide(way, far);
  float begin = infinite, end = 0, turns = 0;
  bool again = false;
  for (const auto& s : way) {
    begin = std::min(begin, s.from);
    end = std::max(end, std::min(s.to, far));
    again |= mayScatterAgain(path, air[s.haze]);
  }
  const bool lit = !(path.scene.bounces > 0 && path.bounces >= path.scene.bounces);
  if (again && lit && !path.draft) {
    const Color d = Media::depth(way, end);
    turns = 1 - (std::exp(-d.x) + std::exp(-d.y) + std::exp(-d.z)) / 3;
    if (turns < 1e-4f) turns = 0;
  }
  if (lit) sampleMediumLight(path, way, begin, end, turns);
  if (lit && path.photons && path.photons->beams()) gatherPhotonBeams(path, way, end, body);
  if (air.anyGlow())
    air.glow(way, path.origin, path.direction, path.random, [&](const Medium& h, const Color& radiance) {
      Label l = mediumLabel(path, h, path.scatterings);
      l.group = h.group;
      addLight(path, l, path.throughput * radiance);
    });
  const float unsure = path.draft ? 0 : unevenDepth(path, way, far);
  const auto through = [&] {
    if (path.draft) return air.meanTransmittance(way, far);
    // What the eye looks at is worth a mean of several.
    const int estimates = path.primary && unsure > 0 ? primaryEstimates : 1;
    Color sum(0.0f);
    for (int k = 0; k < estimates; ++k) sum += air.transmittance(way, path.origin, path.direction, far, path.random);
    return sum * (1.0f / float(estimates));
  };
  path.certain &= unsure < certainDepth;
  if (turns > 0 && path.certain && path.primary) {
    // What shines itself is seen whether the path turns or not: of lamps in the air nothing is left to chance.
    if (addOwnLightAhead(path, met, false)) path.metShare = 1 - turns;
    path.certain = path.metShare < 1;
  }
  if (turns > 0 && path.random.next() < turns) {
    if (path.metShare < 1) {
      const Color before = path.throughput;
      path.throughput *= through();
      path.metShare = 1;
      addOwnLightAhead(path, met, true);
      path.throughput = before;
    }
    return scatterInMedium(path, way, begin, end, turns) ? Crossing::Scattered : Crossing::Ended;
  }
  const Color left = through() * (1 / std::max(1e-6f, 1 - turns));
  if (path.primary && !path.first.hit)
    path.first.alpha += (1 - path.first.alpha) * (1 - (left.x + left.y + left.z) / 3);
  path.throughput *= left;
  return isBlack(path.throughput) ? Crossing::Ended : Crossing::Passed;
}

} // namespace ilumbra
