// The scenes that a person meets first: each works, and says what it promises.
#include "core/compile/camera.h"
#include "core/compile/compile.h"
#include "core/compile/even_patterns.h"
#include "core/document/loop.h"
#include "core/effects/effect.h"
#include "core/effects/route.h"
#include "core/exchange/assets.h"
#include "core/lens/queries.h"
#include "demo/starters.h"
#include "tests/support/scene.h"

#include <filesystem>
#include <set>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

struct Opened {
  TemporaryFolder folder;
  AssetCache cache;
  Document doc;
  explicit Opened(const Starter& s) : doc(writeStarter(s, kinds(), folder / "scene.ilum")) {
    doc = setValue(setValue(doc, doc.settings().id, "width", Constant(160.0)), doc.settings().id, "height",
                   Constant(90.0));
  }
  Traced render(uint32_t samples) { return trace(doc, samples, 0, cache.assets(folder.path())); }
};

} // namespace

// Compiled and rendered once for all that is asked of it: its files, its effects and its exposure.
TEST_CASE("Every starter is whole, all its effects work, and its picture is neither dark nor burnt out",
          "[demo][route]") {
  std::set<std::string> names;
  for (const Starter& s : allStarters()) {
    CAPTURE(s.name);
    CHECK(names.insert(s.name).second);
    CHECK_FALSE(s.teaches.empty());
    CHECK(s.teaches.back() != '.');
    Opened o(s);
    const Traced t = o.render(12);
    {
      std::string warnings;
      for (const std::string& w : t.scene->warnings) warnings += w + "\n";
      CAPTURE(warnings);
      CHECK(warnings.empty());
    }
    CHECK(activeCamera(o.doc));
    CHECK_FALSE(o.doc.family("light").empty());
    CHECK_FALSE(o.doc.family("effect").empty());
    CHECK(problems(o.doc).empty());
    const LensResult developed = develop(o.doc, 1, *t.scene, t.film(), t.scene->groupScales, pool());
    // Light is given, seen and spread.
    for (const Node* e : o.doc.family("effect")) {
      const Route r = measureRoute(o.doc, e->id, 1, *t.scene, t.film(), t.scene->groupScales, developed, pool());
      std::string findings;
      for (const Finding& f : r.findings) findings += f.text + "\n";
      CAPTURE(e->name, findings);
      CHECK(stateWord(r, true) == "works");
      if (e->kind->standsFor.empty()) continue; // it is about what is seen, or how light falls
      CHECK(r.seen > 0.05);
      if (effectKind(*e)->dress) continue; // it shows by what it covers
      CHECK(r.emitted > 10);
      if (e->kind->param("lens")) CHECK(r.peak > 1);
      CHECK(r.pictureShare > 0.005);
    }
    const Picture& p = developed.picture;
    size_t seen = 0, burnt = 0;
    for (size_t i = 0; i < p.pixels(); ++i) {
      const float l = luminance({p.rgb[3 * i], p.rgb[3 * i + 1], p.rgb[3 * i + 2]});
      seen += l > 0.01f;
      burnt += l > 4;
    }
    CHECK(double(seen) / double(p.pixels()) > 0.3);
    CHECK(double(burnt) / double(p.pixels()) < 0.08);
  }
}

TEST_CASE("The hall's glows keep apart: each lens stage takes light from its own sources alone", "[demo][labels]") {
  Opened o(findStarter("orrery-hall"));
  const Traced t = o.render(8);
  const NodeId core = o.doc.findByName("Sun core")->id;
  const LensResult r = develop(o.doc, 1, *t.scene, t.film(), t.scene->groupScales, pool());
  REQUIRE(r.stages.size() == 6);
  const auto lit = [](const Picture& p, size_t i) { return p.rgb[3 * i] + p.rgb[3 * i + 1] + p.rgb[3 * i + 2] > 0; };
  size_t both = 0, sun = 0, beads = 0;
  for (size_t i = 0; i < r.picture.pixels(); ++i) {
    const bool a = lit(r.stages[0].work.taken, i), b = lit(r.stages[1].work.taken, i);
    sun += a;
    beads += b;
    both += a && b;
  }
  CHECK(sun > 0);
  CHECK(beads > 0);
  CHECK(4 * both <= sun); // reflections of the one behind a glint of the other, at most
  CHECK(sourcesOfStage(o.doc, *o.doc.findByName("Sun halo")) == std::vector<NodeId>{core});
}

