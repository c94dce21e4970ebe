#include "core/render/photons.h"

#include "core/base/sampling.h"
#include "core/render/air.h"
#include "core/render/hit.h"
#include "core/render/moment.h"
#include "core/render/path.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace ilumbra {
namespace {

constexpr uint32_t batch = 4096; // photons that one task traces: the same whatever the number of threads

// How many of a ray's crossings with the balls are counted: each ray is dealt with from every ball that it crosses, and is worth its share.
int crossed(const std::vector<CausticRule::Ball>& balls, const V3f& begin, const V3f& d, bool endless) {
  int n = 0;
  for (const auto& b : balls) {
    const V3f o = begin - b.centre;
    const float along = dot(o, d), c = dot(o, o) - b.radius * b.radius;
    if (!endless && c <= 0) ++n;
    else if ((endless || along < 0) && along * along > c) ++n;
  }
  return n;
}

struct Start {
  V3f origin, direction;
  Color power; ///< of one photon, if all of a light's were as this
};

// A ray of a light that enters a ball, or leaves it where the light is inside. False: this try found none.
bool emit(const CausticRule& rule, const Moment& moment, const Emitter& e, size_t aim, float far, RandomStream& random, Start& out) {
  const CausticRule::Ball& ball = rule.aims[aim];
  // Over the ball's surface, mostly on the side of the light.
  const bool endless = e.light->infinite();
  const LightReach reach = e.light->reach();
  V3f towards = endless ? (reach.radius < std::numeric_limits<float>::infinity() ? normalize(reach.centre) : V3f(0.0f)) : e.centre - ball.centre;
  const float away = length(towards);
  const bool sided = endless ? away > 0 : away > ball.radius + reach.radius && !e.motion;
  V3f n = sampleUniformSphere({random.next(), random.next()});
  float density = 1 / (4 * pi);
  if (sided) {
    const Frame f(towards * (1 / away));
    constexpr float aimed = 0.9f;
    if (random.next() < aimed) n = f.toWorld(sampleCosineHemisphere({random.next(), random.next()}));
    density = aimed * std::max(0.0f, dot(n, f.z)) / pi + (1 - aimed) / (4 * pi);
  }
  density /= ball.radius * ball.radius;
  const V3f y = ball.centre + n * ball.radius;
  LightSample ls;
  if (!moment.sample(e, y, {random.next(), random.next()}, ls) || isBlack(ls.radiance)) return false;
  const float cosine = dot(n, ls.direction);
  V3f x = y + ls.direction * (endless ? far : ls.distance * 0.9999f);
  const bool within = !endless && length(y + ls.direction * ls.distance - ball.centre) < ball.radius;
  if ((cosine > 0) == within || cosine == 0) return false;
  const int times = crossed(rule.aims, y + ls.direction * (endless ? far : ls.distance), -ls.direction, endless);
  const float solid = std::isfinite(ls.density) ? ls.density : 1;
  out = {x, -ls.direction, ls.radiance * (std::abs(cosine) / (density * solid * float(std::max(1, times))))};
  return true;
}

// Sends a light's photons: start(ray, time, power, group) is called before each; false: this one is not followed. Numbers belong to the light and the photon, so that what
// else is in the set changes none of them.
template <typename Sink> void send(const Scene& s, const CausticRule& rule, size_t light, uint32_t pass, uint32_t first, uint32_t count, float each, Sink& sink, TraceCount& counted) {
  const bool sky = light >= s.emitters.size();
  const Emitter& e = sky ? s.skies[light - s.emitters.size()] : s.emitters[light];
  const float far = 2 * length(s.bounds.size()) + 1;
  const uint32_t own = mixBits(s.things[e.thing].node + mixBits(s.seed + mixBits(pass)));
  for (uint32_t i = first; i < first + count; ++i) {
    RandomStream random(mixBits(own + mixBits(i)));
    const float time = s.moves ? random.next() : 0.5f;
    const Moment moment(time);
    Start start;
    if (!emit(rule, moment, e, std::min(size_t(random.next() * float(rule.aims.size())), rule.aims.size() - 1), far, random, start)) continue;
    if (!sink.start({start.origin, start.direction}, time, start.power * (e.baked * (each * float(rule.aims.size()))), e.group)) continue;
    tracePhoton(s, {start.origin, start.direction}, time, mixBits(own + mixBits(i) + 77), sink, counted);
  }
}

// Of photons that would leave more beams in the air than this in a pass, some do, and stand for the others.
constexpr float mostBeams = 12'000;

class Keep : public PhotonSink {
public:
  Keep(const Scene& s, size_t rule, size_t light, float beamShare, std::vector<Photon>& photons, std::vector<PhotonBeam>& beams)
      : m_scene(s), m_rule(s.caustics->rules()[rule]), m_index(rule), m_light(light), m_emitter(light < s.emitters.size() ? s.emitters[light] : s.skies[light - s.emitters.size()]), m_beamShare(beamShare), m_photons(photons),
        m_beams(beams) {
    least = m_rule.cutOff;
  }
  bool start(const Ray&, float, const Color& power, uint16_t group) {
    m_power = power;
    m_group = group;
    m_due += m_beamShare;
    wantsAir = m_scene.air && m_due >= 1;
    if (wantsAir) m_due -= 1;
    return true;
  }
  bool meets(uint16_t thing) override { return m_rule.through[thing]; }
  void land(const Landing& l) override {
    if (!wanted(l) || m_scene.caustics->ruleOf(m_light, l.first, l.thing) != int(m_index)) return;
    const float share = m_emitter.share(l.takenBy, m_emitter.light->infinite() ? 0 : l.firstWay);
    if (share > 0) m_photons.push_back({l.place, l.from, l.facing, tinted(m_power * l.carried * (share * m_rule.carried(l.lastWay))), m_group, l.thing});
  }
  void pass(const Passage& p) override {
    if (!wanted(p.at)) return;
    AirWay way; // no longer than there is air
    m_scene.air->along(p.begin, p.direction, p.length, way);
    if (way.empty()) return;
    float from = std::numeric_limits<float>::infinity(), to = 0;
    for (const auto& s : way) {
      from = std::min(from, s.from);
      to = std::max(to, s.to);
    }
    to = std::min({to, p.length, from + 2 * length(m_scene.bounds.size()) + 1});
    if (!(to > from)) return;
    // Power at its begin, as if the air before it took nothing: that is found where it is seen.
    m_beams.push_back({p.begin + p.direction * from, p.direction, to - from, tinted(m_power * p.at.carried * (1 / m_beamShare)), p.at.firstWay, p.at.lastWay + from, uint32_t(m_light), m_group, p.at.first, p.at.takenBy, uint16_t(m_index)});
  }

private:
  bool wanted(const Landing& l) const {
    return l.first != noMaterial && m_rule.wants(l.mirrored, l.surfaces);
  }
  Color tinted(const Color& c) const {
    if (m_rule.saturation == 1) return c;
    const float grey = luminance(c);
    return vmax(Color(0.0f), Color(grey) + (c - Color(grey)) * m_rule.saturation);
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

} // namespace

PhotonFlow followPhotons(const Scene& s, size_t index, uint32_t perLight) {
  struct Watch : PhotonSink {
    Watch(const Scene& s, const CausticRule& r, PhotonFlow& f) : scene(s), rule(r), flow(f) {}
    bool start(const Ray& ray, float time, const Color& power, uint16_t group) {
      amount = power * scene.amounts[group];
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
        if (rule.through[hit.instance->thingAt(hit.copy->index)]) return true;
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
    void land(const Landing& l) override {
      if (ended) return;
      const double here = double(luminance(amount * l.carried));
      if (l.first == noMaterial) { // nothing mirrored it before
        if (rule.through[l.thing]) flow.dull += weight;
        else flow.blocked[l.thing] += weight;
      } else if (!rule.wants(l.mirrored, l.surfaces)) {
        flow.leftOut += here;
      } else if (rule.onto[l.thing]) {
        flow.lands += here;
        flow.landed.push_back({l.place, l.from, l.facing, amount * l.carried, 0, l.thing});
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
  PhotonFlow flow;
  const CausticRule& rule = s.caustics->rules()[index];
  Watch watch(s, rule, flow);
  TraceCount count;
  for (size_t light = 0; light < rule.from.size(); ++light)
    if (rule.from[light]) send(s, rule, light, 0, 0, perLight, 1 / float(perLight), watch, count);
  flow.rays = count.rays + watch.count.rays;
  return flow;
}

std::shared_ptr<const PhotonMap> tracePhotons(const Scene& s, uint32_t pass, float share, const Tasks& tasks, const CancelFlag& cancel) {
  const std::vector<CausticRule>& rules = s.caustics->rules();
  struct Job {
    size_t rule, light;
    uint32_t first, count;
    float each; ///< share of the light's power
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
        for (uint32_t at = 0; at < count; at += batch) jobs.push_back({k, light, at, std::min(batch, count - at), 1 / float(count), beams});
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
    const RTCDevice device = rtcGetSceneDevice(s.everything);
    found = std::make_unique<PhotonBeams>(std::move(beams), widths, device);
    rtcReleaseDevice(device);
  }
  return std::make_shared<const PhotonMap>(std::move(byRule), spread, std::move(found), tasks);
}

void PhotonMap::Sheet::sort(std::vector<Photon> in, float most) {
  radius = most;
  uint32_t slots = 16;
  while (slots < in.size() && slots < 1u << 26) slots *= 2;
  begins.assign(slots + 1, 0); // counting sort by slot
  const float perCell = 1 / (2 * radius);
  std::vector<uint32_t> slot(in.size());
  for (size_t i = 0; i < in.size(); ++i) {
    const V3f& p = in[i].place;
    slot[i] = slotOf(int(std::floor(p.x * perCell)), int(std::floor(p.y * perCell)), int(std::floor(p.z * perCell)));
    ++begins[slot[i] + 1];
  }
  for (uint32_t i = 0; i < slots; ++i) begins[i + 1] += begins[i];
  photons.resize(in.size());
  std::vector<uint32_t> at(begins.begin(), begins.end() - 1);
  for (size_t i = 0; i < in.size(); ++i) photons[at[slot[i]]++] = in[i];
}

PhotonMap::PhotonMap(std::vector<std::vector<Photon>> byRule, const std::vector<Spread>& spread, std::unique_ptr<const PhotonBeams> beams, const Tasks& tasks) : m_beams(std::move(beams)) {
  for (size_t k = 0; k < byRule.size(); ++k) {
    const Spread& s = spread[k];
    std::vector<Photon> rest = std::move(byRule[k]);
    // Level by level, each twice as far as the one before: those that have enough neighbours there stay in its sheet.
    for (float radius = s.radius; !rest.empty(); radius *= 2) {
      const bool last = s.gathered == 0 || radius >= furthest * s.radius;
      Sheet sheet;
      sheet.sort(std::move(rest), radius);
      rest.clear();
      std::vector<Photon>& all = sheet.photons;
      constexpr int chunk = 2048;
      // How many lie within its radius, itself not counted; of those on the levels before nothing is known, but where they are a photon is
      // among many.
      tasks.forEach(int((all.size() + chunk - 1) / chunk), [&](int c) {
        for (size_t i = size_t(c) * chunk; i < std::min(all.size(), size_t(c + 1) * chunk); ++i) {
          Photon& p = all[i];
          p.radius = radius;
          if (s.gathered == 0) continue;
          uint32_t met = 0;
          sheet.around(p.place, [&](const Photon& o) {
            const V3f d = o.place - p.place;
            met += dot(d, d) < radius * radius && o.thing == p.thing && dot(o.facing, p.facing) > 0.7f;
            return met <= 4 * s.gathered;
          });
          p.radius = met > s.gathered ? std::max(s.radius, radius * std::max(0.5f, std::sqrt(float(s.gathered) / float(met - 1)))) : last ? radius : 0;
        }
      });
      std::vector<Photon> stay;
      for (const Photon& p : all) (p.radius > 0 ? stay : rest).push_back(p);
      for (Photon& p : stay) p.radius *= s.shrunk;
      if (stay.empty()) continue;
      m_sheets.emplace_back();
      m_sheets.back().sort(std::move(stay), radius * s.shrunk);
    }
  }
}

size_t PhotonMap::bytes() const {
  size_t sum = m_beams ? m_beams->bytes() : 0;
  for (const Sheet& s : m_sheets) sum += s.photons.size() * sizeof(Photon) + s.begins.size() * 4;
  return sum;
}

} // namespace ilumbra
