// What an artist may say of caustics: each value does what it says, and the light of each lamp goes where it is sent.
#include "core/compile/compile.h"
#include "core/document/edit.h"
#include "core/label/layer_query.h"
#include "core/transport/photons.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// A small lamp over a ball of clear glass on a table, seen from above.
Set table(int size = 32) {
  Set s(size, size);
  s.look("0, 2.4, 0.01", "0, 0, 0", "70");
  s.lambert("Grey", "0.5, 0.5, 0.5");
  s.add("material.surface", "Glass",
        {{"base_color", "1, 1, 1"}, {"roughness", "0"}, {"ior", "1.5"}, {"transmission", "1"}});
  s.add("object.plane", "Table", {{"width", "6"}, {"depth", "6"}, {"material", "Grey"}});
  s.add("object.sphere", "Ball", {{"radius", "0.2"}, {"position", "0.1, 0.21, 0"}, {"material", "Glass"}});
  s.add("light.point", "Lamp", {{"power", "1000"}, {"position", "-0.6, 1.2, 0"}, {"radius", "0.02"}});
  s.add("effect.caustics", "Caustics",
        {{"from", "Lamp"}, {"through", "Ball"}, {"photons", "60000"}, {"edge", "30 %"}, {"steady", "on"}});
  return s;
}

ScenePtr compiled(const Document& doc) {
  static SceneCache cache;
  return compileScene(doc, {}, noAssets(), cache);
}

Color powerOf(const PhotonMap& map) {
  Color sum(0.0f);
  for (const auto& sheet : map.grids())
    for (const Photon& p : sheet.photons) sum += p.power;
  return sum;
}
Color powerOf(const Document& doc) {
  const ScenePtr scene = compiled(doc);
  REQUIRE(scene->caustics);
  const CancelFlag none;
  return powerOf(*tracePhotons(*scene, 0, 1, pool(), none));
}

// The film layer of caustics.
Picture pattern(const Document& doc, uint32_t samples) {
  const Traced t = [&] {
    static SceneCache cache;
    Traced out;
    out.scene = compileScene(doc, {.queries = {causticsLayer()}}, noAssets(), cache);
    out.rendering.restart(out.scene);
    const CancelFlag none;
    out.rendering.advance(pool(), samples, none);
    return out;
  }();
  return luminances(t, 1);
}

Document with(const Set& s, const char* node, const char* param, const char* value) {
  const Document& doc = s.peek();
  const NodeId id = s.find(node);
  return setValue(doc, id, param, parseValue(doc, *doc.find(id)->kind->param(param), value));
}

} // namespace

TEST_CASE("Strength, saturation and cut-off act on the photons, which light, surfaces and carry choose among them",
          "[caustics]") {
  const Set s = table();
  const Color plain = powerOf(s.peek());
  CHECK(double(powerOf(with(s, "Caustics", "strength", "3")).y) == Approx(3 * double(plain.y)).epsilon(1e-3));

  const Color mirrored = powerOf(with(s, "Caustics", "light", "mirrored")),
              through = powerOf(with(s, "Caustics", "light", "let through"));
  CHECK(double(mirrored.y + through.y) == Approx(double(plain.y)).epsilon(1e-3));
  CHECK(mirrored.y > 0);
  CHECK(through.y > 4 * mirrored.y); // glass mirrors little

  // A ball has two surfaces; what is mirrored inside it has more.
  const double two = double(powerOf(with(s, "Caustics", "surfaces", "2")).y),
               four = double(powerOf(with(s, "Caustics", "surfaces", "4")).y);
  CHECK(two > 0.85 * double(plain.y));
  CHECK(two < 0.999 * double(plain.y));
  CHECK(four > two); // after three it goes up
  CHECK(four < double(plain.y));

  CHECK(double(powerOf(with(s, "Caustics", "carry", "100 %")).y) > 1.5 * double(plain.y));
  // The largest photons stay; those that many surfaces have thinned are gone.
  const double cut = double(powerOf(with(s, "Caustics", "cut_off", "50 %")).y);
  CHECK(cut <= double(plain.y));
  CHECK(cut > 0.5 * double(plain.y));
}

