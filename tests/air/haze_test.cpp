#include "core/air/haze.h"
#include "core/compile/compile.h"

#include "core/compile/camera.h"
#include "core/exchange/assets.h"
#include "core/scene/media.h"
#include "tests/air/star.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

constexpr double pi64 = 3.14159265358979323846;

// A haze that only takes light, in a shape before an even sky, seen through a hole: the mean luminance over that of the
// sky.
double through(const char* shape, std::initializer_list<std::pair<const char*, const char*>> values,
               const char* density, const char* from = "0, 0, 4", const char* to = "0, 0, 0") {
  Set s(4, 4);
  s.look(from, to, "4000");
  const NodeId body = s.add(shape, "Body", values);
  s.set(body, {{"shown", "off"}});
  s.add("light.sky", "Sky", {});
  const Document bare = s.peek();
  s.add("air.haze", "Haze", {{"fills", "Body"}, {"density", density}, {"color", "0, 0, 0"}});
  return mean(luminances(trace(s.take(), 1))) / mean(luminances(trace(bare, 1)));
}

} // namespace

TEST_CASE("The phase function integrates to 1, and its mean cosine is its anisotropy", "[air][truth21]") {
  for (const float g : {-0.9f, -0.4f, 0.0f, 0.3f, 0.8f, 0.95f}) {
    CAPTURE(g);
    double sum = 0, cosine = 0;
    constexpr int n = 200000;
    for (int i = 0; i < n; ++i) {
      const double c = -1 + 2 * (i + 0.5) / n, p = double(phase(float(c), g)) * 2 * pi64 * 2 / n;
      sum += p;
      cosine += p * c;
    }
    CHECK(sum == Approx(1).epsilon(2e-4));
    CHECK(cosine == Approx(double(g)).margin(2e-4));
  }
}

TEST_CASE("Haze takes light along the chord inside its shape, and none outside it", "[air][truth19]") {
  const double k = 0.7;
  CHECK(through("object.sphere", {{"radius", "0.6"}}, "0.7") ==
        Approx(std::exp(-k * 1.2)).epsilon(5e-4)); // the hole has a width
  CHECK(through("object.box", {{"width", "3"}, {"height", "3"}, {"depth", "0.9"}}, "0.7") ==
        Approx(std::exp(-k * 0.9)).epsilon(1e-4));
  // A box that is stretched and turned by what holds it is as long as it comes out.
  CHECK(through("object.box", {{"width", "3"}, {"height", "3"}, {"depth", "0.5"}, {"size", "1, 1, 2.4"}}, "0.7") ==
        Approx(std::exp(-k * 1.2)).epsilon(1e-4));
  // Across a ring the way lies twice in it, and through its hole never.
  CHECK(through("object.torus", {{"radius", "0.8"}, {"tube", "0.2"}, {"segments", "512"}, {"sides", "256"}}, "0.7") ==
        Approx(std::exp(-k * 0.8)).epsilon(1e-3));
  CHECK(through("object.torus", {{"radius", "0.8"}, {"tube", "0.2"}}, "0.7", "0, 4, 0.001") == Approx(1).epsilon(1e-6));
  CHECK(through("object.sphere", {{"radius", "0.6"}, {"position", "2, 0, 0"}}, "0.7") == Approx(1).epsilon(1e-6));
  // From within, up to its skin; in a pipe, between its walls.
  CHECK(through("object.sphere", {{"radius", "0.6"}}, "0.7", "0, 0, 0.2", "0, 0, -1") ==
        Approx(std::exp(-k * 0.8)).epsilon(1e-4));
  CHECK(through("object.box", {{"width", "3"}, {"height", "3"}, {"depth", "2"}}, "0.7", "0, 0, 0.2", "0, 0, -1") ==
        Approx(std::exp(-k * 1.2)).epsilon(1e-4));
  CHECK(through("object.tube", {{"radius", "0.6"}, {"wall", "0.1"}, {"height", "2"}, {"segments", "720"}}, "0.7") ==
        Approx(std::exp(-k * 0.2)).epsilon(1e-3));
}

