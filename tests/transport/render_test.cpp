#include "tests/support/scene.h"

#include "core/base/colorspace.h"
#include "core/compile/compile.h"
#include "core/scene/look.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// Two lamps, a mirror, a pane of glass and a matte floor: something of everything.
Document mixedSet(int width = 48, int height = 32) {
  Set s(width, height);
  s.look("0, 1.1, 3.2", "0, 0.4, 0", "35");
  s.lambert("Stone", "0.5, 0.45, 0.4");
  s.add("material.surface", "Mirror", {{"base_color", "0.95, 0.95, 0.95"}, {"metalness", "1"}, {"roughness", "0"}});
  s.add("material.surface", "Pane",
        {{"base_color", "1, 1, 1"}, {"transmission", "1"}, {"roughness", "0"}, {"thin", "on"}});
  s.add("material.surface", "Ember",
        {{"base_color", "0.2, 0.1, 0.1"}, {"own_light", "900"}, {"own_light_color", "1, 0.4, 0.1"}});
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"material", "Stone"}});
  s.add("object.box", "Looking glass",
        {{"width", "1.4"},
         {"height", "1.2"},
         {"depth", "0.02"},
         {"position", "-1, 0.7, -0.8"},
         {"turn", "0, 30, 0"},
         {"material", "Mirror"}});
  s.add("object.box", "Window",
        {{"width", "0.8"}, {"height", "1"}, {"depth", "0.01"}, {"position", "0.9, 0.5, 0.6"}, {"material", "Pane"}});
  s.add("object.sphere", "Coal", {{"radius", "0.15"}, {"position", "0.1, 0.15, 0.2"}, {"material", "Ember"}});
  s.add("light.point", "Left lamp",
        {{"power", "600"}, {"radius", "0.08"}, {"position", "-0.6, 1, 0.4"}, {"color", "1, 0.7, 0.4"}});
  s.add("light.point", "Right lamp",
        {{"power", "600"}, {"radius", "0.08"}, {"position", "0.9, 0.6, -0.4"}, {"color", "0.4, 0.6, 1"}});
  s.add("light.sky", "Sky", {{"power", "20"}});
  return s.take();
}

NodeId idOf(const Document& d, const char* name) { return d.findByName(name)->id; }

} // namespace

TEST_CASE("The light groups sum to the whole picture, pixel by pixel", "[render][truth7]") {
  const Document doc = mixedSet();
  const Traced t = trace(doc, 8);
  const Picture whole = luminances(t);
  REQUIRE(t.scene->groups.size() == 4);
  for (int y = 0; y < whole.height; ++y)
    for (int x = 0; x < whole.width; ++x) {
      Color sum(0.0f);
      const size_t i = size_t(y) * size_t(whole.width) + size_t(x);
      for (int g = 0; g < t.film().groups(); ++g) sum += t.film().light(i, 0, g) * t.scene->groupScales[size_t(g)];
      for (int c = 0; c < 3; ++c) REQUIRE(sum[c] == Approx(whole.color(x, y)[c]).epsilon(1e-5).margin(1e-5));
    }
}

TEST_CASE("Mixing a lamp by a factor agrees with a render at that power", "[render][truth7]") {
  const Document doc = mixedSet();
  const Document brighter = setAt(doc, resolve(doc, "Left lamp.power"), Constant(1800.0));
  std::vector<double> mixed, rendered;
  for (int seed = 0; seed < 8; ++seed) {
    const auto at = [&](const Document& d) { return setValue(d, d.settings().id, "seed", Constant(double(seed))); };
    const Traced t = trace(at(doc), 32);
    const std::vector<Color> groupScales = balancedScales(*t.scene, brighter, 1);
    REQUIRE(groupScales.size() == t.scene->groups.size());
    mixed.push_back(mean(collect(t.film(), 0, groupScales, 1, pool())));
    rendered.push_back(mean(luminances(trace(at(brighter), 32))));
  }
  const Estimate a = estimateOf(mixed), b = estimateOf(rendered);
  CHECK(std::abs(a.mean - b.mean) <= 4 * std::sqrt(a.se * a.se + b.se * b.se));
  CHECK(a.mean > 1.2 * mean(luminances(trace(doc, 8))));
}

