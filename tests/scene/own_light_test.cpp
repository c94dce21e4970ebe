// Own light that a pattern drives is sampled where it shines, and what is met has the density of what is sampled.
#include "core/base/colorspace.h"
#include "core/scene/ray_caster.h"
#include "core/scene/scene.h"
#include "core/scene/trace_count.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// A panel of 2 m that faces up, on which one stripe of 4 cm shines; many or few triangles.
Traced striped(bool fine, const char* turn) {
  Set s;
  s.look("0, 3, 0.01", "0, 0, 0");
  s.add("pattern.stripes", "Stripe",
        {{"space", "object"}, {"pitch", "2 m"}, {"share", "2 %"}, {"edge", "0"}, {"push", "0.3 m"}});
  s.lambert("Lit", "0, 0, 0");
  s.set(s.find("Lit"), {{"own_light", "100"}, {"own_light_color", "pattern Stripe"}});
  const NodeId panel = s.add("object.plane", "Panel", {{"material", "Lit"}, {"turn", turn}});
  if (fine) s.add("modifier.subdivide", "Finer", {{"levels", "6"}}, {panel, "modifiers"});
  return trace(s.take(), 1, 1);
}

struct Met {
  double received = 0, deviation = 0; // irradiance at a place, and that of one sample
  int dark = 0;                       // samples that met what does not shine
};

Met gather(const Scene& scene, const V3f& from, int samples) {
  TraceCount count;
  const RayCaster rays(scene, count, nullptr);
  Met met;
  for (int i = 0; i < samples; ++i) {
    Sampler u(1, 2, uint32_t(i), 3);
    LightSample ls;
    if (!scene.emitters[0].light->sample(from, u.get2(), ls)) {
      ++met.dark;
      continue;
    }
    const double got = double(luminance(ls.radiance) * std::abs(ls.direction.y) / ls.pdf);
    met.received += got / samples;
    met.deviation += got * got / samples;
    Hit hit;
    REQUIRE(rays.intersect(from, ls.direction, std::numeric_limits<float>::infinity(), hit));
    CHECK(scene.emitters[0].light->pdf(from, ls.direction, hit.distance, {hit.geometric, hit.triangle, hit.u, hit.v}) ==
          Approx(ls.pdf).epsilon(0.01));
  }
  met.deviation = std::sqrt(met.deviation - met.received * met.received);
  return met;
}

} // namespace

TEST_CASE("A pattern's light is sampled where it shines", "[scene][light][pattern]") {
  for (const bool fine : {false, true}) {
    CAPTURE(fine);
    const Traced t = striped(fine, "0, 0, 0");
    REQUIRE(t.scene->emitters.size() == 1);
    const V3f from(0.1f, 0.7f, -0.2f);
    const Met met = gather(*t.scene, from, 20000);
    // The stripe is x from a to b, over all of z: its irradiance, summed up.
    const auto& panel = *t.scene->emitters[0].light;
    double expected = 0;
    const int steps = 400;
    // push moves the stripe towards -x: its middle lies where (x + 0.3) / 2 + ... is a half.
    double lit = 0;
    for (int i = 0; i < 4000; ++i) {
      const double x = -1 + (i + 0.5) / 2000;
      double at = (x + 0.3) / 2;
      at -= std::floor(at);
      if (std::abs(at - 0.5) > 0.01) continue;
      lit += 1.0 / 2000;
      for (int k = 0; k < steps; ++k) {
        const double z = -1 + 2 * (k + 0.5) / steps, dx = x - double(from.x), dz = z - double(from.z),
                     h = double(from.y), d2 = dx * dx + dz * dz + h * h;
        expected += h * h / (d2 * d2) * (1.0 / 2000) * (2.0 / steps);
      }
    }
    CHECK(lit == Approx(0.04).epsilon(0.02));
    CHECK(met.received == Approx(expected).margin(4 * met.deviation / std::sqrt(20000.0)));
    CHECK(met.deviation < 2 * met.received);
    // By area alone 98 of 100 would be dark.
    CHECK(met.dark < 20000 * 45 / 100);
    CHECK(panel.reach().flux == Approx(double(pi) * 4 * 0.02).epsilon(0.25));
  }
}

