#include "core/compile/camera.h"
#include "core/compile/compile.h"
#include "core/session/session.h"

#include "core/display/view.h"
#include "core/placing/framing.h"
#include "core/session/proof.h"
#include "tests/session/bench.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document twoLampSet(int samples = 8) {
  Set s(64, 48);
  s.settings({{"samples", std::to_string(samples).c_str()}});
  s.look("0, 1.2, 3", "0, 0.4, 0", "35");
  s.lambert("Stone", "0.5, 0.5, 0.5");
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"material", "Stone"}});
  s.add("object.sphere", "Ball", {{"radius", "0.3"}, {"position", "0, 0.3, 0"}, {"material", "Stone"}});
  s.add("light.point", "Left lamp", {{"power", "600"}, {"position", "-1, 1, 0.5"}});
  s.add("light.point", "Right lamp", {{"power", "300"}, {"position", "1, 1, 0.5"}});
  s.add("effect.glow", "Shine", {{"from", "Left lamp"}});
  s.add("lens.glow", "Halo", {{"sources", "Shine"}});
  s.set(s.find("Shine"), {{"lens", "Halo"}});
  return s.take();
}

} // namespace

TEST_CASE("The very first draft is denoised, and so is the first sample of whole pixels", "[session]") {
  Bench bench;
  bench.submit(twoLampSet());
  const auto first = bench.wait([](const SessionImage& i) { return i.denoised; });
  REQUIRE(first);
  CHECK(first->draft);
  const auto whole = bench.wait([](const SessionImage& i) { return !i.draft; });
  REQUIRE(whole);
  CHECK(whole->denoised);
  CHECK(whole->samples == 1);
  // As it was sampled, where that is asked for.
  SessionRequest raw{.doc = twoLampSet()};
  raw.raw = true;
  const uint64_t edition = bench.submit(raw);
  const auto sampled = bench.wait([&](const SessionImage& i) { return i.edition == edition; });
  REQUIRE(sampled);
  CHECK(!sampled->denoised);
}

TEST_CASE("A session gives a draft first, then the picture of the command line, and stops", "[session]") {
  Bench b;
  const Document doc = twoLampSet();
  const uint64_t e = b.submit(doc);
  const auto draft = b.wait([&](const SessionImage& i) { return i.edition == e; });
  REQUIRE(draft);
  CHECK(draft->draft);
  CHECK(draft->width == 64);
  CHECK(draft->rgba.size() == 64 * 48 * 4);
  const auto done = b.finished(e);
  REQUIRE(done);
  CHECK(done->samples == 8);
  CHECK(done->denoised);
  const Traced t = trace(doc, 8);
  const Denoiser denoiser(t.film(), pool());
  CHECK(*done->linear == develop(doc, 1, *t.scene, t.film(),
                                 sceneLight(*t.scene, t.film(), t.scene->groupScales, pool(), &denoiser), pool())
                             .picture);
  // Raw is one request away, and traces nothing.
  const auto raw = b.finished(b.submit(SessionRequest{.doc = doc, .raw = true}));
  REQUIRE(raw);
  CHECK_FALSE(raw->denoised);
  CHECK(raw->raysSinceRequest == 0);
  CHECK(*raw->linear == develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool()).picture);
}

TEST_CASE("Another mix of a denoised picture is the same denoised light in other amounts", "[session][denoise]") {
  Bench b;
  const Document doc = twoLampSet();
  REQUIRE(b.finished(b.submit(doc)));
  const Document other = setAt(doc, resolve(doc, "Left lamp.power"), Constant(2400.0));
  const uint64_t e = b.submit(other);
  const auto done = b.wait([e](const SessionImage& i) { return i.edition == e && i.denoised; });
  REQUIRE(done);
  CHECK(done->raysSinceRequest == 0);
  const Traced t = trace(doc, 8);
  const Denoiser denoiser(t.film(), pool());
  const std::vector<Color> groupScales = balancedScales(*t.scene, other, 1);
  const Picture expected =
      develop(other, 1, *t.scene, t.film(), sceneLight(*t.scene, t.film(), groupScales, pool(), &denoiser), pool())
          .picture;
  for (size_t i = 0; i < expected.rgb.size(); ++i)
    REQUIRE(done->linear->rgb[i] == Approx(expected.rgb[i]).epsilon(1e-3).margin(1e-4));
}

