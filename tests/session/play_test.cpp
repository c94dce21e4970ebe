// Frames that are kept, played without a ray and rendered ahead.
#include "core/compile/balance.h"
#include "core/compile/compile.h"
#include "core/display/view.h"
#include "core/document/edit.h"
#include "core/image/packed_pixels.h"
#include "core/session/kept_frame.h"
#include "core/session/session.h"
#include "tests/session/bench.h"

#include <fmt/format.h>
#include <future>
#include <random>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document movingSet() {
  Set s(48, 32);
  s.settings({{"samples", "12"}, {"noise", "0 %"}, {"first_frame", "1"}, {"last_frame", "6"}});
  s.look("0, 1.2, 3", "0, 0.4, 0", "35");
  s.lambert("Stone", "0.5, 0.5, 0.5");
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"material", "Stone"}});
  const NodeId ball = s.add("object.sphere", "Ball", {{"radius", "0.3"}, {"material", "Stone"}});
  s.set(ball,
        {{"position", R"({"keys": [{"frame": 1, "value": [-0.6, 0.3, 0]}, {"frame": 6, "value": [0.6, 0.3, 0]}]})"}});
  s.add("light.point", "Left lamp", {{"power", "600"}, {"position", "-1, 1, 0.5"}, {"radius", "30 mm"}});
  s.add("light.point", "Right lamp", {{"power", "300"}, {"position", "1, 1, 0.5"}});
  for (int i = 0; i < 3; ++i)
    s.add("light.point", "Faint lamp", {{"power", "3"}, {"position", fmt::format("{}, 2, 0", i).c_str()}});
  s.add("effect.glow", "Shine", {{"from", "Left lamp"}});
  s.add("lens.glow", "Halo", {{"sources", "Shine"}});
  s.set(s.find("Shine"), {{"lens", "Halo"}});
  return s.take();
}

double apart(const Picture& a, const Picture& b) {
  REQUIRE(a.rgb.size() == b.rgb.size());
  double most = 0;
  for (size_t i = 0; i < a.rgb.size(); ++i)
    most = std::max(most, std::abs(double(a.rgb[i]) - double(b.rgb[i])) / std::max(0.02, std::abs(double(b.rgb[i]))));
  return most;
}

} // namespace

TEST_CASE("Packed pixels are within a rounding of what they were, lamps and shadows alike, and tiles of one colour "
          "take no room",
          "[packed]") {
  std::mt19937 chance(3);
  const int w = 67, h = 35;
  std::vector<float> v(size_t(w) * h * 3, 0.0f);
  std::uniform_real_distribution<float> stops(-18, 22);
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < 40; ++x)
      for (int c = 0; c < 3; ++c) v[(size_t(y) * w + size_t(x)) * 3 + size_t(c)] = std::exp2(stops(chance));
  // A tile of one colour, and what no light can be.
  for (int y = 16; y < 32; ++y)
    for (int x = 48; x < 64; ++x) v[(size_t(y) * w + size_t(x)) * 3 + 1] = 0.3f;
  const PackedPixels p(v, w, h, 3, pool());
  const std::vector<float> back = p.unpacked(pool());
  REQUIRE(back.size() == v.size());
  for (int ty = 0; ty < h; ty += 16)
    for (int tx = 0; tx < w; tx += 16) {
      float most = 0;
      bool good = true;
      const auto pixels = [&](auto f) {
        for (int y = ty; y < std::min(h, ty + 16); ++y)
          for (int x = tx; x < std::min(w, tx + 16); ++x) f((size_t(y) * w + size_t(x)) * 3);
      };
      pixels([&](size_t i) { most = std::max({most, v[i], v[i + 1], v[i + 2]}); });
      pixels([&](size_t i) {
        const float own = std::max({v[i], v[i + 1], v[i + 2]});
        for (size_t c = 0; c < 3; ++c)
          good = good && std::abs(back[i + c] - v[i + c]) <= std::max(own / 511, most * 0x1p-37f);
      });
      CHECK(good);
    }
  CHECK(back[(size_t(20) * w + 50) * 3 + 1] == 0.3f);
  // Nine tiles of fifteen hold something of their own.
  CHECK(p.bytes() < 10 * 16 * 16 * 4 + 15 * 20);
  CHECK(PackedPixels(std::vector<float>(300, 0.0f), 10, 10, 3, pool()).isBlack());
  const PackedPixels odd({-1, 0.5f, std::nanf(""), 2}, 2, 2, 1, pool());
  CHECK(odd.unpacked(pool()) == std::vector<float>{0, 0.5f, 0, 2});
  std::vector<float> sum(v.size(), 1.0f);
  PackedPixels::addTo(sum, {{&p, {2, 0, 1}}}, p.whole(), pool());
  CHECK(sum[0] == Approx(1 + 2 * back[0]));
  CHECK(sum[1] == 1);
  // A window of two of them.
  std::vector<float> part(size_t(20) * 9 * 3, 0.0f);
  PackedPixels::addTo(part, {{&p, {1, 1, 1}}, {&p, {1, 0, 0}}}, {13, 7, 20, 9}, pool());
  CHECK(part[0] == Approx(2 * back[(size_t(7) * w + 13) * 3]));
  CHECK(part[(size_t(8) * 20 + 19) * 3 + 1] == Approx(back[(size_t(15) * w + 32) * 3 + 1]));
}