TEST_CASE("Saturation draws the colours of a pattern apart and leaves its light", "[caustics]") {
  Set s = table();
  s.set(s.find("Glass"), {{"attenuation_color", "0.9, 0.4, 0.1"}, {"attenuation_depth", "0.4"}});
  const Color plain = powerOf(s.peek()), grey = powerOf(with(s, "Caustics", "saturation", "0 %")),
              rich = powerOf(with(s, "Caustics", "saturation", "150 %"));
  CHECK(double(luminance(grey)) == Approx(double(luminance(plain))).epsilon(1e-3));
  CHECK(double(grey.x) == Approx(double(grey.z)).epsilon(1e-3));
  CHECK(plain.x > 1.5f * plain.z); // amber light
  CHECK(rich.x / rich.z > plain.x / plain.z);
}

TEST_CASE("Where few photons come they are spread further: less grain, and all the light", "[caustics]") {
  const Set s = table();
  const Document sharp = with(s, "Caustics", "edge", "60 %");
  const auto gathered = [&](const char* n) {
    return setValue(sharp, s.find("Caustics"), "gathered",
                    parseValue(sharp, *sharp.find(s.find("Caustics"))->kind->param("gathered"), n));
  };
  const auto seeded = [](const Document& doc, double seed) {
    return setValue(doc, doc.settings().id, "seed", Constant(seed));
  };
  const auto grain = [&](const char* n) {
    const Picture a = pattern(seeded(gathered(n), 1), 2), b = pattern(seeded(gathered(n), 2), 2);
    double sum = 0;
    for (size_t i = 0; i < a.rgb.size(); ++i) sum += std::pow(double(a.rgb[i] - b.rgb[i]), 2);
    return sum;
  };
  CHECK(mean(pattern(gathered("200"), 32)) == Approx(mean(pattern(gathered("0"), 32))).epsilon(0.03));
  CHECK(grain("200") < 0.7 * grain("0"));
  // The map itself: every photon has a radius of its own, between the edge and eight times that.
  const ScenePtr scene = compiled(gathered("200"));
  const CancelFlag none;
  const auto map = tracePhotons(*scene, 0, 1, pool(), none);
  const float edge = scene->caustics->rules().front().radius;
  size_t wide = 0, all = 0;
  for (const auto& sheet : map->grids())
    for (const Photon& p : sheet.photons) {
      REQUIRE(p.radius >= 0.999f * edge);
      REQUIRE(p.radius <= 1.001f * PhotonMap::furthest * edge);
      REQUIRE(p.radius <= 1.001f * sheet.radius);
      wide += p.radius > 1.5f * edge;
      ++all;
    }
  CHECK(wide > 0);
  CHECK(wide < all);
}

TEST_CASE("A limit on all photons uses those there are again", "[caustics]") {
  const Set s = table();
  const ScenePtr scene = compiled(with(s, "Caustics", "all_photons", "0.12")); // two passes
  const CausticRule& rule = scene->caustics->rules().front();
  CHECK(rule.passes == 2);
  CHECK(scene->caustics->same(0, 2));
  CHECK_FALSE(scene->caustics->same(0, 1));
  const CancelFlag none;
  const auto first = tracePhotons(*scene, 1, 1, pool(), none), third = tracePhotons(*scene, 3, 1, pool(), none);
  REQUIRE(first->grids()[0].photons.size() == third->grids()[0].photons.size());
  CHECK(first->grids()[0].photons[7].place == third->grids()[0].photons[7].place);
}

TEST_CASE("The edge goes from soft to sharp, and a steady one stays as it is", "[caustics]") {
  const Set s = table();
  float last = 1e9f;
  for (const char* edge : {"0 %", "50 %", "100 %"}) {
    const CausticRule rule = compiled(with(s, "Caustics", "edge", edge))->caustics->rules().front();
    CHECK(rule.radius < 0.5f * last);
    CHECK(rule.radiusOf(100) == rule.radius);
    last = rule.radius;
  }
  const CausticRule shrinks = compiled(with(s, "Caustics", "steady", "off"))->caustics->rules().front();
  CHECK(shrinks.radiusOf(100) < 0.6f * shrinks.radius);
}

TEST_CASE("What photons do not carry of a lamp, paths do: the light of a table is the same", "[caustics]") {
  // Under a large lamp, so that paths find it too.
  Set s = table(16);
  s.set(s.find("Lamp"), {{"radius", "0.3"}}); // large enough for camera paths to find it
  s.set(s.find("Caustics"), {{"steady", "off"}, {"edge", "60 %"}});
  s.set(s.find("Ball"), {{"light_through", "focused"}});
  const Estimate photons = estimate(s.peek(), 32);
  const auto paths = [&](const Document& doc) {
    const Estimate e = estimate(doc, 512);
    CAPTURE(photons.mean, photons.se, e.mean, e.se);
    CHECK(std::abs(photons.mean - e.mean) < 3 * std::hypot(photons.se, e.se) + 0.01 * e.mean);
  };
  paths(with(s, "Lamp", "caustics", "off")); // left alone by effects, still focused
  paths(with(s, "Caustics", "on", "off"));
  // A lamp that blocks: dark under the ball, and no photons.
  const Document blocked = with(s, "Lamp", "clear_shadows", "blocked");
  CHECK_FALSE(compiled(blocked)->caustics);
  CHECK(estimate(blocked, 64).mean < 0.999 * photons.mean);
}