TEST_CASE("In letters, knots and imported meshes too the chord is that of the mesh, from all sides", "[air][truth19]") {
  const TemporaryFolder folder;
  writeStar(folder / "star.ply");
  AssetCache assets;
  for (const char* kind : {"object.text", "object.knot", "object.mesh"}) {
    CAPTURE(kind);
    Set s;
    const NodeId id = s.add(kind, "Body", {});
    if (kind == std::string("object.mesh")) s.set(id, {{"file", "star.ply"}, {"part", "1"}});
    s.add("air.haze", "Haze", {{"fills", "Body"}, {"density", "2"}, {"color", "0, 0, 0"}});
    SceneCache cache;
    const ScenePtr scene = compileScene(s.peek(), {}, assets.assets(folder.path()), cache);
    REQUIRE(scene->warnings.empty());
    REQUIRE(scene->media);
    const Mesh& m = scene->objects.front().geometry->shape.mesh;
    REQUIRE(scene->things[scene->objects.front().thing].node == id);
    const Box3f box = scene->objects.front().geometry->bounds;
    RandomStream random(7);
    double met = 0;
    for (int k = 0; k < 400; ++k) {
      V3f o, to;
      for (int c = 0; c < 3; ++c) {
        o[c] = box.min[c] + box.size()[c] * (3 * random.next() - 1); // inside and outside
        to[c] = box.min[c] + box.size()[c] * random.next();
      }
      const V3f d = normalize(to - o);
      // Every triangle by itself (Möller and Trumbore 1997), in doubles.
      double chord = 0;
      for (const auto& t : m.triangles) {
        const Imath::V3d a(m.positions[t.a]), e1 = Imath::V3d(m.positions[t.b]) - a,
                                              e2 = Imath::V3d(m.positions[t.c]) - a, D(d), p = D.cross(e2),
                                              q = Imath::V3d(o) - a;
        const double det = e1.dot(p);
        if (det == 0) continue;
        const double u = q.dot(p) / det, v = D.dot(q.cross(e1)) / det, at = e2.dot(q.cross(e1)) / det;
        if (u < 0 || v < 0 || u + v > 1 || at <= 0) continue;
        chord += det > 0 ? -at : at; // det > 0: it is met from the front
      }
      RayMedia way;
      scene->media->along(o, d, std::numeric_limits<float>::infinity(), way);
      double ours = 0;
      for (const auto& s2 : way) ours += double(s2.to - s2.from);
      CHECK(ours == Approx(chord).margin(1e-4));
      met += chord > 1e-6;
    }
    CHECK(met > 60);
  }
}

TEST_CASE("Hazes that overlap multiply what they let through; visibility is where 2 % comes through",
          "[air][truth19]") {
  Set s(4, 4);
  s.look("0, 0, 5", "0, 0, 0", "4000");
  s.add("light.sky", "Sky", {});
  const double bare = mean(luminances(trace(s.peek(), 1)));
  for (const auto& [name, depth] : {std::pair{"A", "2"}, {"B", "1"}}) {
    s.set(s.add("object.box", name, {{"width", "3"}, {"height", "3"}, {"depth", depth}}), {{"shown", "off"}});
    s.add("air.haze", "Haze", {{"fills", name}, {"density", "0.4"}, {"color", "0, 0, 0"}});
  }
  CHECK(mean(luminances(trace(s.peek(), 1))) / bare == Approx(std::exp(-0.4 * 3)).epsilon(1e-4));
  CHECK(densityOfVisibility(50) * 50 == Approx(3.912).epsilon(1e-4));
  s.add("air.haze", "Mist", {{"fills", "A"}, {"measure", "visibility"}, {"visibility", "2"}, {"color", "0, 0, 0"}});
  CHECK(mean(luminances(trace(s.peek(), 1))) / bare == Approx(0.02 * std::exp(-0.4 * 3)).epsilon(1e-4));
}