TEST_CASE("Packed pixels near the edge may be means of four, with all their light", "[packed]") {
  std::mt19937 chance(5);
  const int w = 101, h = 83, coarse = 20;
  std::uniform_real_distribution<float> light(0, 4);
  for (const int channels : {1, 3}) {
    std::vector<float> v(size_t(w) * h * size_t(channels));
    for (float& x : v) x = light(chance);
    const PackedPixels whole(v, w, h, channels, pool()), p(v, w, h, channels, pool(), coarse);
    const std::vector<float> back = p.unpacked(pool());
    CHECK(p.bytes() < whole.bytes());
    double sum = 0, sumBack = 0;
    bool sharp = true, mean = true;
    for (int y = 0; y < h; ++y)
      for (int x = 0; x < w; ++x)
        for (int c = 0; c < channels; ++c) {
          const auto at = [&](const std::vector<float>& of, int i, int j) {
            return of[(size_t(j) * w + size_t(i)) * size_t(channels) + size_t(c)];
          };
          sum += double(at(v, x, y));
          sumBack += double(at(back, x, y));
          const bool inside = x >= coarse && x < w - coarse && y >= coarse && y < h - coarse;
          if (inside) sharp = sharp && std::abs(at(back, x, y) - at(v, x, y)) < 0.02f;
          if (x < 16 && y % 2 == 0 && x % 2 == 0 && y + 1 < h)
            mean = mean && std::abs(4 * at(back, x, y) - at(v, x, y) - at(v, x + 1, y) - at(v, x, y + 1) -
                                    at(v, x + 1, y + 1)) < 0.08f;
        }
    CHECK(sharp);
    CHECK(mean);
    CHECK(sumBack == Approx(sum).epsilon(2e-3));
  }
}

TEST_CASE("A kept frame is developed as its film is, through another lens, exposure and balance too", "[play]") {
  const Document doc = movingSet();
  const Traced t = trace(doc, 12);
  const Denoiser denoiser(t.film(), pool());
  const auto& scales = t.scene->groupScales;
  LensSight sight;
  const auto fromFilm = [&](const Document& d, LensSight* note) {
    const std::vector<Color> now = balancedScales(*t.scene, d, 1);
    return develop(d, 1, *t.scene, t.film(), sceneLight(*t.scene, t.film(), now, pool(), &denoiser), pool(),
                   {.sight = note})
        .picture;
  };
  const Picture film = fromFilm(doc, &sight);
  const KeptFrame kept(t.rendering, doc, scales, &denoiser, sight, pool());
  CHECK(kept.live().size() == 3);
  const auto fromKept = [&](const Document& d) { return kept.develop(d, 1, pool(), {}); };
  REQUIRE(fromKept(doc));
  CHECK(apart(fromKept(doc)->picture, film) < 8e-3);
  CHECK(apart(kept.develop(doc, 1, pool(), {.on = false})->picture,
              develop(doc, 1, *t.scene, t.film(), sceneLight(*t.scene, t.film(), scales, pool(), &denoiser), pool(),
                      {.on = false})
                  .picture) < 8e-3);
  const auto with = [&](const char* address, Constant v) {
    const Address a = resolve(doc, address);
    return setAt(doc, a, v);
  };
  for (const Document& d : {with("Halo.amount", 0.6), with("Halo.size", 0.4), with("Left lamp.power", 100.0),
                            with("Right lamp.color", Triple{1, 0.2, 0.1}), with("Camera.compensation", -1.5)}) {
    REQUIRE(fromKept(d));
    CHECK(apart(fromKept(d)->picture, fromFilm(d, nullptr)) < 8e-3);
  }
  // A light that is folded into the rest cannot be changed any more, and layers that were not asked for are not there.
  CHECK_FALSE(fromKept(with("Faint lamp 3.power", 50.0)));
  CHECK_FALSE(fromKept(with("Shine.from", std::vector<Reference>{{doc.findByName("Right lamp")->id, nullptr}})));
}

