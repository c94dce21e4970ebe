// What multiple importance sampling rests on: a light's samples have the density that it tells.
#include "core/light/light.h"
#include "core/pattern/image.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

std::unique_ptr<Light> build(const char* kind, std::initializer_list<std::pair<const char*, const char*>> values = {}) {
  Set s;
  const NodeId id = s.add(kind, "Lamp", values);
  const Document doc = s.take();
  for (const LightKind& k : allLights())
    if (k.kind.id == kind) return k.build(Params(*doc.find(id), 1), M44f(), noAssets());
  FAIL("no such light");
  return nullptr;
}

// Mean of the inverse density over samples is the solid angle that they cover.
double solidAngle(const Light& light, const V3f& from, int n = 20000) {
  double sum = 0;
  for (int i = 0; i < n; ++i) {
    Sampler s(0, 0, uint32_t(i), 5);
    LightSample ls;
    if (light.sample(from, s.get2(), ls)) sum += 1 / double(ls.pdf);
  }
  return sum / n;
}

void agrees(const Light& light, const V3f& from, bool bodiless) {
  for (int i = 0; i < 500; ++i) {
    Sampler s(1, 0, uint32_t(i), 5);
    LightSample ls;
    if (!light.sample(from, s.get2(), ls)) continue;
    REQUIRE(length(ls.direction) == Approx(1).epsilon(1e-4));
    REQUIRE(ls.pdf > 0);
    REQUIRE(finite(ls.radiance));
    if (bodiless) {
      REQUIRE(light.pdf(from, ls.direction, ls.distance, ls.direction) == Approx(ls.pdf).epsilon(1e-2));
      REQUIRE(luminance(light.radiance(from, ls.direction, ls.direction)) ==
              Approx(luminance(ls.radiance)).epsilon(1e-3));
    }
  }
}

} // namespace

TEST_CASE("A ball's samples cover the cone under which it is seen", "[light][sampling]") {
  const auto ball = build("light.point", {{"radius", "0.5"}, {"position", "0, 2, 0"}});
  for (const float d : {0.6f, 1.5f, 30.0f}) {
    const double half = std::asin(0.5 / double(d));
    CHECK(solidAngle(*ball, V3f(0, 2 - d, 0)) == Approx(2 * 3.14159265 * (1 - std::cos(half))).epsilon(2e-3));
  }
  agrees(*ball, {0, 0, 0}, false);
  LightSample ls;
  CHECK_FALSE(ball->sample({0, 2, 0.1f}, {0.5f, 0.5f}, ls)); // from inside its own body nothing is to be had
}

TEST_CASE("Distances of samples end on the light", "[light][sampling]") {
  const auto ball = build("light.point", {{"radius", "0.5"}, {"position", "0, 2, 0"}});
  const auto panel =
      build("light.area", {{"width", "2"}, {"height", "1"}, {"position", "0, 3, 0"}, {"target", "0, 0, 0"}});
  for (int i = 0; i < 300; ++i) {
    Sampler s(0, 0, uint32_t(i), 1);
    LightSample ls;
    REQUIRE(ball->sample({0.3f, 0, 0}, s.get2(), ls));
    const V3f p = V3f(0.3f, 0, 0) + ls.direction * ls.distance;
    REQUIRE(length(p - V3f(0, 2, 0)) == Approx(0.5).epsilon(1e-3));
    REQUIRE(panel->sample({0.3f, 0, 0}, s.get2(), ls));
    const V3f q = V3f(0.3f, 0, 0) + ls.direction * ls.distance;
    REQUIRE(q.y == Approx(3).epsilon(1e-4));
    REQUIRE(std::abs(q.x) <= 1.0001f);
  }
}

TEST_CASE("A rectangle's samples cover its solid angle, and its back gives none", "[light][sampling]") {
  const auto panel =
      build("light.area", {{"width", "2"}, {"height", "2"}, {"position", "0, 1, 0"}, {"target", "0, 0, 0"}});
  // A square of side 2 at distance 1 is one face of a cube around the point: a sixth of the sphere.
  CHECK(solidAngle(*panel, {0, 0, 0}) == Approx(4 * 3.14159265 / 6).epsilon(2e-3));
  LightSample ls;
  CHECK_FALSE(panel->sample({0, 2, 0}, {0.5f, 0.5f}, ls));
  const auto both = build("light.area", {{"both_sides", "on"}, {"position", "0, 1, 0"}});
  CHECK(both->sample({0, 2, 0}, {0.5f, 0.5f}, ls));
}

