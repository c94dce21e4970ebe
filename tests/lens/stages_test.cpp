// What holds for every lens stage.
#include "core/document/units.h"
#include "core/image/picture_ops.h"
#include "core/lens/queries.h"
#include "tests/support/lens.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

std::vector<std::string> kindsOfStages() {
  std::vector<std::string> out;
  for (const LensStage& s : allStages()) out.push_back(s.kind.id);
  return out;
}

bool finite(const Picture& p) {
  return std::all_of(p.rgb.begin(), p.rgb.end(), [](float v) { return std::isfinite(v); });
}

// A stage that does something whatever the light: without a key, and of a light of its own where it needs one.
Document open(const std::string& kind) {
  Document doc = stageDocument(kind.c_str());
  if (doc.findByName("Stage")->kind->param("keyed")) doc = changed(doc, "Stage.keyed", "off");
  return doc;
}

} // namespace

TEST_CASE("Every stage has looks of its own that can be set", "[lens][stages]") {
  for (const LensStage& s : allStages()) {
    CAPTURE(s.kind.id);
    CHECK(s.looks.size() >= 6);
    std::set<std::string> names;
    for (const StageLook& look : s.looks) {
      CAPTURE(look.name);
      CHECK(names.insert(look.name).second);
      Document doc = stageDocument(s.kind.id.c_str());
      for (const auto& [param, value] : look.values) {
        CAPTURE(param, value);
        REQUIRE_NOTHROW(doc = changed(doc, "Stage." + param, value));
      }
      const Picture before = speckled(40, 30, 4);
      const LensResult r = lensed(doc, before);
      CHECK(finite(r.picture));
      CHECK_FALSE(isBlack(r.picture, pool()));
      REQUIRE(r.stages.size() == 1);
      // It does something, or says why not; a shadow needs something that stands before the light.
      const bool needsMore = look.name == "Cut-out shadow";
      CHECK((r.picture != before || needsMore || !r.stages[0].idle.empty()));
    }
  }
}

TEST_CASE("Every stage works at any size, down to one pixel", "[lens][stages]") {
  for (const std::string& kind : kindsOfStages()) {
    CAPTURE(kind);
    const Document doc = open(kind);
    for (const auto& [w, h] : {std::pair{1, 1}, {1, 7}, {13, 1}, {7, 5}, {33, 17}}) {
      CAPTURE(w, h);
      const LensResult r = lensed(doc, speckled(w, h, 3));
      REQUIRE(r.picture.width == w);
      REQUIRE(r.picture.height == h);
      CHECK(finite(r.picture));
      CHECK_FALSE(isBlack(r.picture, pool()));
    }
  }
}

TEST_CASE("What is no number is contained and told, and the rest stays as it is", "[lens][stages]") {
  for (const std::string& kind : kindsOfStages()) {
    CAPTURE(kind);
    const Document doc = open(kind);
    Picture p = speckled(24, 16, 2);
    p.at(5, 5)[1] = std::numeric_limits<float>::quiet_NaN();
    p.at(11, 8)[0] = std::numeric_limits<float>::infinity();
    p.at(12, 8)[2] = -std::numeric_limits<float>::infinity();
    const LensResult r = lensed(doc, p);
    CHECK(r.notNumbers == 3);
    CHECK(finite(r.picture));
    // As if the pixel had been the mean of its neighbours.
    Picture mended = p;
    const auto mean = [&](int x, int y) {
      Color sum(0.0f);
      int n = 0;
      for (int j = y - 1; j <= y + 1; ++j)
        for (int i = x - 1; i <= x + 1; ++i)
          if (ilumbra::finite(p.color(i, j))) {
            sum += p.color(i, j);
            ++n;
          }
      return sum * (1 / float(n));
    };
    for (const auto& [x, y] : {std::pair{5, 5}, {11, 8}, {12, 8}}) {
      const Color c = mean(x, y);
      for (int k = 0; k < 3; ++k) mended.at(x, y)[k] = c[k];
    }
    CHECK(r.picture == lensed(doc, mended).picture);
  }
}