TEST_CASE("Mixing a lone lamp is the same picture to rounding", "[render][truth7]") {
  Set s;
  s.look("0, 2, 3", "0, 0, 0");
  s.lambert("Stone", "0.5, 0.5, 0.5");
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"material", "Stone"}});
  s.add("light.point", "Lamp", {{"power", "600"}});
  const Document doc = s.take(), twice = setAt(doc, resolve(doc, "Lamp.power"), Constant(1200.0));
  const Traced t = trace(doc, 16);
  const Picture mixed = collect(t.film(), 0, balancedScales(*t.scene, twice, 1), 1, pool()),
                rendered = luminances(trace(twice, 16));
  for (size_t i = 0; i < mixed.rgb.size(); ++i)
    REQUIRE(mixed.rgb[i] == Approx(rendered.rgb[i]).epsilon(1e-5).margin(1e-7));
}

TEST_CASE("Exposure maps a luminance to L over 1.2 times 2 to the EV", "[render][truth9]") {
  for (const double ev : {-2.0, 3.0, 9.5}) {
    Set s;
    s.look("0, 0, 3", "0, 0, 0");
    s.add("light.sky", "Sky", {{"power", "400"}});
    Document doc = s.take();
    doc = setAt(doc, resolve(doc, "Camera.ev100"), Constant(ev));
    const Traced t = trace(doc, 2);
    const LensResult r = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool());
    CHECK(mean(r.picture) == Approx(400 / (1.2 * std::pow(2, ev))).epsilon(1e-5));
    const Document lifted = setAt(doc, resolve(doc, "Camera.compensation"), Constant(1.0));
    CHECK(mean(develop(lifted, 1, *t.scene, t.film(), t.scene->groupScales, pool()).picture) ==
          Approx(2 * mean(r.picture)).epsilon(1e-5));
  }
}

TEST_CASE("The same document, seed and size give the same pixels on one thread and on two", "[render][determinism]") {
  const Document doc = mixedSet();
  const Picture one = luminances(trace(doc, 6, 1)), two = luminances(trace(doc, 6, 2)),
                three = luminances(trace(doc, 6, 3));
  CHECK(one == two);
  CHECK(one == three);
  const Document other = setValue(doc, doc.settings().id, "seed", Constant(77.0));
  CHECK_FALSE(luminances(trace(other, 6, 2)) == one);
}

TEST_CASE("A picture in several steps is the picture in one", "[render][determinism]") {
  const Document doc = mixedSet();
  SceneCache cache;
  const ScenePtr scene = compileScene(doc, {.queries = lensQueries(doc)}, noAssets(), cache);
  Rendering steps(scene);
  const CancelFlag never;
  for (const uint32_t n : {1u, 2u, 5u, 6u}) steps.advance(pool(), n, never);
  CHECK(collect(steps.film(), 0, scene->groupScales, 1, pool()) == luminances(trace(doc, 6)));
  CHECK(steps.samples() == 6);
}

TEST_CASE("A region renders its pixels and no others, as the whole picture has them", "[render]") {
  const Document doc = mixedSet();
  SceneCache cache;
  const ScenePtr scene = compileScene(doc, {.queries = lensQueries(doc)}, noAssets(), cache);
  Rendering part(scene);
  const CancelFlag never;
  part.advance(pool(), 4, never, {10, 5, 20, 12});
  const Traced whole = trace(doc, 4);
  for (int y = 0; y < 32; ++y)
    for (int x = 0; x < 48; ++x) {
      const size_t i = size_t(y) * 48 + size_t(x);
      const bool inside = x >= 10 && x < 30 && y >= 5 && y < 17;
      REQUIRE(part.film().samples(i) == (inside ? 4u : 0u));
      if (inside) REQUIRE(part.film().light(i, 0, 0) == whole.film().light(i, 0, 0));
    }
}

