#include "core/lens/stages/glow.h"

#include "core/base/error.h"
#include "core/document/units.h"
#include "core/image/picture_ops.h"
#include "core/lens/develop.h"
#include "core/lens/key.h"
#include "core/lens/queries.h"
#include "tests/support/lens.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

constexpr double pi64 = 3.14159265358979323846;

Document glowDocument(std::initializer_list<std::pair<const char*, const char*>> values = {}) {
  Set s(64, 64);
  s.look("0, 0, 3", "0, 0, 0");
  s.add("lens.glow", "Halo", values);
  return s.take();
}

// The glow's doing at full amount.
LensWork glow(const Document& doc, const Picture& source) {
  const Node& n = *doc.findByName("Halo");
  return writtenOut(stageOf(n)
                        .prepare(Params(n, 1), source, LensContext::of(doc, 1, source.width, source.height, pool()))
                        .apply(source),
                    source);
}

} // namespace

TEST_CASE("The kernel's integral is 1", "[lens][glow]") {
  const GaussianSum k = glowKernel(0.1f, 0.8f, 200);
  double integral = 0;
  for (double r = 0.005; r < 200; r += 0.01) integral += k.at(r) * 2 * pi64 * r * 0.01;
  CHECK(integral == Approx(1).epsilon(1e-3));
}

TEST_CASE("What a pixel gets is the kernel's integral over it", "[lens][glow]") {
  const GaussianSum k = glowKernel(0.02f, 1, 300);
  for (const auto& [x, y] : {std::pair{4, 0}, {7, 3}, {20, 11}}) {
    double want = 0;
    for (int j = 0; j < 20; ++j)
      for (int i = 0; i < 20; ++i) want += k.at(std::hypot(x + (i - 9.5) / 20, y + (j - 9.5) / 20)) / 400;
    CHECK(k.pixel(x, y) == Approx(want).epsilon(1e-3));
  }
  double sum = 0;
  for (int y = -60; y <= 60; ++y)
    for (int x = -60; x <= 60; ++x) sum += k.pixel(x, y);
  CHECK(sum == Approx(1).epsilon(1e-6));
}

TEST_CASE("Glow at amount 1 on a padded frame keeps the sum of light", "[lens][glow][truth28]") {
  for (const float size : {0.01f, 0.05f, 0.12f}) {
    // Padding of six times the widest lobe on all sides.
    const int height = 240, pad = int(6 * size * height) + 8, full = height + 2 * pad;
    const GaussianSum kernel = glowKernel(size, 1, height);
    Picture p(full, full);
    for (int i = 0; i < 40; ++i) p.at(pad + (i * 37) % height, pad + (i * 91) % height)[i % 3] = float(1 + i);
    const Picture out = convolve(p, kernel, pool());
    for (size_t c = 0; c < 3; ++c) CHECK(sum(out, c) == Approx(sum(p, c)).epsilon(1e-3));
  }
}

TEST_CASE("Glow commutes with exposure", "[lens][glow][truth28]") {
  const Document doc = glowDocument({{"amount", "100 %"}});
  Picture a = onePixel(96, 64, 40, 30), b = a;
  for (float& v : b.rgb) v *= 8;
  const Picture sa = glow(doc, a).spread, sb = glow(doc, b).spread;
  for (size_t i = 0; i < sa.rgb.size(); ++i) REQUIRE(8 * sa.rgb[i] == Approx(sb.rgb[i]).epsilon(1e-4).margin(1e-9));
}

TEST_CASE("At every pixel phase the response is the declared kernel", "[lens][glow][truth28]") {
  for (const float size : {0.008f, 0.03f, 0.09f, 0.17f}) {
    const int n = 400;
    const GaussianSum kernel = glowKernel(size, 1, n);
    double worst = 0;
    for (const int phase : {0, 1, 2, 3, 5, 7, 11, 15}) {
      const int cx = n / 2 + phase, cy = n / 2 + phase / 2;
      const Picture out = convolve(onePixel(n, n, cx, cy, Color(1.0f)), kernel, pool());
      double error = 0, norm = 0;
      for (int y = 0; y < n; ++y)
        for (int x = 0; x < n; ++x) {
          const double want = kernel.pixel(x - cx, y - cy);
          const double got = double(out.at(x, y)[0]);
          error += (got - want) * (got - want);
          norm += want * want;
        }
      worst = std::max(worst, std::sqrt(error / norm));
    }
    CAPTURE(size, worst);
    CHECK(worst <= 0.01);
  }
}