TEST_CASE("A change of power, tint, switch, exposure or lens traces no ray and is seen", "[session][rays]") {
  Bench b;
  const Document doc = twoLampSet();
  REQUIRE(b.finished(b.submit(doc)));
  const auto plain = b.wait([](const SessionImage& i) { return i.finished; });
  for (const auto& [address, text] : {std::pair{"Left lamp.power", "1800"},
                                      {"Left lamp.color", "1, 0.4, 0.1"},
                                      {"Left lamp.on", "off"},
                                      {"Right lamp.stops", "2"},
                                      {"Camera.ev100", "4"},
                                      {"Halo.amount", "80 %"},
                                      {"Halo.size", "30 %"},
                                      {"Halo.on", "off"},
                                      {"Shine.on", "off"},
                                      {"Picture.view", "Plain sRGB"}}) {
    const Address a = resolve(doc, address);
    const Document changed = setAt(doc, a, parseValue(doc, definitionAt(doc, a), text));
    b.finished(b.submit(doc));
    const auto image = b.finished(b.submit(changed));
    CAPTURE(address);
    REQUIRE(image);
    CHECK(image->raysSinceRequest == 0);
    // Each of them is seen: all but the view in the light itself, the view in what is shown.
    if (std::string(address) == "Picture.view")
      CHECK(image->rgba != plain->rgba);
    else
      CHECK_FALSE(*image->linear == *plain->linear);
  }
}

TEST_CASE("The first stage that spreads light keeps the picture, and what lies beside the frame follows",
          "[session][rays][overscan]") {
  Bench b;
  Set s(64, 48);
  s.settings({{"samples", "8"}, {"denoise", "off"}, {"overscan", "40 %"}});
  s.look("0, 0, 4", "0, 0, 0", "36");
  s.add("light.point", "Lamp", {{"power", "60"}, {"radius", "0.15"}, {"position", "2.4, 0, 0"}}); // beside the frame
  s.add("object.sphere", "Ball", {{"radius", "0.3"}});
  const Document plain = s.take();
  REQUIRE(b.finished(b.submit(plain)));
  Document glowing = addNode(plain, "lens.glow", "Halo");
  for (const auto& [param, value] : {std::pair{"size", 0.4}, {"amount", 1.0}})
    glowing = setValue(glowing, glowing.findByName("Halo")->id, param, Constant(value));
  const uint64_t e = b.submit(glowing);
  const auto first = b.wait([e](const SessionImage& i) { return i.edition == e; });
  REQUIRE(first);
  CHECK_FALSE(first->draft);
  CHECK(first->samples == 8);
  CHECK(first->raysSinceRequest == 0);
  const auto last = b.finished(e);
  REQUIRE(last);
  CHECK(last->raysSinceRequest > 0);
  const auto light = [](const Picture& p) {
    double sum = 0;
    for (int y = 0; y < 48; ++y)
      for (int x = 44; x < 64; ++x) sum += double(p.at(x, y)[1]);
    return sum;
  };
  const Traced t = trace(glowing, 8);
  const double truth = light(develop(glowing, 1, *t.scene, t.film(), t.scene->groupScales, pool()).picture);
  CHECK(light(*last->linear) == Approx(truth).epsilon(0.1)); // the surroundings have half the samples at least
  CHECK(light(*first->linear) < 0.8 * truth);
}

TEST_CASE("A change of place, shape or surface traces again; a lens stage with new sources too", "[session][rays]") {
  Bench b;
  const Document doc = twoLampSet(2);
  REQUIRE(b.finished(b.submit(doc)));
  for (const auto& [address, text] : {std::pair{"Ball.position", "0.2, 0.3, 0"},
                                      {"Ball.radius", "0.2"},
                                      {"Stone.base_color", "0.9, 0.1, 0.1"},
                                      {"Left lamp.radius", "0.3"},
                                      {"Halo.sources", "Right lamp"}}) {
    const Address a = resolve(doc, address);
    const auto image = b.finished(b.submit(setAt(doc, a, parseValue(doc, definitionAt(doc, a), text))));
    CAPTURE(address);
    REQUIRE(image);
    CHECK(image->raysSinceRequest > 0);
  }
}

