#include "core/render/photons.h"

#include "core/base/sampling.h"
#include "core/render/moment.h"
#include "core/render/path.h"

#include <algorithm>
#include <cmath>

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

// Sends a light's photons: start(power of each, group) is called before each. Numbers belong to the light and the photon, so that what
// else is in the set changes none of them.
template <typename Sink> void send(const Scene& s, const CausticRule& rule, size_t light, uint32_t pass, uint32_t first, uint32_t count, float each, Sink& sink, TraceCount& counted) {
  const bool sky = light >= s.emitters.size();
  const Emitter& e = sky ? s.skies[light - s.emitters.size()] : s.emitters[light];
  const float far = 2 * length(s.bounds.size()) + 1;
  const uint32_t own = mixBits(s.things[e.thing].node + mixBits(s.seed + mixBits(rule.steady ? 0 : pass)));
  for (uint32_t i = first; i < first + count; ++i) {
    RandomStream random(mixBits(own + mixBits(i)));
    const float time = s.moves ? random.next() : 0.5f;
    const Moment moment(time);
    Start start;
    if (!emit(rule, moment, e, std::min(size_t(random.next() * float(rule.aims.size())), rule.aims.size() - 1), far, random, start)) continue;
    sink.start(start.power * (e.baked * (each * float(rule.aims.size()))), e.group);
    tracePhoton(s, {start.origin, start.direction}, time, mixBits(own + mixBits(i) + 77), sink, counted);
  }
}

class Keep : public PhotonSink {
public:
  Keep(const Caustics& caustics, size_t rule, size_t light, const Scene& s, std::vector<Photon>& out)
      : m_caustics(caustics), m_rule(rule), m_light(light), m_emitter(light < s.emitters.size() ? s.emitters[light] : s.skies[light - s.emitters.size()]), m_out(out) {}
  void start(const Color& power, uint16_t group) {
    m_power = power;
    m_group = group;
  }
  bool meets(uint16_t thing) override { return m_caustics.rules()[m_rule].through[thing]; }
  void land(const Landing& l) override {
    if (l.first == noMaterial || m_caustics.ruleOf(m_light, l.first, l.thing) != int(m_rule)) return;
    const float share = m_emitter.share(l.takenBy, m_emitter.light->infinite() ? 0 : l.firstWay);
    if (share > 0) m_out.push_back({l.place, l.from, l.facing, m_power * l.carried * share, m_group, l.thing});
  }

private:
  const Caustics& m_caustics;
  size_t m_rule, m_light;
  const Emitter& m_emitter;
  std::vector<Photon>& m_out;
  Color m_power;
  uint16_t m_group = 0;
};

} // namespace

PhotonFlow followPhotons(const Scene& s, size_t index, uint32_t perLight) {
  struct Watch : PhotonSink {
    Watch(const Scene& s, const CausticRule& r, PhotonFlow& f) : scene(s), rule(r), flow(f) {}
    void start(const Color& power, uint16_t group) {
      settle();
      amount = power * scene.amounts[group];
      weight = double(luminance(amount));
      flow.aimed += weight;
      ended = met = false;
      live = true;
    }
    bool meets(uint16_t thing) override {
      met = rule.through[thing];
      if (met) flow.meets += weight;
      else flow.blocked[thing] += weight;
      ended = !met;
      return met;
    }
    void land(const Landing& l) override {
      if (ended) return;
      const double here = double(luminance(amount * l.carried));
      if (l.first == noMaterial) { // nothing mirrored it before
        if (rule.through[l.thing]) flow.dull += weight;
        else flow.blocked[l.thing] += weight;
      } else if (rule.onto[l.thing]) {
        flow.lands += here;
        flow.landed.push_back({l.place, l.from, l.facing, amount * l.carried, 0, l.thing});
      } else {
        flow.elsewhere[l.thing] += here;
      }
      ended = true; // what goes on from here is told where it went first
    }
    void settle() {
      if (live && !ended && !met) flow.misses += weight;
    }
    const Scene& scene;
    const CausticRule& rule;
    PhotonFlow& flow;
    Color amount{0.0f};
    double weight = 0;
    bool ended = false, met = false, live = false;
  };
  PhotonFlow flow;
  const CausticRule& rule = s.caustics->rules()[index];
  Watch watch(s, rule, flow);
  TraceCount count;
  for (size_t light = 0; light < rule.from.size(); ++light)
    if (rule.from[light]) send(s, rule, light, 0, 0, perLight, 1 / float(perLight), watch, count);
  watch.settle();
  flow.rays = count.rays;
  return flow;
}