TEST_CASE("Equal radii from five pixels on are equally bright", "[lens][glow][truth28]") {
  const int n = 300, c = 150;
  const Picture out = convolve(onePixel(n, n, c, c, Color(1.0f)), glowKernel(0.06f, 1, n), pool());
  const auto at = [&](double r, double angle) {
    const double x = c + r * std::cos(angle), y = c + r * std::sin(angle);
    const int x0 = int(x), y0 = int(y);
    const double tx = x - x0, ty = y - y0;
    const auto v = [&](int i, int j) { return std::log(double(out.at(x0 + i, y0 + j)[0])); };
    return std::exp((v(0, 0) * (1 - tx) + v(1, 0) * tx) * (1 - ty) + (v(0, 1) * (1 - tx) + v(1, 1) * tx) * ty);
  };
  for (const double r : {5.0, 8.0, 13.0, 25.0, 50.0, 90.0}) {
    double mean = 0, least = 1e30, most = 0;
    for (int k = 0; k < 48; ++k) {
      const double v = at(r, k * 2 * pi64 / 48);
      mean += v / 48;
      least = std::min(least, v);
      most = std::max(most, v);
    }
    CAPTURE(r);
    CHECK((most - least) / mean <= 0.02); // within 1 % of the mean to either side
  }
}

TEST_CASE("Glow is linear without a key", "[lens][glow][truth29]") {
  const Document doc = glowDocument({{"amount", "40 %"}, {"size", "6 %"}});
  Picture a = onePixel(80, 60, 20, 30), b = onePixel(80, 60, 55, 12, Color(3, 50, 7)), both = a;
  for (size_t i = 0; i < both.rgb.size(); ++i) both.rgb[i] += b.rgb[i];
  const LensWork wa = glow(doc, a), wb = glow(doc, b), wab = glow(doc, both);
  for (size_t i = 0; i < both.rgb.size(); ++i) {
    REQUIRE(wa.spread.rgb[i] + wb.spread.rgb[i] == Approx(wab.spread.rgb[i]).epsilon(1e-4).margin(1e-6));
    REQUIRE(wa.taken.rgb[i] + wb.taken.rgb[i] == Approx(wab.taken.rgb[i]).epsilon(1e-5).margin(1e-6));
  }
}

TEST_CASE("With a key from the total, the shares of the layers sum to the whole", "[lens][glow][truth29]") {
  const Document doc = glowDocument({{"amount", "60 %"}, {"keyed", "on"}, {"key", "1"}, {"knee", "40 %"}});
  const Params p(*doc.findByName("Halo"), 1);
  Picture a(64, 48), b(64, 48), total(64, 48);
  for (size_t i = 0; i < a.rgb.size(); ++i) {
    a.rgb[i] = float((i * 7919) % 101) / 20;
    b.rgb[i] = float((i * 104729) % 89) / 15;
    total.rgb[i] = a.rgb[i] + b.rgb[i];
  }
  const LensOperator op = stageOf(p.node()).prepare(p, total, LensContext::of(doc, 1, 64, 48, pool()));
  const LensWork whole = op.apply(total), sa = op.apply(a), sb = op.apply(b);
  for (size_t i = 0; i < a.rgb.size(); ++i)
    REQUIRE(sa.spread.rgb[i] + sb.spread.rgb[i] == Approx(whole.spread.rgb[i]).epsilon(1e-4).margin(1e-5));
  // Each share is the kernel over the keyed layer.
  Picture keyed = a;
  for (size_t i = 0; i < keyed.pixels(); ++i) {
    const float k = keyShare(luminance(total.color(int(i) % 64, int(i) / 64)), 2, 0.4f);
    for (size_t c = 0; c < 3; ++c) keyed.rgb[3 * i + c] *= k;
  }
  const Picture expected = convolve(keyed, glowKernel(p.real("size"), p.real("falloff"), 48), pool());
  for (size_t i = 0; i < a.rgb.size(); ++i)
    REQUIRE(sa.spread.rgb[i] == Approx(expected.rgb[i]).epsilon(1e-4).margin(1e-5));
}