TEST_CASE("What is rough but narrow is a link of the chain: photons and paths give the same light", "[caustics]") {
  Set s = table(16);
  s.set(s.find("Lamp"), {{"radius", "0.3"}}); // large enough for camera paths to find it
  s.set(s.find("Caustics"), {{"steady", "off"}, {"edge", "60 %"}, {"photons", "20000"}});
  s.set(s.find("Ball"), {{"light_through", "focused"}});
  s.add("material.surface", "Metal", {{"base_color", "0.9, 0.9, 0.9"}, {"metalness", "1"}, {"roughness", "0.2"}});
  const auto agree = [&] {
    const Estimate photons = estimate(s.peek(), 48);
    s.set(s.find("Caustics"), {{"on", "off"}});
    const Estimate paths = estimate(s.peek(), 96);
    s.set(s.find("Caustics"), {{"on", "on"}, {"strength", "0"}});
    const Estimate without = estimate(s.peek(), 16, {}, 2);
    s.set(s.find("Caustics"), {{"strength", "1"}});
    CAPTURE(photons.mean, photons.se, paths.mean, paths.se, without.mean);
    CHECK(std::abs(photons.mean - paths.mean) < 3 * std::hypot(photons.se, paths.se) + 0.004 * paths.mean);
    CHECK(paths.se < 0.01 * paths.mean);
    CHECK(without.mean < 0.99 * photons.mean); // or it would tell nothing
  };
  SECTION("rough glass") {
    s.set(s.find("Glass"), {{"roughness", "0.18"}});
    agree();
  }
  SECTION("brushed metal, and the table beside it") {
    s.set(s.find("Ball"), {{"material", "Metal"}});
    agree();
  }
  SECTION("glass that shines onto metal that shines onto the table") {
    s.add("object.box", "Plate",
          {{"width", "0.5"},
           {"height", "0.5"},
           {"depth", "20 mm"},
           {"position", "0.2, 0.25, -0.3"},
           {"material", "Metal"}});
    s.set(s.find("Caustics"), {{"through", "Ball, Plate"}});
    agree();
  }
}

TEST_CASE("A lamp's own word about clear shadows stands above that of things", "[caustics]") {
  Set s = table(16);
  s.set(s.find("Caustics"), {{"on", "off"}});
  const auto under = [&](const char* thing, const char* lamp) {
    s.set(s.find("Ball"), {{"light_through", thing}});
    s.set(s.find("Lamp"), {{"clear_shadows", lamp}});
    return estimate(s.peek(), 128).mean;
  };
  const double straight = under("straight", "as they say"), blocked = under("blocked", "as they say");
  CHECK(blocked < 0.98 * straight);
  CHECK(under("blocked", "straight") == Approx(straight).epsilon(0.01));
  CHECK(under("focused", "straight") == Approx(straight).epsilon(0.01));
  CHECK(under("straight", "blocked") == Approx(blocked).epsilon(0.01));
  CHECK(under("focused", "blocked") == Approx(blocked).epsilon(0.01));
  // Focused by the lamp on a thing that blocks: photons carry it again.
  s.set(s.find("Caustics"), {{"on", "on"}});
  s.set(s.find("Ball"), {{"light_through", "blocked"}});
  s.set(s.find("Lamp"), {{"clear_shadows", "as they say"}});
  CHECK(mean(pattern(s.peek(), 2)) == 0);
  s.set(s.find("Lamp"), {{"clear_shadows", "focused"}});
  CHECK(mean(pattern(s.peek(), 2)) > 0);
}