TEST_CASE("The lights that are marked live are live in kept frames, whatever their strength", "[play]") {
  const Document doc = movingSet();
  const NodeId faint = doc.findByName("Faint lamp 3")->id, left = doc.findByName("Left lamp")->id;
  const Document marked = setBalance(doc, faint, "live", std::string("always"));
  const Traced t = trace(marked, 4);
  const KeptFrame kept(t.rendering, marked, t.scene->groupScales, nullptr, {}, pool());
  CHECK(kept.live() == std::vector<std::string>{"Faint lamp 3"});
  const KeptFrame byStrength(t.rendering, doc, t.scene->groupScales, nullptr, {}, pool());
  CHECK(byStrength.live().size() == 3);
  CHECK(kept.bytes() < byStrength.bytes());
  const auto brighter = [&](const char* address) { return setAt(marked, resolve(marked, address), Constant(77.0)); };
  CHECK(kept.answers(brighter("Faint lamp 3.power"), 1));
  CHECK_FALSE(kept.answers(brighter("Left lamp.power"), 1));
  // Marked later, a light is not in the frames that are there.
  CHECK_FALSE(byStrength.answers(marked, 1));
  CHECK(byStrength.answers(doc, 1));
  // One that is not to be live makes room for the next.
  const Document without = setBalance(doc, left, "live", std::string("never"));
  const KeptFrame other(t.rendering, without, t.scene->groupScales, nullptr, {}, pool());
  const std::vector<std::string> live = other.live();
  CHECK(live.size() == 3);
  CHECK(std::count(live.begin(), live.end(), "Left lamp") == 0);
  // It stays when the balance is taken off.
  CHECK(liveInPlay(withoutBalance(setBalance(marked, faint, "stops", 2.0)), faint) == true);
}

TEST_CASE("Rendered ahead, frames come coarse first, then better, and play without a ray", "[play]") {
  Bench bench;
  const Document doc = movingSet();
  SessionRequest r{.doc = doc};
  r.ahead = true;
  r.firstFrame = 2;
  r.lastFrame = 5;
  bench.session().submit(r);
  REQUIRE(bench.untilKept([](const KeptState& k) { return k.quality.size() >= 4; }));
  REQUIRE(bench.untilKept([](const KeptState& k) {
    return std::count_if(k.quality.begin(), k.quality.end(), [](const auto& q) { return q.second >= 0.999f; }) >= 4;
  }));
  const auto state = bench.session().kept();
  for (const auto& [frame, quality] : state->quality) CHECK((frame == 1 || (frame >= 2 && frame <= 5)));
  CHECK(state->bytes > 0);
  CHECK(state->bytes < state->limit);
  CHECK(state->live.size() == 3);
  // Played: at once, as it would be rendered.
  r.playing = true;
  r.doc = atFrame(doc, 4);
  const auto played = bench.answer(r);
  REQUIRE(played);
  CHECK(played->kept);
  CHECK(played->frame == 4);
  CHECK(played->raysSinceRequest == 0);
  CHECK(played->doc == r.doc);
  const LensResult alone = [&] {
    TestAssets none;
    const Document d = atFrame(doc, 4);
    const ScenePtr scene = [&] {
      SceneCache cache;
      return compileScene(
          d, {.frame = 4, .queries = lensQueries(d), .masks = lensMasks(d), .overscan = lensOverscan(d)}, none, cache);
    }();
    Rendering made(scene);
    const CancelFlag never;
    while (made.samples() < 12) made.advance(pool(), made.nextPass(12), never);
    const Denoiser denoiser(made.film(), pool());
    return develop(d, 4, *scene, made.film(), sceneLight(*scene, made.film(), scene->groupScales, pool(), &denoiser),
                   pool());
  }();
  CHECK(apart(*played->linear, alone.picture) < 8e-3);
  // The lens and the balance act on it.
  r.doc = setAt(r.doc, resolve(r.doc, "Left lamp.power"), Constant(60.0));
  const auto dimmed = bench.answer(r);
  REQUIRE(dimmed);
  CHECK(dimmed->kept);
  CHECK(mean(*dimmed->linear) < 0.7 * mean(*played->linear));
  // A light that is folded into the rest: the frames stay, and are as if they were not there till it is taken back.
  const Document asItWas = r.doc;
  r.doc = setAt(r.doc, resolve(r.doc, "Faint lamp 3.power"), Constant(80.0));
  const auto folded = bench.answer(r);
  REQUIRE(folded);
  CHECK_FALSE(folded->kept);
  CHECK(bench.session().kept()->quality.count(4) == 0);
  r.doc = asItWas;
  const auto takenBack = bench.answer(r);
  REQUIRE(takenBack);
  CHECK(takenBack->kept);
  CHECK(bench.session().kept()->quality.count(4) == 1);
  // A frame that is not there is a draft; a change that needs rays lets them all go.
  r.doc = atFrame(doc, 6);
  const auto draft = bench.answer(r);
  REQUIRE(draft);
  CHECK_FALSE(draft->kept);
  r.ahead = false;
  r.doc = setAt(r.doc, resolve(r.doc, "Ball.radius"), Constant(0.2));
  REQUIRE(bench.answer(r));
  CHECK(bench.session().kept()->quality.empty());
}