TEST_CASE("What is refined ahead is the same picture when the rest has come", "[render][determinism]") {
  const Document doc = mixedSet();
  Rendering a = Rendering(trace(doc, 1).scene), b = Rendering(a.sharedScene());
  const CancelFlag never;
  a.advance(pool(), 8, never);
  b.advance(pool(), 2, never);
  b.refineRegion(pool(), 8, never, {3, 2, 7, 5});
  CHECK(b.samples() == 2);
  CHECK(b.film().samples(size_t(3) * size_t(b.film().width()) + 4) == 8);
  CHECK(b.film().samples(0) == 2);
  b.advance(pool(), 8, never);
  CHECK(collect(a.film(), 0, a.scene().groupScales, 1, pool()).rgb ==
        collect(b.film(), 0, b.scene().groupScales, 1, pool()).rgb);
}

TEST_CASE("A cancelled pass says so and can be gone on with", "[render]") {
  const Document doc = mixedSet(256, 256);
  SceneCache cache;
  const ScenePtr scene = compileScene(doc, {.queries = lensQueries(doc)}, noAssets(), cache);
  Rendering r(scene);
  CancelFlag cancel;
  cancel.request();
  CHECK_FALSE(r.advance(pool(), 4, cancel));
  CHECK(r.samples() == 0);
  cancel.clear();
  CHECK(r.advance(pool(), 1, cancel));
  CHECK(r.samples() == 1);
}

TEST_CASE("Labels keep lamps, ways of being seen, first things and events apart", "[render][labels]") {
  const Document doc = mixedSet();
  const NodeId left = idOf(doc, "Left lamp"), glass = idOf(doc, "Looking glass"), window = idOf(doc, "Window"),
               floor = idOf(doc, "Floor");
  CompileOptions o;
  const auto query = [](std::string name, std::vector<NodeId> things) {
    return LayerQuery{.name = std::move(name), .things = std::move(things)};
  };
  LayerQuery direct = query("direct", {left}), mirrored = query("mirrored", {left}),
             inGlass = query("in the mirror", {left}), through = query("through", {idOf(doc, "Right lamp")});
  direct.mirrored = direct.through = false;
  mirrored.direct = false;
  mirrored.through = false;
  inGlass.seenIn = {glass};
  through.direct = through.mirrored = false;
  through.seenIn = {window};
  LayerQuery emitted = query("", {floor}), once = emitted, often = emitted, any = emitted, gathered = emitted;
  emitted.events = EventEmitted;
  once.events = EventDirect;
  often.events = EventIndirect;
  gathered.events = EventCaustic;
  o.queries = {LayerQuery{.name = "all", .everything = true},
               query("left", {left}),
               direct,
               mirrored,
               inGlass,
               through,
               emitted,
               once,
               often,
               any,
               gathered};
  SceneCache cache;
  const ScenePtr scene = compileScene(doc, o, noAssets(), cache);
  Rendering r(scene);
  const CancelFlag never;
  r.advance(pool(), 32, never);
  const auto sum = [&](int q) { return mean(collect(r.film(), q, scene->groupScales, 1, pool())); };
  CHECK(sum(1) > 0);
  CHECK(sum(2) > 0);
  CHECK(sum(3) > 0); // the mirror shows the left lamp
  CHECK(sum(2) < sum(1));
  CHECK(sum(4) == Approx(sum(3)).epsilon(1e-5)); // it is seen mirrored in the mirror only
  CHECK(sum(5) > 0);                             // the right lamp behind the pane
  CHECK(sum(6) == 0);                            // the floor gives no light of its own
  CHECK(sum(7) > 0);
  CHECK(sum(8) > 0);
  CHECK(sum(10) > 0); // over the mirror onto the floor
  CHECK(sum(6) + sum(7) + sum(8) + sum(10) == Approx(sum(9)).epsilon(1e-4));
}