TEST_CASE("The key lets nothing pass below its knee, rises smoothly and keeps what lies above", "[lens][glow]") {
  CHECK(keyShare(0.4f, 1, 0.5f) == 0);
  CHECK(keyShare(0.5f, 1, 0.5f) == Approx(0).margin(1e-6));
  CHECK(keyShare(100, 1, 0.5f) == Approx(0.99f));
  CHECK(keyShare(7, 0, 0.5f) == 1);
  float before = 0;
  for (float y = 0.01f; y < 4; y += 0.01f) {
    const float pass = y * keyShare(y, 1, 0.7f);
    REQUIRE(pass >= before - 1e-6f);
    REQUIRE(pass - before < 0.0101f); // its slope never exceeds 1: no edge can be seen
    before = pass;
  }
}

TEST_CASE("What is spread is taken: the picture's light stays the same inside a wide frame", "[lens][glow]") {
  const Document doc = glowDocument({{"amount", "50 %"}, {"size", "3 %"}});
  const Picture in = onePixel(160, 160, 80, 80);
  const LensWork w = glow(doc, in);
  CHECK(sum(w.taken) == Approx(sum(in)));
  CHECK(sum(w.spread) == Approx(sum(w.taken)).epsilon(1e-3));
}

TEST_CASE("A tint keeps the luminance of white light and own colour ignores the light's", "[lens][glow]") {
  const Picture in = onePixel(160, 160, 80, 80, Color(10.0f));
  const auto lum = [](const Picture& p) {
    double s = 0;
    for (size_t i = 0; i < p.pixels(); ++i) s += double(luminance({p.rgb[3 * i], p.rgb[3 * i + 1], p.rgb[3 * i + 2]}));
    return s;
  };
  const LensWork tinted = glow(glowDocument({{"size", "3 %"}, {"tint", "0.2, 0.5, 1"}}), in);
  CHECK(lum(tinted.spread) == Approx(lum(tinted.taken)).epsilon(2e-3));
  CHECK(sum(tinted.spread, 2) > 1.5 * sum(tinted.spread, 0));
  const Picture red = onePixel(160, 160, 80, 80, Color(10, 0, 0));
  const LensWork own = glow(glowDocument({{"size", "3 %"}, {"color_from", "own"}}), red);
  CHECK(sum(own.spread, 0) == Approx(sum(own.spread, 2)).epsilon(1e-4));
}

namespace {

// Two lamps just as bright behind one pane, and a mirror that shows both; only the left one is a source.
Document twoLamps(bool confined) {
  Set s(96, 64);
  s.look("0, 0.6, 4", "0, 0.6, 0", "26");
  s.lambert("Black", "0, 0, 0");
  s.add("material.surface", "Mirror", {{"base_color", "1, 1, 1"}, {"metalness", "1"}, {"roughness", "0"}});
  s.add("material.surface", "Pane",
        {{"base_color", "1, 1, 1"}, {"transmission", "1"}, {"roughness", "0"}, {"thin", "on"}});
  s.add("object.box", "Window",
        {{"width", "3"}, {"height", "1.2"}, {"depth", "0.01"}, {"position", "0, 1.1, 1"}, {"material", "Pane"}});
  s.add("object.box", "Water",
        {{"width", "6"}, {"height", "0.02"}, {"depth", "8"}, {"position", "0, 0, 0"}, {"material", "Mirror"}});
  s.add("light.point", "Left lamp", {{"power", "700"}, {"radius", "0.12"}, {"position", "-0.7, 0.9, 0"}});
  s.add("light.point", "Right lamp", {{"power", "700"}, {"radius", "0.12"}, {"position", "0.7, 0.9, 0"}});
  s.add("effect.glow", "Left glow", {{"from", "Left lamp"}});
  s.add("lens.glow", "Halo", {{"amount", "50 %"}, {"size", "4 %"}});
  if (confined) s.set(s.find("Halo"), {{"sources", "Left glow"}});
  s.set(s.find("Left glow"), {{"lens", "Halo"}});
  return s.take();
}

} // namespace