TEST_CASE("A lamp in endless haze gives the light of the air-light integral", "[air][truth20]") {
  for (const auto& [g, radius] : {std::pair{0.0, "0"}, {0.6, "0"}, {-0.5, "0.01"}}) {
    CAPTURE(g, radius);
    Set s(2, 2);
    s.look("0, 0, 4", "0, 0, 0", "4800");
    s.add("light.point", "Lamp", {{"power", "1000"}, {"position", "0.3, 0.4, 1"}, {"radius", radius}, {"seen", "off"}});
    s.add("air.haze", "Haze",
          {{"density", "0.25"}, {"color", "0.8, 0.8, 0.8"}, {"anisotropy", std::to_string(g).c_str()}});
    // Along the line of sight: what reaches a place, is turned towards the eye and comes through.
    double truth = 0;
    const double sigma = 0.25, h = 0.5, at = 3, intensity = 1000 / (4 * pi64);
    constexpr int n = 400000;
    for (int i = 0; i < n; ++i) {
      const double t = 60.0 * (i + 0.5) / n, x = at - t, r = std::sqrt(h * h + x * x);
      truth += 60.0 / n * 0.8 * sigma * double(phase(float(x / r), float(g))) * intensity / (r * r) *
               std::exp(-sigma * (t + r));
    }
    const Estimate e = estimate(s.peek(), 512);
    CAPTURE(e.mean, e.se, truth);
    CHECK(e.agrees(truth, 2e-3));
    CHECK(e.se < 0.01 * truth);
  }
}

TEST_CASE("A haze that cannot be is left out and told: open shapes, groups, colours beyond 1", "[air]") {
  const auto trouble = [](const std::function<void(Set&)>& f) {
    Set s;
    s.add("object.plane", "Sheet", {});
    s.add("object.group", "Heap", {});
    f(s);
    SceneCache cache;
    const ScenePtr scene = compileScene(s.take(), {}, noAssets(), cache);
    CHECK_FALSE(scene->media);
    return scene->warnings.empty() ? std::string() : scene->warnings.front();
  };
  CHECK(trouble([](Set& s) {
          s.add("air.haze", "Haze", {{"fills", "Sheet"}});
        }) == "Haze.fills: Sheet is open, so it has no inside");
  CHECK(trouble([](Set& s) {
          s.add("air.haze", "Haze", {{"fills", "Heap"}});
        }) == "Haze.fills: a group has no form of its own; choose one object");
  CHECK(trouble([](Set& s) {
          s.add("air.haze", "Haze", {{"color", "2, 1, 1"}});
        }).find("Haze.color: it cannot scatter more light") == 0);
  CHECK(trouble([](Set& s) { s.add("air.haze", "Haze", {{"density", "0"}}); }).empty());
}

TEST_CASE("A haze fills the inside of a hollow body, its innermost void alone", "[air][inside]") {
  Set s(8, 8);
  s.look("0, 0, 5", "0, 0, 0", "50");
  const NodeId room = s.add("object.box", "Room", {{"width", "2"}, {"height", "2"}, {"depth", "2"}, {"shown", "off"}});
  s.add("modifier.shell", "Wall", {{"thickness", "0.2"}}, {room, "modifiers", size_t(-1)});
  s.add("air.haze", "Mist", {{"fills", "Room"}, {"part", "its inside"}, {"density", "1"}});
  s.add("light.sky", "Sky", {{"power", "100"}});
  const Document doc = s.take();
  SceneCache cache;
  const ScenePtr scene = compileScene(doc, {.queries = {}}, noAssets(), cache);
  for (const std::string& t : scene->warnings) UNSCOPED_INFO(t);
  REQUIRE(scene->warnings.empty());
  REQUIRE(scene->media);
  RayMedia way;
  scene->media->along(V3f(0, 0, 5), V3f(0, 0, -1), 100, way);
  // Through the void: the room less its two walls.
  const float depth = scene->media->shownDepth(way, V3f(0, 0, 5), V3f(0, 0, -1));
  CHECK(depth > 1.5f);
  CHECK(depth < 1.95f);
  // A solid body has none.
  Set solid(8, 8);
  solid.look("0, 0, 5", "0, 0, 0", "50");
  solid.add("object.box", "Block", {{"shown", "off"}});
  solid.add("air.haze", "Mist", {{"fills", "Block"}, {"part", "its inside"}});
  SceneCache other;
  CHECK_THAT(compileScene(solid.take(), {.queries = {}}, noAssets(), other)->warnings.at(0),
             Catch::Contains("not hollow"));
}