TEST_CASE("More lights than groups share the last group and keep the picture", "[render]") {
  Set s(32, 24);
  s.look("0, 2, 3", "0, 0, 0", "30");
  s.lambert("Stone", "0.5, 0.5, 0.5");
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"material", "Stone"}});
  for (int i = 0; i < 6; ++i)
    s.add("light.point", "Lamp",
          {{"power", std::to_string(100 + 50 * i).c_str()}, {"position", (std::to_string(i - 3) + ", 1, 0").c_str()}});
  const Document doc = s.take();
  SceneCache cache;
  CompileOptions o;
  o.queries = lensQueries(doc);
  o.layerMemory = 32 * 24 * 12 * 3;
  const ScenePtr few = compileScene(doc, o, noAssets(), cache);
  REQUIRE(few->sharedGroups);
  REQUIRE(few->groups.size() == 3);
  Rendering r(few);
  const CancelFlag never;
  r.advance(pool(), 8, never);
  const Picture a = collect(r.film(), 0, few->groupScales, 1, pool()), b = luminances(trace(doc, 8));
  for (size_t i = 0; i < a.rgb.size(); ++i) REQUIRE(a.rgb[i] == Approx(b.rgb[i]).epsilon(1e-4).margin(1e-4));
  // A lamp of the shared group cannot be mixed: the scene says so by asking to be compiled again.
  CHECK(balancedScales(*few, setAt(doc, resolve(doc, "Lamp 6.power"), Constant(1.0)), 1).empty());
  CHECK_FALSE(balancedScales(*few, setAt(doc, resolve(doc, "Lamp.power"), Constant(1.0)), 1).empty());
}

TEST_CASE("Each switch of an object does what it says", "[render][switches]") {
  Set s(32, 32);
  s.look("0, 1.2, 3", "0, 0.4, 0", "40");
  s.lambert("Stone", "0.6, 0.6, 0.6");
  s.add("material.surface", "Mirror", {{"base_color", "1, 1, 1"}, {"metalness", "1"}, {"roughness", "0"}});
  s.add("object.plane", "Floor", {{"width", "8"}, {"depth", "8"}, {"material", "Stone"}});
  s.add("object.box", "Wall mirror",
        {{"width", "4"}, {"height", "3"}, {"depth", "0.05"}, {"position", "0, 1, -1.2"}, {"material", "Mirror"}});
  s.lambert("Red", "0.8, 0.05, 0.05");
  s.add("object.sphere", "Ball", {{"radius", "0.4"}, {"position", "0, 0.4, 0"}, {"material", "Red"}});
  s.add("light.point", "Lamp", {{"power", "900"}, {"radius", "0.02"}, {"position", "0.8, 2, 1"}, {"seen", "off"}});
  const Document doc = s.take();
  const NodeId ball = idOf(doc, "Ball");
  const auto with = [&](const char* name, bool on) { return setValue(doc, ball, name, Constant(on)); };
  const auto layers = [&](const Document& d) {
    SceneCache cache;
    LayerQuery direct{.name = "direct", .things = {ball}}, mirrored = direct,
                                                           floor{.name = "floor", .things = {idOf(d, "Floor")}};
    direct.mirrored = direct.through = false;
    mirrored.direct = false;
    const ScenePtr scene = compileScene(
        d, {.queries = {LayerQuery{.name = "all", .everything = true}, direct, mirrored, floor}}, noAssets(), cache);
    Rendering r(scene);
    const CancelFlag never;
    r.advance(pool(), 24, never);
    std::vector<double> sums;
    for (int q = 0; q < 4; ++q) sums.push_back(mean(collect(r.film(), q, scene->groupScales, 1, pool())));
    double alpha = 0;
    for (size_t i = 0; i < 1024; ++i) alpha += double(r.film().alpha(i)) / 1024;
    sums.push_back(alpha);
    return sums;
  };
  const auto plain = layers(doc);
  REQUIRE(plain[1] > 0);
  REQUIRE(plain[2] > 0);
  const auto unseen = layers(with("seen", false));
  CHECK(unseen[1] == 0);
  CHECK(unseen[2] > 0);
  const auto unmirrored = layers(with("seen_mirrored", false));
  CHECK(unmirrored[1] == Approx(plain[1]).epsilon(0.02));
  CHECK(unmirrored[2] == 0);
  CHECK(layers(with("casts_shadow", false))[3] > 1.01 * plain[3]);
  const auto dark = layers(with("takes_light", false));
  CHECK(dark[1] == 0);
  CHECK(dark[4] == Approx(plain[4]));
  const auto cut = layers(with("cuts_out", true));
  CHECK(cut[1] == 0);
  CHECK(cut[4] < plain[4] - 0.05);
}