TEST_CASE("A frame that one comes back to is shown as it was kept till the film is better; jobs work on what is shown",
          "[play]") {
  Bench bench;
  const Document doc = movingSet();
  SessionRequest r{.doc = doc};
  r.ahead = true;
  bench.session().submit(r);
  REQUIRE(bench.untilKept([](const KeptState& k) {
    return k.quality.size() == 6 &&
           std::all_of(k.quality.begin(), k.quality.end(), [](const auto& q) { return q.second >= 0.999f; });
  }));
  r.doc = atFrame(doc, 3);
  const auto back = bench.answer(r);
  REQUIRE(back);
  CHECK(back->kept);
  CHECK(back->samples == 12);
  // While it plays, a job gets the frame that is seen.
  r.playing = true;
  r.doc = atFrame(doc, 5);
  REQUIRE(bench.answer(r));
  std::promise<double> frame;
  bench.session().run(
      [&](const Session::State* s, const std::string&) { frame.set_value(s ? currentFrame(s->doc) : -1); });
  CHECK(frame.get_future().get() == 5);
}

TEST_CASE("Rendered ahead, frames are rendered anew for a light that was folded into the rest", "[play]") {
  Bench bench;
  SessionRequest r{.doc = movingSet()};
  r.ahead = true;
  r.lastFrame = 3;
  bench.session().submit(r);
  const auto full = [](const KeptState& k) {
    return k.quality.size() >= 3 &&
           std::all_of(k.quality.begin(), k.quality.end(), [](const auto& q) { return q.second >= 0.999f; });
  };
  REQUIRE(bench.untilKept(full));
  const uint64_t before = bench.session().kept()->change;
  r.doc = setAt(r.doc, resolve(r.doc, "Faint lamp 3.power"), Constant(4000.0));
  bench.session().submit(r);
  REQUIRE(bench.untilKept([&](const KeptState& k) { return k.change > before && k.quality.size() < 3; }));
  REQUIRE(bench.untilKept(full));
  const auto live = bench.session().kept()->live;
  CHECK(std::find(live.begin(), live.end(), "Faint lamp 3") != live.end()); // it gives most now
}

TEST_CASE("Frames beyond the limit are not kept, and that is said", "[play]") {
  Bench bench;
  SessionRequest r{.doc = movingSet()};
  r.ahead = true;
  r.keptLimit = 60000;
  bench.session().submit(r);
  REQUIRE(bench.untilKept([](const KeptState& k) { return k.full; }));
  const auto state = bench.session().kept();
  CHECK(state->bytes <= state->limit);
  CHECK(state->limit == 60000);
}