TEST_CASE("Going to another frame traces only where something is keyed", "[session][rays]") {
  Bench b;
  Document doc = twoLampSet(2);
  const auto at = [](const Document& d, double f) { return setValue(d, d.settings().id, "frame", Constant(f)); };
  REQUIRE(b.finished(b.submit(doc)));
  CHECK(b.finished(b.submit(at(doc, 20)))->raysSinceRequest == 0);
  doc = setAt(doc, resolve(doc, "Ball.position"),
              Keys{{{1, Triple{0, 0.3, 0}, KeyShape::Linear}, {21, Triple{1, 0.3, 0}, KeyShape::Linear}}});
  REQUIRE(b.finished(b.submit(doc)));
  const auto moved = b.finished(b.submit(at(doc, 21)));
  CHECK(moved->raysSinceRequest > 0);
  CHECK(moved->frame == 21);
}

TEST_CASE("What an effect is, beyond what it names, is traced again when it changes", "[session][rays]") {
  Bench b;
  Set s(64, 48);
  s.settings({{"samples", "2"}});
  s.look("0, 1.2, 3", "0, 0.4, 0", "35");
  s.lambert("Stone", "0.5, 0.5, 0.5");
  s.add("material.surface", "Glass", {{"transmission", "1"}, {"roughness", "0"}});
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"material", "Stone"}});
  s.add("object.sphere", "Ball", {{"radius", "0.3"}, {"position", "0, 0.4, 0"}, {"material", "Glass"}});
  s.add("light.point", "Lamp", {{"power", "600"}, {"position", "-1, 1.5, 0.5"}, {"radius", "0.02"}});
  s.add("effect.caustics", "Gathered", {{"from", "Lamp"}, {"through", "Ball"}});
  const Document doc = s.take();
  const auto change = [&](const char* address, const char* text) {
    const Address a = resolve(doc, address);
    return setAt(doc, a, parseValue(doc, definitionAt(doc, a), text));
  };
  for (const auto& [address, text] :
       {std::pair{"Gathered.on", "off"}, {"Gathered.through", "none"}, {"Gathered.strength", "3"}}) {
    CAPTURE(address);
    const auto before = b.finished(b.submit(doc));
    REQUIRE(before);
    const auto after = b.finished(b.submit(change(address, text)));
    REQUIRE(after);
    CHECK(after->raysSinceRequest > 0);
    CHECK((*after->linear != *before->linear));
  }
}

TEST_CASE("Who is in From changes at its keys, and the picture with it", "[session][keys]") {
  Bench b;
  const Document doc = twoLampSet(2);
  const Address from = resolve(doc, "Shine.from");
  const auto list = [&](const char* name) {
    return Constant(std::vector<Reference>{{doc.findByName(name)->id, nullptr}});
  };
  const Document keyed = setAt(doc, from, Keys{{{1, list("Left lamp")}, {20, list("Right lamp")}}});
  for (const auto& [frame, name] : {std::pair{1.0, "Left lamp"}, {20.0, "Right lamp"}, {19.0, "Left lamp"}}) {
    CAPTURE(frame);
    const auto now = b.finished(b.submit(atFrame(keyed, frame)));
    REQUIRE(now);
    CHECK(now->doc == atFrame(keyed, frame)); // not written out
    const auto plain = b.finished(b.submit(atFrame(setAt(doc, from, list(name)), frame)));
    REQUIRE(plain);
    CHECK((*now->linear == *plain->linear));
  }
}

TEST_CASE("The latest request wins, and work on an older one is broken off soon", "[session]") {
  Bench b;
  Document slow = twoLampSet(100000);
  slow = setValue(setValue(slow, slow.settings().id, "width", Constant(1280.0)), slow.settings().id, "height",
                  Constant(720.0));
  b.submit(slow);
  REQUIRE(b.wait([](const SessionImage& i) { return !i.draft || i.samples > 0 || i.width == 1280; }));
  const Document quick = twoLampSet(1);
  uint64_t last = 0;
  for (int i = 0; i < 20; ++i) last = b.submit(setAt(quick, resolve(quick, "Ball.radius"), Constant(0.1 + 0.01 * i)));
  // A hundred thousand samples would take hours: finished() gives up long before.
  const auto image = b.finished(last);
  REQUIRE(image);
  CHECK(image->samples == 1);
  CHECK(image->width == int(settingsOf(quick).number("width")));
}