TEST_CASE("Negative light, which colours outside the gamut have, breaks nothing", "[lens][stages]") {
  for (const std::string& kind : kindsOfStages()) {
    CAPTURE(kind);
    Picture p = speckled(24, 16, 2);
    for (size_t i = 0; i < p.rgb.size(); i += 7) p.rgb[i] = -0.3f;
    const LensResult r = lensed(open(kind), p);
    CHECK(finite(r.picture));
    CHECK(r.notNumbers == 0);
    CHECK_FALSE(isBlack(r.picture, pool()));
    // What little is missing stays little: no pixel goes further below 0 than a stage may multiply it.
    CHECK(*std::min_element(r.picture.rgb.begin(), r.picture.rgb.end()) > -30);
  }
}

TEST_CASE("At amount 0 a stage is the identity to the bit", "[lens][stages]") {
  for (const std::string& kind : kindsOfStages()) {
    CAPTURE(kind);
    const Picture p = speckled(31, 22, 5);
    const LensResult r = lensed(changed(open(kind), "Stage.amount", "0"), p);
    CHECK(r.picture == p);
    REQUIRE(r.stages.size() == 1);
    CHECK(r.stages[0].idle == "its amount is 0");
  }
}

TEST_CASE("Stages that are linear treat a sum as the sum of what they do to its parts", "[lens][stages][truth29]") {
  size_t linear = 0;
  for (const LensStage& s : allStages()) {
    if (!s.linear) continue;
    CAPTURE(s.kind.id);
    ++linear;
    const Document doc = open(s.kind.id);
    const Picture a = speckled(40, 28, 3, 1), b = onePixel(40, 28, 17, 9, Color(40, 3, 12));
    const auto change = [&](const Picture& p) {
      const LensWork w = worked(doc, p);
      Picture d = w.spread;
      for (size_t i = 0; i < d.rgb.size(); ++i) d.rgb[i] -= w.taken.rgb[i];
      return d;
    };
    // What displaces by the light itself, and what places itself by it, is not meant.
    CHECK(farthest(plus(change(a), change(b)), change(plus(a, b))) < 2e-4);
  }
  CHECK(linear >= 13);
}

TEST_CASE("Without what stages do written out the picture is the same", "[lens][stages]") {
  for (const std::string& kind : kindsOfStages()) {
    CAPTURE(kind);
    for (const bool half : {false, true}) {
      Document doc = open(kind);
      if (half) doc = changed(doc, "Stage.amount", "50 %");
      // In an effect, whose reading asks how much it spreads.
      NodeId effect = 0;
      doc = addNode(doc, "effect.glow", "Shine", {}, &effect);
      doc = setValue(doc, effect, "lens", Constant(std::vector<Reference>{{doc.findByName("Stage")->id, nullptr}}));
      const auto result = [&](bool works) {
        LensLight light;
        light.layers.push_back({{}, speckled(40, 28, 3)});
        light.alpha.assign(40 * 28, 0.5f);
        return applyLens(LensContext::of(doc, 1, 40, 28, pool()), std::move(light), {.works = works});
      };
      const LensResult with = result(true), without = result(false);
      CHECK((without.picture == with.picture));
      CHECK((without.alpha == with.alpha)); // to the bit: the window's picture is the command line's
      CHECK(without.stages[0].idle == with.stages[0].idle);
      CHECK(without.stages[0].work.spread.rgb.empty());
      CHECK(without.stages[0].light == Approx(with.stages[0].light).epsilon(1e-5));
      CHECK((with.stages[0].light == 0) ==
            (stageOf(*doc.findByName("Stage")).inPlace || sum(with.stages[0].work.spread) == 0));
    }
  }
}