TEST_CASE("The named lamp glows behind glass and in the mirror; the other, just as bright, does not",
          "[lens][glow][labels]") {
  const Document doc = twoLamps(true);
  const Traced t = trace(doc, 32);
  const LensResult r = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool());
  REQUIRE(r.stages.size() == 1);
  const Picture& taken = r.stages[0].work.taken;
  const double leftAbove = mean(taken, {0, 0, 48, 34}), leftBelow = mean(taken, {0, 34, 48, 30}),
               right = mean(taken, {48, 0, 48, 64});
  CHECK(leftAbove > 0);
  CHECK(leftBelow > 0);            // in the mirror
  CHECK(right < 1e-3 * leftAbove); // the other lamp, and its reflection, give nothing
  // Both are as bright in the picture itself.
  const Picture all = luminances(t);
  CHECK(mean(all, {48, 0, 48, 64}) == Approx(mean(all, {0, 0, 48, 64})).epsilon(0.05));
  // Unconfined, both glow.
  const Document open = twoLamps(false);
  const Traced u = trace(open, 32);
  const Picture both = develop(open, 1, *u.scene, u.film(), u.scene->groupScales, pool()).stages[0].work.taken;
  CHECK(mean(both, {48, 0, 48, 64}) == Approx(mean(both, {0, 0, 48, 64})).epsilon(0.05));
}

TEST_CASE("Streaks and ghosts of one lamp are of it alone, wherever it is seen", "[lens][streaks][ghosts][labels]") {
  for (const auto& [kind, values] :
       std::vector<std::pair<const char*, std::vector<std::pair<const char*, const char*>>>>{
           {"lens.streaks", {{"rays", "4"}, {"keyed", "off"}}}, {"lens.ghosts", {{"keyed", "off"}}}}) {
    CAPTURE(kind);
    const auto light = [&, kind = kind, values = values](const char* sources, const char* off) {
      Document doc = addNode(twoLamps(true), kind, "Added", {});
      for (const auto& [name, value] : values) doc = changed(doc, std::string("Added.") + name, value);
      doc = changed(changed(changed(doc, "Added.sources", sources), "Halo.on", "off"), "Camera.compensation",
                    "8"); // ghosts are faint
      const Traced t = trace(doc, 16);
      // As if one lamp gave nothing: the mix alone, no other paths.
      std::vector<Color> groupScales = t.scene->groupScales;
      for (size_t g = 0; g < groupScales.size(); ++g)
        if (t.scene->groups[g].name == off) groupScales[g] = Color(0.0f);
      const LensResult r = develop(doc, 1, *t.scene, t.film(), groupScales, pool());
      REQUIRE(r.stages.size() == 1);
      return r.stages[0].work.spread;
    };
    const Picture left = light("Left lamp", ""), alone = light("Left lamp", "Right lamp"),
                  other = light("Left lamp", "Left lamp");
    CHECK(mean(left) > 0);
    CHECK(farthest(left, alone) < 1e-6); // nothing of the other lamp
    CHECK(mean(other) == 0);
    const Picture both = light("Left lamp, Right lamp", "");
    CHECK(mean(both) == Approx(2 * mean(left)).epsilon(0.2));
  }
}

TEST_CASE("How the source is seen can be chosen", "[lens][glow][labels]") {
  const Document doc = twoLamps(true);
  const auto taken = [&](const char* param) {
    const Document d = setAt(doc, resolve(doc, std::string("Halo.") + param), Constant(false));
    const Traced t = trace(d, 16);
    return develop(d, 1, *t.scene, t.film(), t.scene->groupScales, pool()).stages[0].work.taken;
  };
  CHECK(mean(taken("mirrored"), {0, 44, 48, 20}) == 0);
  CHECK(mean(taken("through"), {0, 0, 48, 26}) == 0);
  CHECK(mean(taken("direct"), {0, 0, 48, 26}) > 0); // behind the pane it is not seen directly
}

TEST_CASE("The shares of a glow by light sum to it exactly", "[lens][glow][truth29]") {
  const Document doc = twoLamps(false);
  const Traced t = trace(doc, 8);
  const LensResult r = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool());
  std::vector<int> groups;
  for (int g = 0; g < t.film().groups(); ++g) groups.push_back(g);
  Picture total(96, 64);
  for (const Picture& share : lightShares(doc, 1, *t.scene, t.film(), t.scene->groupScales, groups, pool()))
    total = plus(total, share);
  for (size_t i = 0; i < total.rgb.size(); ++i)
    REQUIRE(total.rgb[i] == Approx(r.picture.rgb[i]).epsilon(1e-4).margin(1e-6));
}

TEST_CASE("A stage rests when it is off, or when all its effects are", "[lens]") {
  Document doc = twoLamps(true);
  const auto acts = [&] { return stageActs(doc, *doc.findByName("Halo"), 1); };
  CHECK(acts());
  doc = setAt(doc, resolve(doc, "Left glow.on"), Constant(false));
  CHECK_FALSE(acts());
  doc = setAt(doc, resolve(doc, "Left glow.on"), Constant(true));
  doc = setAt(doc, resolve(doc, "Halo.on"), Constant(false));
  CHECK_FALSE(acts());
  const Traced t = trace(doc, 2);
  const LensResult r = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool());
  CHECK(r.stages.empty());
  CHECK(r.picture == develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool(), {.on = false}).picture);
}