TEST_CASE("Paused, edits show but nothing is refined", "[session]") {
  Bench b;
  SessionRequest r{.doc = twoLampSet(64)};
  r.paused = true;
  const uint64_t e = b.submit(r);
  REQUIRE(b.wait([&](const SessionImage& i) { return i.edition == e; }));
  CHECK_FALSE(b.wait([&](const SessionImage& i) { return i.edition == e && i.samples > 0; }, 1));
  r.paused = false;
  CHECK(b.finished(b.submit(r)));
}

TEST_CASE("Comparing with a proof gives its picture, or the difference, under the same view", "[session]") {
  Bench b;
  const Document doc = twoLampSet();
  const auto live = b.finished(b.submit(doc));
  auto proof = std::make_shared<const Proof>(makeProof(1, "One", doc, 1, *live->linear, 8, 0));
  SessionRequest r{.doc = doc};
  r.proof = proof;
  r.compare = Compare::Wipe;
  const auto wipe = b.finished(b.submit(r));
  REQUIRE(wipe->otherRgba.size() == wipe->rgba.size());
  int worst = 0;
  for (size_t i = 0; i < wipe->rgba.size(); ++i)
    worst = std::max(worst, std::abs(int(wipe->rgba[i]) - int(wipe->otherRgba[i])));
  CHECK(worst <= 1); // half floats
  r.compare = Compare::Difference;
  const auto difference = b.finished(b.submit(r));
  int brightest = 0;
  for (size_t i = 0; i < difference->rgba.size(); i += 4) brightest = std::max(brightest, int(difference->rgba[i]));
  CHECK(brightest <= 24); // of 255: half floats, seen through the view's toe
}

TEST_CASE("The overlay, the passes and the view's stops are shown", "[session]") {
  Bench b;
  const Document doc = twoLampSet(4);
  const auto plain = b.finished(b.submit(doc));
  const auto shown = [&](const std::function<void(SessionRequest&)>& set) {
    SessionRequest r{.doc = doc};
    set(r);
    return b.finished(b.submit(r))->rgba;
  };
  CHECK(shown([](SessionRequest& r) { r.stopsOverlay = true; }) != plain->rgba);
  CHECK(shown([](SessionRequest& r) { r.viewStops = 2; }) != plain->rgba);
  CHECK(shown([](SessionRequest& r) { r.withLens = false; }) != plain->rgba);
  for (const ShownPass p : {ShownPass::Alpha, ShownPass::Depth, ShownPass::Normal, ShownPass::Albedo,
                            ShownPass::Identity, ShownPass::AirDepth})
    CHECK(shown([p](SessionRequest& r) { r.pass = p; }) != plain->rgba);
  const auto alpha = shown([](SessionRequest& r) { r.pass = ShownPass::Alpha; });
  CHECK(int(alpha[4 * (47 * 64 + 32)]) == 255);
}

TEST_CASE("A document without a camera, without light, and empty is no trouble", "[session]") {
  Bench b;
  const Document empty = setValue(Document::create(kinds()), 1, "samples", Constant(1.0));
  const uint64_t e = b.submit(empty);
  const auto image = b.finished(e);
  REQUIRE(image);
  CHECK(image->error.empty());
  CHECK(mean(*image->linear) == 0);
}

