#include "core/transport/photons.h"

#include "core/base/sampling.h"
#include "core/scene/media.h"
#include "core/scene/ray_caster.h"
#include "core/scene/shutter_time.h"
#include "core/scene/trace_count.h"
#include "core/transport/light_path.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

namespace ilumbra {
namespace {

constexpr uint32_t batch = 4096; // photons that one task traces: the same whatever the number of threads

// How many of a ray's crossings with the balls are counted: each ray is dealt with from every ball that it crosses, and
// is worth its share.
int crossed(const std::vector<CausticRule::Ball>& balls, const V3f& begin, const V3f& d, bool endless) {
  int n = 0;
  for (const auto& b : balls) {
    const V3f o = begin - b.centre;
    const float along = dot(o, d), c = dot(o, o) - b.radius * b.radius;
    if (!endless && c <= 0)
      ++n;
    else if ((endless || along < 0) && along * along > c)
      ++n;
  }
  return n;
}

struct Start {
  V3f origin, direction;
  Color power; ///< of one photon, if all of a light's were as this
};

// A ray of a light that enters a ball, or leaves it where the light is inside. False: this try found none.
bool emit(const CausticRule& rule, const ShutterTime& shutterTime, const Emitter& e, float far, Sampler& sampler,
          Start& out) {
  // One pair of numbers chooses the ball and the place on it, so that photons lie evenly.
  V2f u = sampler.get2();
  const auto part = [&u](float share) { // of what u.x chooses, the first share of it or the rest
    const bool first = u.x < share;
    u.x = std::min(0.99999994f, first ? u.x / share : (u.x - share) / (1 - share));
    return first;
  };
  const size_t aim = std::min(size_t(u.x * float(rule.aims.size())), rule.aims.size() - 1);
  u.x = std::clamp(u.x * float(rule.aims.size()) - float(aim), 0.0f, 0.99999994f);
  const CausticRule::Ball& ball = rule.aims[aim];
  // Over the ball's surface, mostly on the side of the light.
  const bool endless = e.light->infinite();
  const LightReach reach = e.light->reach();
  V3f towards = endless ? (reach.radius < std::numeric_limits<float>::infinity() ? normalize(reach.centre) : V3f(0.0f))
                        : e.centre - ball.centre;
  const float away = length(towards);
  const bool sided = endless ? away > 0 : away > ball.radius + reach.radius && !e.motion;
  V3f n;
  float density = 1 / (4 * pi);
  if (sided) {
    const Frame f(towards * (1 / away));
    constexpr float aimed = 0.9f;
    n = part(aimed) ? f.toWorld(sampleCosineHemisphere(u)) : sampleUniformSphere(u);
    density = aimed * std::max(0.0f, dot(n, f.z)) / pi + (1 - aimed) / (4 * pi);
  } else {
    n = sampleUniformSphere(u);
  }
  density /= ball.radius * ball.radius;
  const V3f y = ball.centre + n * ball.radius;
  LightSample ls;
  if (!shutterTime.sample(e, y, sampler.get2(), ls) || isBlack(ls.radiance)) return false;
  const float cosine = dot(n, ls.direction);
  V3f x = y + ls.direction * (endless ? far : ls.distance * 0.9999f);
  const bool within = !endless && length(y + ls.direction * ls.distance - ball.centre) < ball.radius;
  if ((cosine > 0) == within || cosine == 0) return false;
  const int times = crossed(rule.aims, y + ls.direction * (endless ? far : ls.distance), -ls.direction, endless);
  const float solid = std::isfinite(ls.pdf) ? ls.pdf : 1;
  out = {x, -ls.direction, ls.radiance * (std::abs(cosine) / (density * solid * float(std::max(1, times))))};
  return true;
}

// Sends a light's photons: start(ray, time, power, group) is called before each; false: this one is not followed.
// Numbers belong to the light and the photon, so that what else is in the set changes none of them.
template <typename Sink>
void send(const Scene& s, const CausticRule& rule, size_t light, uint32_t pass, uint32_t first, uint32_t count,
          float each, Sink& sink, TraceCount& counted) {
  const bool sky = light >= s.emitters.size();
  const Emitter& e = sky ? s.skies[light - s.emitters.size()] : s.emitters[light];
  const float far = 2 * length(s.bounds.size()) + 1;
  const uint32_t own = mixBits(s.things[e.thing].node + mixBits(s.seed + mixBits(pass)));
  for (uint32_t i = first; i < first + count; ++i) {
    Sampler sampler(own, uint32_t(light), i, s.seed);
    const float time = s.moves ? sampler.get1() : 0.5f;
    const ShutterTime moment(time);
    Start start;
    if (!emit(rule, moment, e, far, sampler, start)) continue;
    if (!sink.start({start.origin, start.direction}, time, start.power * (e.baked * (each * float(rule.aims.size()))),
                    e.group))
      continue;
    tracePhoton(s, {start.origin, start.direction}, time, sampler, mixBits(own + mixBits(i)), sink, counted);
  }
}

// Of photons that would leave more beams in the air than this in a pass, some do, and stand for the others.
constexpr float mostBeams = 12'000;

class Keep : public PhotonSink {
 public:
  Keep(const Scene& s, size_t rule, size_t light, float beamShare, std::vector<Photon>& photons,
       std::vector<PhotonBeam>& beams)
      : m_scene(s), m_rule(s.caustics->rules()[rule]), m_index(rule), m_light(light),
        m_emitter(light < s.emitters.size() ? s.emitters[light] : s.skies[light - s.emitters.size()]),
        m_beamShare(beamShare), m_photons(photons), m_beams(beams) {
    least = m_rule.cutOff;
  }
  bool start(const Ray&, float, const Color& power, uint16_t group) {
    m_power = power;
    m_group = group;
    m_due += m_beamShare;
    wantsAir = m_scene.media && m_due >= 1;
    if (wantsAir) m_due -= 1;
    return true;
  }
  bool meets(uint16_t thing) override { return m_rule.through[thing]; }
  void land(const Landing& l) override {
    if (!wanted(l) || m_scene.caustics->ruleOf(m_light, l.first, l.thing) != int(m_index)) return;
    const float share = m_emitter.share(l.takenBy, m_emitter.light->infinite() ? 0 : l.firstWay);
    if (share > 0)
      m_photons.push_back({l.place, PackedDirection(l.from), PackedDirection(l.facing),
                           tinted(m_power * l.carried * (share * m_rule.carried(l.lastWay))), m_group, l.thing});
  }
  void pass(const Passage& p) override {
    if (!wanted(p.at)) return;
    RayMedia way; // no longer than there is air
    m_scene.media->along(p.begin, p.direction, p.length, way, p.within);
    if (way.empty()) return;
    float from = std::numeric_limits<float>::infinity(), to = 0;
    for (const auto& s : way) {
      from = std::min(from, s.from);
      to = std::max(to, s.to);
    }
    to = std::min({to, p.length, from + 2 * length(m_scene.bounds.size()) + 1});
    if (!(to > from)) return;
    // Power at its begin, as if the air before it took nothing: that is found where it is seen.
    m_beams.push_back({p.begin + p.direction * from, p.direction, to - from,
                       tinted(m_power * p.at.carried * (1 / m_beamShare)), p.at.firstWay, p.at.lastWay + from,
                       uint32_t(m_light), m_group, p.at.first, p.at.takenBy, uint16_t(m_index)});
  }