TEST_CASE("Stages that ask for the same light share a film layer", "[lens]") {
  Document doc = twoLamps(true);
  NodeId more = 0;
  doc = addNode(doc, "lens.glow", "Second", {}, &more);
  CHECK(lensQueries(doc).size() == 2);
  doc = setAt(doc, resolve(doc, "Second.sources"),
              parseValue(doc, definitionAt(doc, resolve(doc, "Second.sources")), "Left lamp"));
  CHECK(lensQueries(doc).size() == 2);
  doc = setAt(doc, resolve(doc, "Second.sources"),
              parseValue(doc, definitionAt(doc, resolve(doc, "Second.sources")), "Right lamp"));
  CHECK(lensQueries(doc).size() == 3);
}

TEST_CASE("Light developed from collected layers is the light developed from the film", "[lens][denoise]") {
  Set s(48, 32);
  s.look("0, 0.5, 3", "0, 0.3, 0", "40");
  s.lambert("Stone", "0.5, 0.5, 0.5");
  s.add("object.plane", "Floor", {{"width", "10"}, {"depth", "10"}, {"material", "Stone"}});
  s.add("light.point", "Lamp", {{"power", "600"}, {"radius", "0.1"}, {"position", "0, 0.6, 0"}});
  s.add("lens.glow", "Halo", {{"sources", "Lamp"}, {"amount", "40 %"}});
  const Document doc = s.take();
  const Traced t = trace(doc, 4);
  const LensResult film = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool());
  const SceneLight layers = sceneLight(*t.scene, t.film(), t.scene->groupScales, pool());
  REQUIRE(layers.layers.size() == size_t(t.scene->table.size()));
  const LensResult again = develop(doc, 1, *t.scene, t.film(), layers, pool());
  REQUIRE(again.stages.size() == 1);
  for (size_t i = 0; i < film.picture.rgb.size(); ++i)
    REQUIRE(again.picture.rgb[i] == Approx(film.picture.rgb[i]).epsilon(1e-4).margin(1e-6));
  // Denoised sources keep what the lens spreads inside what the picture has of them: nothing glows that is not there.
  const Denoiser denoiser(t.film(), pool());
  const SceneLight clean = sceneLight(*t.scene, t.film(), t.scene->groupScales, pool(), &denoiser);
  const Picture source = queryLight(*t.scene, clean, lensQueries(doc)[1]),
                all = queryLight(*t.scene, clean, lensQueries(doc)[0]);
  for (size_t i = 0; i < all.rgb.size(); ++i) REQUIRE(source.rgb[i] <= all.rgb[i] * 1.001f + 1e-4f);
  CancelFlag cancel;
  cancel.request();
  CHECK_THROWS_AS(sceneLight(*t.scene, t.film(), t.scene->groupScales, pool(), &denoiser, &cancel), Error);
}

TEST_CASE("Light that lies in a part is spread to the bit as in the whole picture, and nowhere else", "[lens][glow]") {
  const int w = 203, h = 117;
  for (const float size : {0.002f, 0.01f, 0.03f, 0.12f}) {
    const GaussianSum kernel = glowKernel(size, 0.9f, h);
    for (const Region& part : {Region{90, 50, 17, 9}, Region{0, 0, 5, 5}, Region{198, 112, 5, 5},
                               Region{101, 0, 1, 117}, Region{0, 33, 203, 2}, Region{37, 21, 1, 1}}) {
      CAPTURE(size, part.x, part.y);
      const Picture light = speckled(part.width, part.height, 50);
      Picture all(w, h);
      addTo(all, light, part.x, part.y, pool());
      const Picture want = convolve(all, kernel, pool());
      const Region to = convolvedRegion(kernel, part, w, h);
      const Picture got = convolve(light, part, kernel, to, pool());
      CHECK((size > 0.1f || to.width < w || to.height < h || part.width == w));
      REQUIRE((got == cropped(want, to, pool())));
      Picture back(w, h);
      addTo(back, got, to.x, to.y, pool());
      REQUIRE((back == want));
    }
  }
}