TEST_CASE("Plates alone are whole at once, play without the film, and are fine again when they stand",
          "[session][plate]") {
  Set s(640, 360);
  s.look("0, 0, 5", "0, 0, 0");
  const NodeId mist = s.add("pattern.mist", "Mist", {{"height", "0.7"}, {"space", "camera"}});
  s.add("mist.layer", "Bank", {{"scale", "0.05"}, {"drift", "0.2, 0, 0"}}, {mist, "layers"});
  s.add("plate.picture", "Behind", {{"shows", "colour"}, {"color", "0.1, 0.2, 0.4"}});
  s.add("plate.picture", "Mist plate",
        {{"shows", "colour"}, {"color", "0.6, 0.6, 0.6"}, {"lies", "in front"}, {"coverage", "pattern Mist"}});
  // What the camera does not see makes no rays necessary.
  s.add("light.area", "Window", {{"power", "900"}, {"position", "0, 3, 0"}, {"seen", "off"}});
  s.add("object.sphere", "Ball", {{"seen", "off"}});
  // Effects are read off all the same.
  s.set(s.add("air.haze", "Haze", {{"density", "1"}}), {{"shown", "off"}});
  s.add("effect.mist", "Drifting", {{"through", "Haze"}});
  s.add("lens.glow", "Halo", {});
  s.add("effect.glow", "Shine", {{"from", "Window"}, {"lens", "Halo"}});
  s.set(s.find("Halo"), {{"sources", "Shine"}});
  const Document doc = s.take();
  const NodeId effects[] = {doc.findByName("Drifting")->id, doc.findByName("Shine")->id};
  Bench b;
  const auto frame = [&](double f, bool playing) {
    const uint64_t e = b.submit(SessionRequest{.doc = setValue(doc, doc.settings().id, "frame", Constant(f)),
                                               .effect = effects[int(f) % 2],
                                               .playing = playing});
    const auto image = b.wait([&](const SessionImage& i) { return i.edition == e; });
    REQUIRE(image);
    return image;
  };
  const auto one = frame(1, true), two = frame(2, true), same = frame(2, true);
  for (const auto& image : {one, two}) {
    CHECK_FALSE(image->draft);
    CHECK(image->linearStep == 1);
    CHECK(image->linear->width == 640);
    CHECK(image->rgba.size() == size_t(640) * 360 * 4);
  }
  CHECK_FALSE(*one->linear == *two->linear);
  CHECK(*same->linear == *two->linear);
  const auto stands = frame(2, false);
  CHECK_FALSE(*stands->linear == *two->linear); // finer
  CHECK(stands->effects.size() == 2);
  CHECK(stands->route);
  // The same as the film makes of it, and as a file has it.
  SceneCache cache;
  const Document second = setValue(doc, doc.settings().id, "frame", Constant(2.0));
  const ScenePtr scene = compileScene(second, {.frame = 2, .queries = lensQueries(second)}, noAssets(), cache);
  REQUIRE(scene->bare());
  Rendering rendering(scene);
  const CancelFlag none;
  REQUIRE(rendering.advance(pool(), 1, none));
  const Picture film = develop(second, 2, *scene, rendering.film(), scene->groupScales, pool()).picture;
  double worst = 0;
  for (size_t i = 0; i < film.rgb.size(); ++i)
    worst = std::max(worst, std::abs(double(film.rgb[i] - stands->linear->rgb[i])));
  CHECK(worst < 1e-5);
}

TEST_CASE("A job sees the film between two passes", "[session]") {
  Bench b;
  const Document doc = twoLampSet();
  REQUIRE(b.finished(b.submit(doc)));
  std::mutex m;
  std::condition_variable c;
  uint32_t samples = 0;
  bool called = false;
  b.session().run([&](const Session::State* s, const std::string&) {
    const std::lock_guard lock(m);
    called = true;
    if (s) samples = s->rendering.samples();
    c.notify_all();
  });
  std::unique_lock lock(m);
  c.wait_for(lock, std::chrono::seconds(20), [&] { return called; });
  CHECK(samples == 8);
}

TEST_CASE("Proofs keep their picture within half precision and compare equal to themselves", "[session][proof]") {
  const Document doc = twoLampSet();
  const Traced t = trace(doc, 4);
  const Picture p = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool()).picture;
  const Proof proof = makeProof(3, "Three", doc, 1, p, 4, 0);
  const Picture back = proof.picture();
  for (size_t i = 0; i < p.rgb.size(); ++i) REQUIRE(back.rgb[i] == Approx(p.rgb[i]).epsilon(1.0 / 1024).margin(1e-6));
  CHECK(comparePictures(back, proof.picture()).equal());
  Picture q = p;
  q.at(5, 6)[1] += 0.5f;
  const PictureComparison c = comparePictures(p, q);
  CHECK(c.most == Approx(0.5));
  CHECK(c.mostX == 5);
  CHECK(c.mostY == 6);
  CHECK_FALSE(comparePictures(p, Picture(3, 3)).sameSize);
}