TEST_CASE("A striped panel that is turned and seen from its back has the density that it is sampled with",
          "[scene][light][pattern]") {
  const Traced t = striped(false, "30, 20, 0");
  gather(*t.scene, {0.3f, -0.9f, 0.4f}, 500);
}

TEST_CASE("A ball that shines on a small spot is sampled there, from near, from afar and drawn out",
          "[scene][light][pattern]") {
  struct Case {
    const char* size;
    V3f from;
  };
  for (const Case& c : {Case{"1, 1, 1", {0.4f, 1.5f, 0.2f}}, Case{"1, 1, 1", {0.1f, 30, 1}},
                        Case{"1.5, 0.8, 0.7", {0.4f, 1.5f, 0.2f}}, Case{"1, 1, 1", {0, 0.2f, 0.1f}}}) {
    CAPTURE(c.size, c.from);
    Set s;
    s.look("0, 9, 0.01", "0, 0, 0");
    // Within 0.12 m of its top.
    const NodeId spot = s.add("pattern.ramp", "Spot",
                              {{"along", "ball"}, {"start", "0, 0.5, 0"}, {"end", "0, 0.62, 0"}, {"space", "object"}});
    s.add("ramp.key", "", {{"place", "0"}, {"color", "1, 1, 1"}, {"passage", "step"}}, {spot, "keys"});
    s.add("ramp.key", "", {{"place", "1"}, {"color", "0, 0, 0"}}, {spot, "keys", size_t(-1)});
    s.lambert("Lit", "0, 0, 0");
    s.set(s.find("Lit"), {{"own_light", "100"}, {"own_light_color", "pattern Spot"}});
    s.set(s.add("object.sphere", "Ball", {{"radius", "0.5"}, {"material", "Lit"}}), {{"size", c.size}});
    const Traced t = trace(s.take(), 1, 1);
    REQUIRE(t.scene->emitters.size() == 1);
    constexpr int n = 20000;
    const Met met = gather(*t.scene, c.from, n);
    // The cap of the ball, summed up: a height of 0.12² / (2 · 0.5) below the top.
    const InstancedObject& ball = t.scene->objects[0];
    double expected = 0;
    const double least = 1 - 0.12 * 0.12 / (2 * 0.25);
    const int steps = 400;
    for (int i = 0; i < steps; ++i)
      for (int k = 0; k < steps; ++k) {
        const auto at = [&](double u, double v) {
          const double y = 1 - (1 - least) * u, r = std::sqrt(std::max(0.0, 1 - y * y)), phi = 2 * double(pi) * v;
          return transformPoint(ball.toWorld,
                                V3f(float(0.5 * r * std::cos(phi)), float(0.5 * y), float(0.5 * r * std::sin(phi))));
        };
        const double u = double(i) / steps, v = double(k) / steps, d = 1.0 / steps;
        const V3f p = at(u, v), e1 = at(u + d, v) - p, e2 = at(u, v + d) - p, to = at(u + d / 2, v + d / 2) - c.from;
        const V3f area = cross(e2, e1);
        const double way = double(length(to)), seen = -double(dot(to, area)) / way;
        const bool inside = length(c.from) < 0.4f;
        if (inside ? seen < 0 : seen > 0) expected += std::abs(seen) * std::abs(double(to.y)) / way / (way * way);
      }
    CAPTURE(met.received, met.deviation, expected, met.dark);
    CHECK(met.received == Approx(expected).epsilon(0.01).margin(4 * met.deviation / std::sqrt(double(n))));
    CHECK(met.deviation < 3 * met.received);
    // By the cone alone 19 of 20 or more would be dark.
    CHECK(met.dark < n * 80 / 100);
  }
}