TEST_CASE("Sky and sun tell the density that they sample with", "[light][sampling]") {
  const auto sky = build("light.sky");
  CHECK(solidAngle(*sky, {0, 0, 0}) == Approx(4 * 3.14159265).epsilon(1e-3));
  agrees(*sky, {0, 0, 0}, true);
  const auto sun = build("light.sun", {{"diameter", "2"}, {"height", "30"}});
  const double half = 3.14159265 / 180;
  CHECK(solidAngle(*sun, {0, 0, 0}) == Approx(2 * 3.14159265 * (1 - std::cos(half))).epsilon(1e-3));
  agrees(*sun, {0, 0, 0}, true);
  CHECK(isBlack(sun->radiance({0, 0, 0}, {0, -1, 0}, {0, 0, 0})));
}

TEST_CASE("An image sky is sampled where it is bright, and shines by its picture", "[light][sampling]") {
  // A dark sky with one bright patch.
  std::vector<uint8_t> texels(64 * 32 * 4, 8);
  for (int y = 6; y < 10; ++y)
    for (int x = 20; x < 26; ++x) std::fill_n(&texels[size_t(4 * (y * 64 + x))], 4, uint8_t(255));
  const auto image = std::make_shared<const Image>(64, 32, Image::Encoding::Srgb8, texels);
  Set s;
  const NodeId id = s.add("light.sky", "Sky", {{"form", "picture"}, {"image", "patch.png"}});
  const Document doc = s.take();
  TestAssets assets;
  assets.images = [&](const std::string&, int) { return image; };
  std::unique_ptr<Light> light;
  for (const LightKind& k : allLights())
    if (k.kind.id == "light.sky") light = k.build(Params(*doc.find(id), 1), M44f(), assets);
  int bright = 0;
  double sum = 0;
  constexpr int n = 4000;
  for (int i = 0; i < n; ++i) {
    Sampler sampler(0, 0, uint32_t(i), 2);
    LightSample ls;
    if (!light->sample({0, 0, 0}, sampler.get2(), ls)) continue;
    bright += luminance(ls.radiance) > 0.5f;
    sum += double(luminance(ls.radiance) / ls.pdf);
    REQUIRE(light->pdf({0, 0, 0}, ls.direction, 0, ls.direction) == Approx(ls.pdf).epsilon(0.02));
  }
  CHECK(bright > n / 3); // it covers a hundredth of the sphere
  // The same integral by even sampling of the sphere.
  double even = 0;
  for (int i = 0; i < 200000; ++i) {
    Sampler sampler(3, 0, uint32_t(i), 2);
    const V3f d = sampleUniformSphere(sampler.get2());
    even += double(luminance(light->radiance(d, d, d))) * 4 * 3.14159265 / 200000;
  }
  CHECK(sum / n == Approx(even).epsilon(0.02));
}

TEST_CASE("A light is never thought unimportant where it lights", "[light][sampling]") {
  for (const char* kind : {"light.point", "light.spot", "light.area", "light.sun", "light.sky", "light.daylight"}) {
    const auto light = build(kind);
    for (int i = 0; i < 300; ++i) {
      Sampler s(2, 0, uint32_t(i), 9);
      const V3f from = sampleUniformSphere(s.get2()) * 6.0f;
      LightSample ls;
      if (!light->sample(from, s.get2(), ls) || isBlack(ls.radiance)) continue;
      if (light->infinite()) {
        REQUIRE(light->illuminance() > 0);
        continue;
      }
      const LightTree tree({{light->reach(), 1}});
      LightTree::Chooser choice(tree);
      choice.moveTo(from, ls.direction);
      REQUIRE(choice.total() > 0);
    }
  }
}

// A hundred lamps of all sorts, in clusters, over several levels of the tree.
static std::vector<LightTree::Entry> manyLights() {
  std::vector<LightTree::Entry> lights;
  for (int i = 0; i < 300; ++i) {
    Sampler s(5, 0, uint32_t(i), 4);
    LightTree::Entry e;
    e.reach.centre = sampleUniformSphere(s.get2()) * (1 + 3 * s.get1());
    e.reach.radius = 0.2f * s.get1();
    e.reach.axis = sampleUniformSphere(s.get2());
    if (i % 3 == 0) e.reach.spread = 0, e.reach.fall = 0.1f + 0.5f * s.get1();
    if (i % 3 == 1) e.reach.spread = 0;
    if (i % 7 == 0) e.reach.range = 2;
    e.weight = 0.1f + s.get1();
    lights.push_back(e);
  }
  return lights;
}