TEST_CASE("Framing puts a box into the picture with a margin, from where the camera looks", "[session][framing]") {
  const Document doc = twoLampSet();
  const NodeId camera = doc.findByName("Camera")->id;
  Box3f box;
  box.extendBy(V3f(3, 1, -2));
  box.extendBy(V3f(4, 1.5f, -1));
  const Document framed = frameBox(doc, camera, box);
  const Camera c = cameraOf(framed, *framed.find(camera), 1, 64, 48);
  float least = 1e9f, most = -1e9f;
  for (int k = 0; k < 8; ++k) {
    float x, y;
    REQUIRE(c.project({k & 1 ? 4.0f : 3.0f, k & 2 ? 1.5f : 1.0f, k & 4 ? -1.0f : -2.0f}, x, y));
    least = std::min({least, x / 64, y / 48});
    most = std::max({most, x / 64, y / 48});
  }
  CHECK(least > 0.02f);
  CHECK(most < 0.98f);
  CHECK(most - least > 0.5f);
  CHECK(frameBox(doc, camera, Box3f()) == doc);
}

TEST_CASE("What a bare model lacks is made: a camera and lights that expose it", "[session][framing]") {
  Set s(48, 32);
  s.lambert("Clay", "0.5, 0.5, 0.5");
  s.add("object.sphere", "Thing", {{"radius", "7"}, {"position", "40, 3, 1"}, {"material", "Clay"}});
  const Document bare = s.take();
  std::vector<std::string> told;
  const Document made = standUp(bare, *trace(bare, 1).scene, &told);
  CHECK(told.size() == 2);
  REQUIRE(activeCamera(made));
  CHECK(made.family("light").size() == 2);
  const Traced t = trace(made, 32);
  const Picture p = develop(made, 1, *t.scene, t.film(), t.scene->groupScales, pool()).picture;
  float most = 0;
  for (size_t i = 0; i < p.pixels(); ++i)
    most = std::max(most, luminance({p.rgb[3 * i], p.rgb[3 * i + 1], p.rgb[3 * i + 2]}));
  CHECK(most > 0.2f);
  CHECK(most < 3);
  CHECK(standUp(made, *t.scene, nullptr) == made);
}

TEST_CASE("A new light or object is seen at once, whatever the size of the set", "[session][framing]") {
  for (const char* distance : {"0.2", "40"}) {
    Set s(48, 32);
    s.add("camera.lens", "Camera",
          {{"position", (std::string("0, 0, ") + distance).c_str()}, {"target", "0, 0, 0"}, {"focus", distance}});
    s.lambert("Clay", "0.5, 0.5, 0.5");
    const Document doc = s.take();
    NodeId ball = 0;
    const Document withBall = addFramed(doc, *trace(doc, 1).scene, "object.sphere", &ball);
    for (const char* kind : {"light.point", "light.spot", "light.area", "light.sun", "light.sky"}) {
      NodeId light = 0;
      const Document lit = addFramed(withBall, *trace(withBall, 1).scene, kind, &light);
      const Traced t = trace(lit, 32);
      const Picture p = develop(lit, 1, *t.scene, t.film(), t.scene->groupScales, pool()).picture;
      const double middle = mean(p, {20, 12, 8, 8});
      CAPTURE(distance, kind, middle);
      CHECK(middle > 0.04);
      CHECK(middle < 4);
    }
  }
}

TEST_CASE("A pattern of time on a lens stage is seen, and the picture keeps the document as it is", "[session][even]") {
  Document doc = twoLampSet();
  NodeId clock = 0;
  doc = addNode(doc, "pattern.time", "Clock", {}, &clock);
  doc = setValue(doc, clock, "scale", Constant(0.0));
  const Document plain = doc;
  doc = setValue(doc, doc.findByName("Halo")->id, "amount", PatternUse{{clock, nullptr}});
  Bench b;
  const Document without = setValue(plain, plain.findByName("Halo")->id, "amount", Constant(0.0));
  const auto lit = b.finished(b.submit(plain)), driven = b.finished(b.submit(doc)),
             none = b.finished(b.submit(without));
  REQUIRE((lit && driven && none));
  CHECK(driven->doc == doc);
  CHECK(valueAt(driven->doc, resolve(doc, "Halo.amount")).pattern());
  CHECK(comparePictures(driven->light(), none->light()).rms < 1e-3);
  CHECK(comparePictures(driven->light(), lit->light()).rms > 1e-2);
}