 private:
  bool wanted(const Landing& l) const { return l.first != noMaterial && m_rule.wants(l.mirrored, l.surfaces); }
  Color tinted(const Color& c) const {
    if (m_rule.saturation == 1) return c;
    const float grey = luminance(c); // linear, so that a spectrum still adds up to white
    return Color(grey) + (c - Color(grey)) * m_rule.saturation;
  }
  const Scene& m_scene;
  const CausticRule& m_rule;
  size_t m_index, m_light;
  const Emitter& m_emitter;
  float m_beamShare, m_due = 0.5f;
  std::vector<Photon>& m_photons;
  std::vector<PhotonBeam>& m_beams;
  Color m_power;
  uint16_t m_group = 0;
};

// Takes down where each photon of a rule goes first.
struct PhotonWatch : PhotonSink {
  PhotonWatch(const Scene& s, const CausticRule& r, PhotonFlow& f) : scene(s), rule(r), flow(f) {
    wantsAir = s.media != nullptr;
  }
  bool start(const Ray& ray, float time, const Color& power, uint16_t group) {
    amount = power * scene.groupScales[group];
    weight = double(luminance(amount));
    flow.aimed += weight;
    ended = false;
    if (aims(ray, time)) return true;
    flow.misses += weight;
    return false;
  }
  // True if Through lies on the ray, whatever else does.
  bool aims(const Ray& ray, float time) {
    rays.setTime(time);
    V3f o = ray.origin;
    for (int i = 0; i < 256; ++i) {
      Hit hit;
      if (!rays.intersect(o, ray.direction, std::numeric_limits<float>::infinity(), hit)) return false;
      if (rule.through[hit.object->thingAt(hit.instance->index)]) return true;
      o = offset(hit.point, dot(ray.direction, hit.geometric) > 0 ? hit.geometric : -hit.geometric);
    }
    return false;
  }
  bool meets(uint16_t thing) override {
    if (rule.through[thing]) {
      flow.meets += weight;
      return true;
    }
    flow.blocked[thing] += weight;
    ended = true;
    return false;
  }
  void pass(const Passage& p) override {
    if (ended || !rule.wants(p.at.mirrored, p.at.surfaces)) return;
    RayMedia way;
    scene.media->along(p.begin, p.direction, p.length, way, p.within);
    for (const auto& s : way) {
      const Medium& h = (*scene.media)[s.haze];
      const float to = std::min(s.to, s.from + 2 * length(scene.bounds.size()) + 1);
      if (!rule.onto[h.thing] || !(to > s.from)) continue;
      const AirColor* tint = h.places[s.place].tint.get();
      const Color white = h.haze.scattering * (s.mean * (to - s.from)),
                  c = tint ? white * tint->colorAt(p.begin + p.direction * (0.5f * (s.from + to))) : white,
                  turned = amount * p.at.carried * Color(1 - std::exp(-c.x), 1 - std::exp(-c.y), 1 - std::exp(-c.z));
      flow.turned += double(luminance(turned));
      flow.inAir.push_back({p.begin + p.direction * (0.5f * (s.from + to)), PackedDirection(-p.direction),
                            PackedDirection(-p.direction), turned, 0, h.thing});
    }
  }
  void land(const Landing& l) override {
    if (ended || l.narrow) return; // what is narrow sends it on
    const double here = double(luminance(amount * l.carried));
    if (l.first == noMaterial) { // nothing mirrored it before
      if (rule.through[l.thing])
        flow.dull += weight;
      else
        flow.blocked[l.thing] += weight;
    } else if (!rule.wants(l.mirrored, l.surfaces)) {
      flow.leftOut += here;
    } else if (rule.onto[l.thing]) {
      flow.lands += here;
      flow.landed.push_back(
          {l.place, PackedDirection(l.from), PackedDirection(l.facing), amount * l.carried, 0, l.thing});
    } else {
      flow.elsewhere[l.thing] += here;
    }
    ended = true; // what goes on from here is told where it went first
  }
  const Scene& scene;
  const CausticRule& rule;
  PhotonFlow& flow;
  Color amount{0.0f};
  double weight = 0;
  bool ended = false;
  TraceCount count;
  RayCaster rays{scene, count, nullptr};
};

} // namespace

PhotonFlow followPhotons(const Scene& s, size_t index, uint32_t perLight) {
  PhotonFlow flow;
  const CausticRule& rule = s.caustics->rules()[index];
  PhotonWatch watch(s, rule, flow);
  TraceCount count;
  for (size_t light = 0; light < rule.from.size(); ++light)
    if (rule.from[light]) send(s, rule, light, 0, 0, perLight, 1 / float(perLight), watch, count);
  flow.rays = count.rays + watch.count.rays;
  return flow;
}

std::shared_ptr<const PhotonMap> tracePhotons(const Scene& s, uint32_t pass, float share, const Tasks& tasks,
                                              const CancelFlag& cancel) {
  const std::vector<CausticRule>& rules = s.caustics->rules();
  struct Job {
    size_t rule, light;
    uint32_t first, count;
    float each;  ///< share of the light's power
    float beams; ///< share of the photons that leave beams in the air
  };
  std::vector<Job> jobs;
  std::vector<PhotonMap::Spread> spread;
  for (size_t k = 0; k < rules.size(); ++k) {
    const CausticRule& rule = rules[k];
    const float first = std::max(1e-6f, rule.radius);
    spread.push_back({first, rule.gathered, std::max(1e-6f, rule.radiusOf(rule.pass(pass))) / first});
    // Evenly over its lights: each has a film of its own, and may be turned up later.
    const auto lights = float(std::count(rule.from.begin(), rule.from.end(), true));
    const auto count = std::max(1u, uint32_t(float(rule.photons) * share / lights));
    const float beams = std::min(1.0f, mostBeams * share / (float(count) * lights));
    for (size_t light = 0; light < rule.from.size(); ++light)
      if (rule.from[light])
        for (uint32_t at = 0; at < count; at += batch)
          jobs.push_back({k, light, at, std::min(batch, count - at), 1 / float(count), beams});
  }
  struct Made {
    std::vector<Photon> photons;
    std::vector<PhotonBeam> beams;
  };
  std::vector<Made> made(jobs.size());
  tasks.forEach(int(jobs.size()), [&](int j) {
    if (cancel.requested()) return;
    const Job& job = jobs[size_t(j)];
    const CausticRule& rule = rules[job.rule];
    Keep keep(s, job.rule, job.light, job.beams, made[size_t(j)].photons, made[size_t(j)].beams);
    TraceCount count;
    send(s, rule, job.light, rule.pass(pass), job.first, job.count, job.each * rule.strength, keep, count);
  });
  if (cancel.requested()) return nullptr;
  std::vector<std::vector<Photon>> byRule(rules.size());
  std::vector<size_t> sums(rules.size(), 0);
  for (size_t j = 0; j < jobs.size(); ++j) sums[jobs[j].rule] += made[j].photons.size();
  for (size_t k = 0; k < rules.size(); ++k) byRule[k].reserve(sums[k]);
  std::vector<PhotonBeam> beams;
  for (size_t j = 0; j < jobs.size(); ++j) {
    auto& out = byRule[jobs[j].rule];
    out.insert(out.end(), made[j].photons.begin(), made[j].photons.end());
    beams.insert(beams.end(), made[j].beams.begin(), made[j].beams.end());
    made[j] = {};
  }
  std::unique_ptr<const PhotonBeams> found;
  if (!beams.empty()) {
    std::vector<float> widths;
    for (const PhotonMap::Spread& w : spread) widths.push_back(w.radius * w.shrunk);
    const EmbreeDevice device(rtcGetSceneDevice(s.everything));
    found = std::make_unique<PhotonBeams>(std::move(beams), widths, device);
  }
  return std::make_shared<const PhotonMap>(std::move(byRule), spread, std::move(found), tasks);
}

void PhotonGrid::sort(const std::vector<Photon>& in, float most, const Tasks& tasks) {
  radius = most;
  uint32_t bits = 4;
  while (bits < 26 && size_t(1) << bits < in.size()) ++bits;
  const uint32_t slots = 1u << bits;
  begins.assign(slots + 1, 0);
  photons.resize(in.size());
  // Into buckets of slots that follow each other, part by part; then each bucket by slot, so that memory is not jumped
  // about in.
  const uint32_t bucketBits = std::min(bits, 8u), shift = bits - bucketBits, buckets = 1u << bucketBits;
  constexpr size_t part = 65536;
  const size_t parts = (in.size() + part - 1) / part;
  const float perCell = 1 / (2 * radius);
  std::vector<uint32_t> slot(in.size());
  std::vector<std::vector<uint32_t>> at(parts, std::vector<uint32_t>(buckets, 0));
  tasks.forEach(int(parts), [&](int k) {
    for (size_t i = size_t(k) * part; i < std::min(in.size(), size_t(k + 1) * part); ++i) {
      const V3f& p = in[i].place;
      slot[i] = slotOf(int(std::floor(p.x * perCell)), int(std::floor(p.y * perCell)), int(std::floor(p.z * perCell)));
      ++at[size_t(k)][slot[i] >> shift];
    }
  });
  std::vector<uint32_t> bucketBegins(buckets + 1, 0);
  uint32_t sum = 0;
  for (uint32_t b = 0; b < buckets; ++b) {
    bucketBegins[b] = sum;
    for (auto& mine : at) {
      const uint32_t n = mine[b];
      mine[b] = sum;
      sum += n;
    }
  }
  bucketBegins[buckets] = sum;
  std::vector<uint32_t> order(in.size());
  tasks.forEach(int(parts), [&](int k) {
    for (size_t i = size_t(k) * part; i < std::min(in.size(), size_t(k + 1) * part); ++i)
      order[at[size_t(k)][slot[i] >> shift]++] = uint32_t(i);
  });
  tasks.forEach(int(buckets), [&](int b) {
    const uint32_t first = uint32_t(b) << shift, count = 1u << shift;
    std::vector<uint32_t> next(count, 0);
    for (uint32_t j = bucketBegins[size_t(b)]; j < bucketBegins[size_t(b) + 1]; ++j) ++next[slot[order[j]] - first];
    uint32_t so = bucketBegins[size_t(b)];
    for (uint32_t c = 0; c < count; ++c) {
      begins[first + c] = so;
      so += std::exchange(next[c], so);
    }
    for (uint32_t j = bucketBegins[size_t(b)]; j < bucketBegins[size_t(b) + 1]; ++j)
      photons[next[slot[order[j]] - first]++] = in[order[j]];
  });
  begins[slots] = uint32_t(in.size());
  for (const Photon& p : in) {
    bounds.extendBy(p.place - V3f(p.radius));
    bounds.extendBy(p.place + V3f(p.radius));
    if (things.size() <= p.thing) things.resize(size_t(p.thing) + 1, false);
    things[p.thing] = true;
  }
}

namespace {

// How many photons lie about a place, by counts of cells twice as wide as a radius: those within it, roughly.
class CellCounts {
 public:
  CellCounts(const std::vector<Photon>& photons, float radius) : m_radius(radius) {
    uint32_t slots = 64;
    while (slots < 4 * photons.size() && slots < 1u << 26) slots *= 2; // so many that few share one
    m_mask = slots - 1;
    m_counts.assign(slots, 0);
    for (const Photon& p : photons) ++m_counts[slotOf(cell(p.place.x), cell(p.place.y), cell(p.place.z))];
  }
  float within(const V3f& place) const {
    uint32_t seen[8], n = 0, sum = 0;
    for (int z = cell(place.z - m_radius); z <= cell(place.z + m_radius); ++z)
      for (int y = cell(place.y - m_radius); y <= cell(place.y + m_radius); ++y)
        for (int x = cell(place.x - m_radius); x <= cell(place.x + m_radius); ++x) {
          const uint32_t slot = slotOf(x, y, z);
          if (std::find(seen, seen + n, slot) != seen + n || n == 8) continue;
          seen[n++] = slot;
          sum += m_counts[slot];
        }
    // They lie on a surface, of which the cells hold a square of four radii.
    return float(sum - 1) * (pi / 16);
  }