TEST_CASE("Caustics are split by light, and mix without a new render", "[caustics]") {
  Set s = table();
  s.add("light.point", "Red lamp",
        {{"power", "600"}, {"color", "1, 0.2, 0.1"}, {"position", "0.9, 1.1, 0.2"}, {"radius", "0.02"}});
  s.set(s.find("Caustics"), {{"from", "Lamp, Red lamp"}});
  static SceneCache cache;
  const ScenePtr scene = compileScene(s.peek(), {.queries = {causticsLayer()}}, noAssets(), cache);
  Rendering r;
  r.restart(scene);
  const CancelFlag none;
  r.advance(pool(), 4, none);
  const Document dimmed = with(s, "Lamp", "stops", "-2");
  const std::vector<Color> groupScales = balancedScales(*scene, dimmed, 1);
  REQUIRE_FALSE(groupScales.empty());
  const Picture mixed = collect(r.film(), 1, groupScales, 1, pool());
  Rendering again;
  again.restart(compileScene(dimmed, {.queries = {causticsLayer()}}, noAssets(), cache));
  again.advance(pool(), 4, none);
  const Picture fresh = collect(again.film(), 1, again.scene().groupScales, 1, pool());
  double most = 0, apart = 0;
  for (size_t i = 0; i < mixed.rgb.size(); ++i) {
    most = std::max(most, double(fresh.rgb[i]));
    apart = std::max(apart, double(std::abs(mixed.rgb[i] - fresh.rgb[i])));
  }
  CHECK(most > 0);
  CHECK(apart < 1e-3 * most);
  const Picture one = collectGroup(r.film(), 1, 0, groupScales[0], 1, pool()),
                two = collectGroup(r.film(), 1, 1, groupScales[1], 1, pool());
  CHECK(mean(one) > 0);
  CHECK(mean(two) > 0);
  CHECK(mean(one) + mean(two) == Approx(mean(mixed)).epsilon(1e-4));
}

TEST_CASE("The four ways of light sum to all of it, with photons too", "[caustics]") {
  const Set s = table(16);
  static SceneCache cache;
  std::vector<LayerQuery> passes(lightPasses().begin(), lightPasses().begin() + 4);
  const ScenePtr scene = compileScene(s.peek(), {.queries = passes}, noAssets(), cache);
  Rendering r;
  r.restart(scene);
  const CancelFlag none;
  r.advance(pool(), 4, none);
  const Picture all = collect(r.film(), 0, scene->groupScales, 1, pool());
  Picture sum(all.width, all.height);
  for (int q = 1; q <= 4; ++q) {
    const Picture p = collect(r.film(), q, scene->groupScales, 1, pool());
    for (size_t i = 0; i < sum.rgb.size(); ++i) sum.rgb[i] += p.rgb[i];
  }
  for (size_t i = 0; i < sum.rgb.size(); ++i) REQUIRE(sum.rgb[i] == Approx(all.rgb[i]).epsilon(1e-3).margin(1e-6));
}

TEST_CASE("A steady pattern stands still from frame to frame where little moves", "[caustics]") {
  // Water that has hardly moved: the picture changes by far less than its own grain.
  Set s(24, 24);
  s.look("0, 1.5, 2.2", "0, -0.4, 0", "50");
  s.lambert("Grey", "0.5, 0.5, 0.5");
  s.add("material.surface", "Water",
        {{"base_color", "1, 1, 1"}, {"roughness", "0"}, {"ior", "1.33"}, {"transmission", "1"}});
  s.add("object.box", "Floor",
        {{"width", "4"}, {"height", "0.1"}, {"depth", "4"}, {"position", "0, -0.6, 0"}, {"material", "Grey"}});
  const NodeId pool0 =
      s.add("object.water", "Pool", {{"width", "2"}, {"length", "2"}, {"depth", "0.4"}, {"material", "Water"}});
  s.add("water.wave", "Wave", {{"height", "8 mm"}, {"wavelength", "0.3"}}, {pool0, "waves"});
  s.add("light.sun", "Sun", {{"power", "20000"}, {"height", "60"}});
  s.add("effect.caustics", "Caustics",
        {{"from", "Sun"},
         {"through", "Pool"},
         {"onto", "Floor"},
         {"photons", "40000"},
         {"edge", "50 %"},
         {"steady", "on"}});
  static SceneCache cache;
  const auto at = [&](double frame, const char* seed) {
    const Document doc = setValue(s.peek(), s.peek().settings().id, "seed",
                                  parseValue(s.peek(), *s.peek().settings().kind->param("seed"), seed));
    Traced t;
    t.scene = compileScene(doc, {.frame = frame, .queries = {causticsLayer()}}, noAssets(), cache);
    REQUIRE(t.scene->warnings.empty());
    REQUIRE(t.scene->caustics);
    t.rendering.restart(t.scene);
    const CancelFlag none;
    t.rendering.advance(pool(), 2, none);
    return luminances(t, 1);
  };
  const Picture one = at(10, "1"), next = at(10.02, "1"), other = at(10, "2");
  double moved = 0, grain = 0;
  for (size_t i = 0; i < one.rgb.size(); ++i) {
    moved += std::pow(double(one.rgb[i] - next.rgb[i]), 2);
    grain += std::pow(double(one.rgb[i] - other.rgb[i]), 2);
  }
  REQUIRE(mean(one) > 0);
  CHECK(grain > 0);
  CHECK(moved < 0.1 * grain);
}