TEST_CASE("The light tree's probabilities are those of its picks", "[light][tree]") {
  const std::vector<LightTree::Entry> lights = manyLights();
  const LightTree tree(lights);
  LightTree::Chooser choice(tree);
  for (int at = 0; at < 20; ++at) {
    Sampler s(6, 0, uint32_t(at), 4);
    choice.moveTo(sampleUniformSphere(s.get2()) * 3.0f, at % 2 ? sampleUniformSphere(s.get2()) : V3f(0.0f));
    std::vector<double> counts(lights.size());
    const int n = 20000;
    double lost = 0;
    for (int i = 0; i < n; ++i) {
      size_t k;
      float p;
      if (!choice.pick((float(i) + 0.5f) / float(n), k, p)) {
        ++lost;
        continue;
      }
      counts[k] += 1.0 / n;
      REQUIRE(p == Approx(choice.probability(k)).epsilon(1e-4));
    }
    double sum = 0;
    for (size_t k = 0; k < lights.size(); ++k) {
      const double p = double(choice.probability(k));
      sum += p;
      CHECK(counts[k] == Approx(p).margin(40.0 / n));
    }
    CHECK(sum + lost / n == Approx(1).margin(0.01));
  }
}

TEST_CASE("No cluster of lights hides one that shines here", "[light][tree]") {
  const std::vector<LightTree::Entry> lights = manyLights();
  const LightTree tree(lights);
  LightTree::Chooser choice(tree);
  int lit = 0;
  for (int at = 0; at < 200; ++at) {
    Sampler s(7, 0, uint32_t(at), 4);
    const V3f p = sampleUniformSphere(s.get2()) * (4 * s.get1()), n = sampleUniformSphere(s.get2());
    choice.moveTo(p, n);
    for (size_t k = 0; k < lights.size(); ++k) {
      const LightReach& r = lights[k].reach;
      const V3f to = r.centre - p;
      const float d = length(to);
      // By the lamp's middle alone: a weaker statement than the tree's own bounds.
      const bool shines =
          dot(to, n) > 0 && d < r.range && std::acos(std::clamp(-dot(to, r.axis) / d, -1.0f, 1.0f)) < r.spread + r.fall;
      if (!shines) continue;
      ++lit;
      REQUIRE(choice.probability(k) > 0);
    }
  }
  CHECK(lit > 10000);
}

TEST_CASE("Discs, tubes and skies sample with the density that they tell", "[light][sampling]") {
  const auto disc =
      build("light.area",
            {{"form", "disc"}, {"width", "2"}, {"height", "2"}, {"position", "0, 1, 0"}, {"target", "0, 0, 0"}});
  CHECK(solidAngle(*disc, {0, 0, 0}) == Approx(2 * 3.14159265 * (1 - std::cos(3.14159265 / 4))).epsilon(3e-3));
  agrees(*disc, {0.3f, 0, 0.2f}, true);
  const auto tube =
      build("light.area",
            {{"form", "tube"}, {"width", "1"}, {"height", "0.4"}, {"position", "0, 1, 0"}, {"target", "0, 0, 0"}});
  for (const V3f& from : {V3f(0, 0, 0), V3f(3, 1.1f, 0), V3f(0.9f, 0.2f, 0.4f)}) {
    // The same solid angle by casting rays against its body.
    Shape body = *tube->shape();
    double met = 0;
    constexpr int n = 40000;
    const V3f c(0, 1, 0);
    for (int i = 0; i < n; ++i) {
      Sampler s(3, 0, uint32_t(i), 2);
      const V3f d = sampleUniformSphere(s.get2());
      for (const auto& t : body.mesh.triangles) {
        const V3f a = body.mesh.positions[t.a] - from, e1 = body.mesh.positions[t.b] - from - a,
                  e2 = body.mesh.positions[t.c] - from - a;
        const V3f h = cross(d, e2);
        const float det = dot(e1, h);
        if (det <= 1e-12f) continue;
        const V3f o = -a;
        const float u = dot(o, h) / det;
        const V3f q = cross(o, e1);
        const float v = dot(d, q) / det, w = dot(e2, q) / det;
        if (u >= 0 && v >= 0 && u + v <= 1 && w > 0) {
          met += 1;
          break;
        }
      }
    }
    CAPTURE(from.x, from.y, from.z);
    CHECK(solidAngle(*tube, from, 40000) == Approx(met / n * 4 * 3.14159265).epsilon(0.05));
  }
  const auto sky = build("light.sky", {{"form", "gradient"}});
  CHECK(solidAngle(*sky, {0, 0, 0}) == Approx(4 * 3.14159265).epsilon(1e-2));
  agrees(*sky, {0, 0, 0}, true);
  const auto day = build("light.daylight", {{"diameter", "3"}});
  CHECK(solidAngle(*day, {0, 0, 0}) == Approx(4 * 3.14159265).epsilon(2e-2));
  agrees(*day, {0, 0, 0}, true);
}