TEST_CASE("What is named and lies in a part of the picture is worked on to the bit as if it were all of it",
          "[lens][stages]") {
  for (const std::string& kind : kindsOfStages()) {
    CAPTURE(kind);
    Document doc = open(kind);
    const NodeId lamp = [&] {
      NodeId made = 0;
      doc = addNode(doc, "light.point", "Lamp", {}, &made);
      return made;
    }();
    doc = setValue(doc, doc.findByName("Stage")->id, "sources", Constant(std::vector<Reference>{{lamp, nullptr}}));
    const LayerQuery query = sourceQuery(doc, *doc.findByName("Stage"));
    const Picture rest = speckled(90, 61, 1), lit = speckled(11, 7, 40, 5);
    const Region part{71, 2, 11, 7};
    // As it lies there, and as a picture that is black but for it.
    const auto result = [&](bool works, bool boxed) {
      LensLight light;
      light.layers.push_back({{}, rest});
      Picture whole(90, 61);
      addTo(whole, lit, part.x, part.y, pool());
      light.layers.push_back({{query}, boxed ? lit : whole, false, 0, boxed ? part : Region{}});
      light.alpha.assign(90 * 61, 0.25f);
      LensContext c = LensContext::of(doc, 1, 90, 61, pool());
      // With light beside the frame, so that all of it is cut to that in the end.
      c.left = 9;
      c.top = 5;
      c.frameWidth = 72;
      c.frameHeight = 50;
      return applyLens(c, std::move(light), {.works = works});
    };
    const LensResult want = result(true, false);
    for (const bool boxed : {false, true})
      for (const bool works : {false, true}) {
        const LensResult got = result(works, boxed);
        CHECK((got.picture == want.picture));
        CHECK((got.alpha == want.alpha));
        CHECK(got.stages[0].idle == want.stages[0].idle);
      }
    CHECK(want.picture.width == 72);
  }
}

TEST_CASE("How much a stage spreads is the same on any number of threads, to the bit", "[lens][stages]") {
  Document doc = stageDocument("lens.glow", {{"size", "3 %"}});
  NodeId effect = 0;
  doc = addNode(doc, "effect.glow", "Shine", {}, &effect);
  doc = setValue(doc, effect, "lens", Constant(std::vector<Reference>{{doc.findByName("Stage")->id, nullptr}}));
  const auto light = [&](const Tasks& tasks) {
    LensLight all;
    all.layers.push_back({{}, speckled(900, 300, 3)}); // many tiles
    return applyLens(LensContext::of(doc, 1, 900, 300, tasks), std::move(all), {.works = false}).stages[0].light;
  };
  const double one = light(Tasks(1));
  CHECK(one > 0);
  for (int k = 0; k < 8; ++k) CHECK(light(Tasks(4)) == one);
}

TEST_CASE("Every stage's shares of the layers sum to what it does to the whole", "[lens][stages][truth29]") {
  for (const std::string& kind : kindsOfStages()) {
    CAPTURE(kind);
    Document doc = stageDocument(kind.c_str());
    if (doc.findByName("Stage")->kind->param("key")) doc = changed(doc, "Stage.key", "-1 stops");
    const Picture a = speckled(40, 28, 2, 1), b = speckled(40, 28, 2, 99);
    LensLight light;
    light.layers.push_back({{}, a, false, 1});
    light.layers.push_back({{}, b, false, 2});
    const LensResult r = applyLens(LensContext::of(doc, 1, 40, 28, pool()), std::move(light));
    REQUIRE(r.shares.size() == 2);
    const Picture whole = lensed(doc, plus(a, b)).picture;
    CHECK(farthest(plus(r.shares[0].second, r.shares[1].second), whole) < 3e-4);
    CHECK(farthest(r.picture, whole) < 3e-4);
  }
}

TEST_CASE("A stage that does nothing says why", "[lens][stages]") {
  const Picture dim = speckled(24, 16, 0.5f);
  for (const std::string& kind : kindsOfStages()) {
    CAPTURE(kind);
    const Document doc = stageDocument(kind.c_str());
    CHECK(lensed(doc, Picture(24, 16)).stages[0].idle == "its sources give no light in the picture");
    if (doc.findByName("Stage")->kind->param("key")) {
      const LensResult r = lensed(changed(changed(doc, "Stage.keyed", "on"), "Stage.key", "3 stops"), dim);
      CHECK(r.stages[0].idle.find("key at 3 stops") != std::string::npos);
      CHECK(r.picture == dim);
    }
  }
  CHECK(lensed(stageDocument("lens.displace", {{"across", "0"}, {"down", "0"}}), dim)
            .stages[0]
            .idle.find("pushes nothing") != std::string::npos);
  CHECK(lensed(stageDocument("lens.grade"), dim).stages[0].idle == "it changes nothing with these values");
}