std::shared_ptr<const PhotonMap> tracePhotons(const Scene& s, uint32_t pass, float share, const Tasks& tasks, const CancelFlag& cancel) {
  const Caustics& caustics = *s.caustics;
  struct Job {
    size_t rule, light;
    uint32_t first, count;
    float each; ///< share of the light's power
  };
  std::vector<Job> jobs;
  std::vector<float> radius;
  for (size_t k = 0; k < caustics.rules().size(); ++k) {
    const CausticRule& rule = caustics.rules()[k];
    radius.push_back(rule.radiusOf(pass));
    // Evenly over its lights: each has a film of its own, and may be turned up later.
    const auto lights = float(std::count(rule.from.begin(), rule.from.end(), true));
    const auto count = std::max(1u, uint32_t(float(rule.photons) * share / lights));
    for (size_t light = 0; light < rule.from.size(); ++light)
      if (rule.from[light])
        for (uint32_t at = 0; at < count; at += batch) jobs.push_back({k, light, at, std::min(batch, count - at), 1 / float(count)});
  }
  std::vector<std::vector<Photon>> made(jobs.size());
  tasks.forEach(int(jobs.size()), [&](int j) {
    if (cancel.requested()) return;
    const Job& job = jobs[size_t(j)];
    const CausticRule& rule = caustics.rules()[job.rule];
    Keep keep(caustics, job.rule, job.light, s, made[size_t(j)]);
    TraceCount count;
    send(s, rule, job.light, pass, job.first, job.count, job.each * rule.strength, keep, count);
  });
  if (cancel.requested()) return nullptr;
  std::vector<std::vector<Photon>> byRule(caustics.rules().size());
  for (size_t j = 0; j < jobs.size(); ++j) {
    auto& out = byRule[jobs[j].rule];
    out.insert(out.end(), made[j].begin(), made[j].end());
    made[j] = {};
  }
  for (size_t k = 0; k < byRule.size(); ++k)
    if (const float saturation = caustics.rules()[k].saturation; saturation != 1)
      for (Photon& p : byRule[k]) {
        const float grey = luminance(p.power);
        p.power = vmax(Color(0.0f), Color(grey) + (p.power - Color(grey)) * saturation);
      }
  return std::make_shared<const PhotonMap>(std::move(byRule), radius, tasks);
}

PhotonMap::PhotonMap(std::vector<std::vector<Photon>> byRule, const std::vector<float>& radius, const Tasks& tasks) {
  m_sheets.resize(byRule.size());
  tasks.forEach(int(byRule.size()), [&](int k) {
    Sheet& s = m_sheets[size_t(k)];
    std::vector<Photon>& in = byRule[size_t(k)];
    s.radius = std::max(1e-6f, radius[size_t(k)]);
    uint32_t slots = 16;
    while (slots < in.size() && slots < 1u << 26) slots *= 2;
    s.begins.assign(slots + 1, 0); // counting sort by slot
    const float perCell = 1 / (2 * s.radius);
    std::vector<uint32_t> slotOf(in.size());
    for (size_t i = 0; i < in.size(); ++i) {
      const V3f& p = in[i].place;
      slotOf[i] = s.slotOf(int(std::floor(p.x * perCell)), int(std::floor(p.y * perCell)), int(std::floor(p.z * perCell)));
      ++s.begins[slotOf[i] + 1];
    }
    for (uint32_t i = 0; i < slots; ++i) s.begins[i + 1] += s.begins[i];
    s.photons.resize(in.size());
    std::vector<uint32_t> at(s.begins.begin(), s.begins.end() - 1);
    for (size_t i = 0; i < in.size(); ++i) s.photons[at[slotOf[i]]++] = in[i];
    in = {};
  });
}

size_t PhotonMap::bytes() const {
  size_t sum = 0;
  for (const Sheet& s : m_sheets) sum += s.photons.size() * sizeof(Photon) + s.begins.size() * 4;
  return sum;
}

} // namespace ilumbra