TEST_CASE("What catches shows its shadow in alpha and nothing of itself", "[render][switches]") {
  Set s(32, 32);
  s.look("0, 3, 3", "0, 0, 0", "40");
  s.lambert("Stone", "0.6, 0.6, 0.6");
  s.add("object.plane", "Ground", {{"width", "30"}, {"depth", "30"}, {"material", "Stone"}, {"catches", "on"}});
  s.add("object.sphere", "Ball", {{"radius", "0.3"}, {"position", "0, 0.6, 0"}, {"material", "Stone"}});
  s.add("light.point", "Lamp", {{"power", "900"}, {"radius", "0"}, {"position", "0, 3, 0"}});
  const Document doc = s.take();
  const Traced t = trace(doc, 32);
  float most = 0;
  double bare = 0;
  for (int x = 0; x < 32; ++x) bare += double(t.film().alpha(size_t(x)));
  for (size_t i = 0; i < 1024; ++i) most = std::max(most, t.film().alpha(i));
  CHECK(bare == Approx(0).margin(1e-6)); // the far edge of the ground: lit, so nothing is taken
  CHECK(most > 0.95f);
  CHECK(luminance(luminances(t).color(0, 0)) == 0);
}

TEST_CASE("Depth, normal and albedo are those of the surface first seen", "[render]") {
  Set s(8, 8);
  s.look("0, 3, 0", "0, 0, 0", "200");
  s.lambert("Ochre", "0.7, 0.4, 0.1");
  s.add("object.box", "Slab", {{"width", "4"}, {"height", "1"}, {"depth", "4"}, {"material", "Ochre"}});
  s.add("light.sky", "Sky", {});
  const Traced t = trace(s.take(), 8);
  const size_t i = 8 * 4 + 4;
  CHECK(t.film().depth(i) == Approx(2.5).epsilon(1e-3));
  CHECK(t.film().normal(i).y == Approx(1));
  const Color a = working({0.7, 0.4, 0.1});
  for (int c = 0; c < 3; ++c) CHECK(t.film().albedo(i)[c] == Approx(a[c]).epsilon(1e-4));
  CHECK(t.film().alpha(i) == 1);
}

TEST_CASE("Picking finds what is in front, and what is behind it", "[render]") {
  const Document doc = mixedSet();
  const Traced t = trace(doc, 1);
  float x, y;
  REQUIRE(t.scene->camera.project({0.9f, 0.5f, 0.6f}, x, y));
  V3f point;
  CHECK(pick(*t.scene, x, y, 0, point) == idOf(doc, "Window"));
  CHECK(point.z == Approx(0.6).margin(0.02));
  const NodeId behind = pick(*t.scene, x, y, 1, point);
  CHECK(behind != idOf(doc, "Window"));
  CHECK(behind != 0);
  CHECK(pick(*t.scene, 2, 1, 40, point) == 0);
}