TEST_CASE("A flint prism lays out a spectrum in its order: red is bent least, blue most", "[caustics][dispersion]") {
  Set s;
  s.look("0, 0, 4", "0, 0, 0");
  s.lambert("White", "0.8, 0.8, 0.8");
  s.preset("Flint", "Dense flint glass");
  s.add("object.prism", "Prism", {{"radius", "0.1"}, {"length", "1"}, {"material", "Flint"}});
  s.add("object.box", "Wall",
        {{"width", "0.1"}, {"height", "6"}, {"depth", "6"}, {"position", "2.05, -1, 0"}, {"material", "White"}});
  // At about the least deviation of an index of 1.79: in and out 33 degrees from the horizon.
  s.add("light.spot", "Lamp",
        {{"power", "100"},
         {"position", "-1.68, -1.09, 0"},
         {"target", "0, 0, 0"},
         {"cone", "1.2"},
         {"edge", "0"},
         {"radius", "1 mm"}});
  s.add("effect.caustics", "Caustics",
        {{"from", "Lamp"},
         {"through", "Prism"},
         {"onto", "Wall"},
         {"photons", "40000"},
         {"light", "let through"},
         {"surfaces", "2"}});
  const ScenePtr scene = compiled(s.peek());
  REQUIRE(scene->caustics);
  const CancelFlag none;
  const auto map = tracePhotons(*scene, 0, 1, pool(), none);
  double height[3] = {0, 0, 0}, all[3] = {0, 0, 0};
  for (const auto& sheet : map->grids())
    for (const Photon& p : sheet.photons)
      for (int c = 0; c < 3; ++c) {
        const double only =
            std::max(0.0, double(p.power[c]) -
                              0.5 * double(p.power[(c + 1) % 3] + p.power[(c + 2) % 3])); // what makes it that colour
        height[c] += only * double(p.place.y);
        all[c] += only;
      }
  for (int c = 0; c < 3; ++c) {
    REQUIRE(all[c] > 0);
    height[c] /= all[c];
  }
  CAPTURE(height[0], height[1], height[2]);
  CHECK(height[0] > height[1] + 0.01);
  CHECK(height[1] > height[2] + 0.01);
}

TEST_CASE("Facets break a pattern up into pieces that a smooth shape draws as a curve", "[caustics]") {
  Set s = table();
  const auto unevenness = [&](const char* kind) {
    Set t = s;
    if (std::string(kind) == "gem") {
      t.set(t.find("Ball"), {{"shown", "off"}});
      t.add("object.gem", "Gem", {{"radius", "0.2"}, {"position", "0.1, 0.3, 0"}, {"material", "Glass"}});
      t.set(t.find("Caustics"), {{"through", "Gem"}});
    }
    const ScenePtr scene = compiled(t.peek());
    REQUIRE(scene->caustics);
    const CancelFlag none;
    const auto map = tracePhotons(*scene, 0, 2, pool(), none);
    // By cells of a centimetre and a half: how often light and shade follow each other along rows.
    constexpr int n = 80;
    std::vector<double> cell(n * n, 0.0);
    double sum = 0;
    for (const auto& sheet : map->grids())
      for (const Photon& p : sheet.photons) {
        const int x = int((p.place.x + 0.6f) / 0.015f), z = int((p.place.z + 0.6f) / 0.015f);
        if (x < 0 || z < 0 || x >= n || z >= n || std::abs(p.place.y) > 1e-3f) continue;
        cell[size_t(z * n + x)] += double(p.power.y);
        sum += double(p.power.y);
      }
    int pieces = 0;
    for (int z = 0; z < n; ++z)
      for (int x = 1; x < n; ++x)
        pieces += (cell[size_t(z * n + x)] > 4 * sum / (n * n)) != (cell[size_t(z * n + x - 1)] > 4 * sum / (n * n));
    return pieces;
  };
  CHECK(unevenness("gem") > 2 * unevenness("ball"));
}