TEST_CASE("The hall's range is a loop, and what moves in it keeps its distances", "[demo][loop]") {
  const Opened o(findStarter("orrery-hall"));
  CHECK(settingsOf(o.doc).number("last_frame") == 240);
  for (const LoopBreak& b : loopBreaks(o.doc)) FAIL_CHECK(addressText(o.doc, b.at) << " " << b.why);
  // A planet stays on its ring: as far from the middle as it was, and in the ring's plane.
  const Node& planet = *o.doc.findByName("Glass planet");
  for (double f = 1; f <= 241; f += 20) {
    const Triple p = Params(planet, f).triple("position");
    CHECK(std::hypot(p[0], p[1], p[2]) == Approx(0.86).epsilon(1e-4));
  }
}

TEST_CASE("Writing a starter twice changes nothing, and the unknown one is refused with those that exist", "[demo]") {
  TemporaryFolder folder;
  const Document a = writeStarter(findStarter("sun-core"), kinds(), folder / "a.ilum");
  const auto time = std::filesystem::last_write_time(folder / "orrery-assets/pierced-shade.glb");
  const Document b = writeStarter(findStarter("sun-core"), kinds(), folder / "a.ilum");
  CHECK(a == b);
  CHECK(std::filesystem::last_write_time(folder / "orrery-assets/pierced-shade.glb") == time);
  CHECK(refusal([] { findStarter("moon"); }).find("orrery-hall") != std::string::npos);
}

namespace {

// Checks that a document whose value has keys is at each of their frames as if that value stood there for good.
void checkKeyed(const Document& doc, const Address& at, const Keys& keys, AssetCache& assets,
                const std::string& folder) {
  const Document keyed = setAt(doc, at, keys);
  // One cache for all frames, as the window and a delivery have it.
  SceneCache kept;
  const auto picture = [&](const Document& written, SceneCache& cache) {
    const double frame = currentFrame(written);
    const Document now = withEvenValues(written, frame, assets.assets(folder));
    Rendering r(compileScene(
        now, {.frame = frame, .queries = lensQueries(now), .masks = lensMasks(now), .overscan = lensOverscan(now)},
        assets.assets(folder), cache));
    const CancelFlag never;
    r.advance(pool(), 2, never);
    return develop(now, frame, r.scene(), r.film(), r.scene().groupScales, pool()).picture;
  };
  Picture first;
  for (const Key& k : keys.keys) {
    CAPTURE(k.frame);
    SceneCache fresh;
    const Picture now = picture(atFrame(keyed, k.frame), kept);
    CHECK((now == picture(atFrame(setAt(doc, at, k.value), k.frame), fresh)));
    if (first.rgb.empty())
      first = now;
    else if (k.value != keys.keys.front().value)
      CHECK((now != first));
  }
}

Document small(const Document& doc) {
  return setValue(setValue(doc, doc.settings().id, "width", Constant(96.0)), doc.settings().id, "height",
                  Constant(54.0));
}

} // namespace

TEST_CASE("The switch of every effect takes keys: at each frame it is as if it stood so for good", "[demo][keys]") {
  std::set<std::string> tried;
  for (const Starter& s : allStarters()) {
    Opened o(s);
    for (const Node* e : o.doc.family("effect")) {
      if (!tried.insert(e->kind->id).second) continue;
      CAPTURE(s.name, e->name);
      checkKeyed(small(o.doc), {e->id, "on", 0, {}},
                 Keys{{{1, true, KeyShape::Hold}, {2, false, KeyShape::Hold}, {3, true, KeyShape::Hold}}}, o.cache,
                 o.folder.path());
    }
  }
  CHECK(tried.size() >= 8);
}

TEST_CASE("Roles of effects take keys: who is in one comes and goes with its light", "[demo][keys]") {
  std::set<std::string> tried;
  for (const Starter& s : allStarters()) {
    if (s.name == "orrery-hall") continue; // its own motion is another matter
    Opened o(s);
    for (const Node* e : o.doc.family("effect"))
      for (const Role& role : effectKind(*e)->roles) {
        const Constant now = Params(*e, 1).constant(role.param), none = std::vector<Reference>{};
        if (!e->kind->param(role.param)->keyable || now == none) continue;
        if (!tried.insert(e->kind->id + "." + role.param).second) continue;
        CAPTURE(s.name, e->name, role.param);
        if (role.param == "from" && e->kind->id == "effect.caustics") {
          // Of nothing all lamps are meant: the same light.
          CHECK_NOTHROW(setValue(o.doc, e->id, role.param, Keys{{{1, now}, {2, none}}}));
          continue;
        }
        checkKeyed(small(o.doc), {e->id, role.param, 0, {}}, Keys{{{1, now}, {2, none}, {3, now}}}, o.cache,
                   o.folder.path());
      }
  }
  CHECK(tried.count("effect.glow.from"));
  CHECK(tried.count("effect.caustics.through"));
}