 private:
  int cell(float x) const { return int(std::floor(x / (2 * m_radius))); }
  uint32_t slotOf(int x, int y, int z) const {
    return mixBits(uint32_t(x) * 73856093u ^ uint32_t(y) * 19349663u ^ uint32_t(z) * 83492791u) & m_mask;
  }
  float m_radius;
  uint32_t m_mask;
  std::vector<uint32_t> m_counts;
};

} // namespace

PhotonMap::PhotonMap(std::vector<std::vector<Photon>> byRule, const std::vector<Spread>& spread,
                     std::unique_ptr<const PhotonBeams> beams, const Tasks& tasks)
    : m_beams(std::move(beams)) {
  for (size_t k = 0; k < byRule.size(); ++k) {
    const Spread& s = spread[k];
    std::vector<Photon> all = std::move(byRule[k]);
    const int levels = s.gathered > 0 ? 1 + int(std::log2(furthest)) : 1; // each twice as far as the one before
    std::vector<std::unique_ptr<CellCounts>> counts(size_t(levels) - 1);
    tasks.forEach(levels - 1,
                  [&](int l) { counts[size_t(l)] = std::make_unique<CellCounts>(all, s.radius * float(1 << l)); });
    constexpr size_t chunk = 16384;
    const size_t chunks = (all.size() + chunk - 1) / chunk;
    std::vector<std::vector<std::vector<Photon>>> parts(chunks, std::vector<std::vector<Photon>>(size_t(levels)));
    tasks.forEach(int(chunks), [&](int c) {
      for (size_t i = size_t(c) * chunk; i < std::min(all.size(), size_t(c + 1) * chunk); ++i) {
        Photon& p = all[i];
        int level = 0;
        float within = 0;
        while (level < levels - 1 && (within = counts[size_t(level)]->within(p.place)) < float(s.gathered)) ++level;
        const float reach = float(1 << level);
        // At the last level nobody has counted: as far as it goes.
        p.radius = s.radius * s.shrunk *
                   (level == 0           ? 1
                    : level < levels - 1 ? reach * std::max(0.5f, std::sqrt(float(s.gathered) / within))
                                         : reach);
        parts[size_t(c)][size_t(level)].push_back(p);
      }
    });
    all = {};
    for (int l = 0; l < levels; ++l) {
      std::vector<Photon> level;
      size_t n = 0;
      for (const auto& part : parts) n += part[size_t(l)].size();
      if (n == 0) continue;
      level.reserve(n);
      for (auto& part : parts) {
        level.insert(level.end(), part[size_t(l)].begin(), part[size_t(l)].end());
        part[size_t(l)] = {};
      }
      m_grids.emplace_back();
      m_grids.back().sort(level, s.radius * s.shrunk * float(1 << l), tasks);
    }
  }
}

size_t PhotonMap::bytes() const {
  size_t sum = m_beams ? m_beams->bytes() : 0;
  for (const PhotonGrid& s : m_grids) sum += s.photons.size() * sizeof(Photon) + s.begins.size() * 4;
  return sum;
}

} // namespace ilumbra