TEST_CASE("An exact sphere has no facets, and its depth is the circle's", "[render]") {
  Set s(65, 65);
  s.look("0, 0, 10", "0, 0, 0", "300");
  s.lambert("White", "1, 1, 1");
  s.add("object.sphere", "Ball", {{"radius", "0.5"}, {"material", "White"}});
  const Traced t = trace(s.take(), 1);
  CHECK(t.film().depth(65 * 32 + 32) == Approx(9.5).epsilon(1e-4));
  // Squashed by its placement it is an ellipsoid.
  Set e(65, 65);
  e.look("0, 0, 10", "0, 0, 0", "300");
  e.lambert("White", "1, 1, 1");
  e.add("object.sphere", "Ball", {{"radius", "0.5"}, {"size", "1, 1, 0.5"}, {"material", "White"}});
  CHECK(trace(e.take(), 1).film().depth(65 * 32 + 32) == Approx(9.75).epsilon(1e-4));
}

TEST_CASE("A thin lens blurs what is out of focus and keeps the light", "[render]") {
  const auto edge = [](const char* stop, const char* focus) {
    Set s(64, 8);
    s.look("0, 0, 4", "0, 0, 0", "85");
    s.add("light.area", "Panel",
          {{"power", "1000"}, {"width", "2"}, {"height", "2"}, {"position", "1, 0, 0"}, {"target", "1, 0, 5"}});
    Document d = s.take();
    d = setAt(d, resolve(d, "Camera.f_stop"), parseValue(d, definitionAt(d, resolve(d, "Camera.f_stop")), stop));
    d = setAt(d, resolve(d, "Camera.focus"), parseValue(d, definitionAt(d, resolve(d, "Camera.focus")), focus));
    const Picture p = luminances(trace(d, 64));
    const double full = mean(p, {56, 0, 8, 8});
    int width = 0;
    for (int x = 0; x < 64; ++x) {
      const double v = mean(p, {x, 0, 1, 8}) / full;
      width += v > 0.05 && v < 0.95;
    }
    return width;
  };
  CHECK(edge("0", "4") <= 3);
  CHECK(edge("1.4", "4") <= 3);
  CHECK(edge("1.4", "0.5") > 12);
}

TEST_CASE("The firefly limit takes light only after two bounces, and is told", "[render]") {
  const Document doc = mixedSet();
  const Document limited = setValue(doc, doc.settings().id, "firefly_limit", Constant(0.01));
  const Traced a = trace(doc, 16), b = trace(limited, 16);
  CHECK(a.rendering.count().limited == 0);
  CHECK(b.rendering.count().limited > 0);
  CHECK(mean(luminances(b)) < mean(luminances(a)));
  const Document once = setValue(doc, doc.settings().id, "bounces", Constant(1.0)),
                 onceLimited = setValue(limited, doc.settings().id, "bounces", Constant(1.0));
  CHECK(mean(luminances(trace(once, 4))) == Approx(mean(luminances(trace(onceLimited, 4)))).epsilon(1e-5));
}

TEST_CASE("What cannot be built is left out and told by name", "[render]") {
  Set s;
  s.look("0, 0, 3", "0, 0, 0");
  s.add("object.mesh", "Gone", {{"file", "nowhere.glb"}});
  s.add("object.box", "Flat", {{"size", "1, 0, 1"}});
  s.add("light.sky", "Picture sky", {{"form", "picture"}, {"image", "nowhere.exr"}});
  const Traced t = trace(s.take(), 1);
  REQUIRE(t.scene->warnings.size() == 3);
  CHECK(t.scene->warnings[0].find("Gone") != std::string::npos);
  CHECK(t.scene->warnings[1].find("Flat.size") != std::string::npos);
  CHECK(t.scene->warnings[2].find("Picture sky") != std::string::npos);
}
