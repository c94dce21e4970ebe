// Jobs of a session end always: with the document they were asked about, or told why not.
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/display/view.h"
#include "core/document/file.h"
#include "core/exchange/picture_file.h"
#include "core/session/proof_store.h"
#include "core/session/session.h"
#include "tests/support/scene.h"

#include <atomic>
#include <filesystem>
#include <future>
#include <memory>
#include <nlohmann/json.hpp>
#include <thread>

using namespace ilumbra;
using namespace ilumbra::test;
namespace fs = std::filesystem;

namespace {

Document lampSet(const char* extra = nullptr) {
  Set s(48, 32);
  s.settings({{"samples", "4"}});
  s.look("0, 1.2, 3", "0, 0.4, 0", "35");
  s.lambert("Stone", "0.5, 0.5, 0.5");
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"material", "Stone"}});
  s.add("light.point", "Lamp", {{"power", "600"}, {"position", "-1, 1, 0.5"}});
  if (extra) s.add("lens.glow", extra, {});
  return s.take();
}

Document withPower(const Document& doc, double power) {
  return setValue(doc, doc.findByName("Lamp")->id, "power", Constant(power));
}

struct Answer {
  bool given = false;
  double power = 0;
  uint32_t samples = 0;
  int step = 0;
  std::string why;
};

// What a job saw; a job that is lost breaks the promise.
std::future<Answer> ask(Session& session, Session::Needs needs) {
  auto promise = std::make_shared<std::promise<Answer>>();
  std::future<Answer> answer = promise->get_future();
  session.run(
      [promise](const Session::State* s, const std::string& why) {
        if (!s) return promise->set_value({false, 0, 0, 0, why});
        promise->set_value({true,
                            Params(*s->doc.findByName("Lamp"), 1).number("power"),
                            s->rendering.samples(),
                            s->rendering.step(),
                            {}});
      },
      needs);
  return answer;
}

std::unique_ptr<Session> open(Session::Deliver deliver = [](auto) {}) {
  return std::make_unique<Session>(std::make_shared<AssetCache>(), std::make_shared<const ColorViews>(),
                                   std::move(deliver));
}

constexpr auto limit = std::chrono::seconds(60);

} // namespace

TEST_CASE("A job right after a change sees the change, in whole pixels where it asks for them", "[session][jobs]") {
  const auto s = open();
  const Document doc = lampSet();
  for (int i = 1; i <= 12; ++i) {
    s->submit({.doc = withPower(doc, 100.0 * i), .paused = i % 2 == 0});
    auto answer = ask(*s, Session::Needs::Picture);
    REQUIRE(answer.wait_for(limit) == std::future_status::ready);
    const Answer a = answer.get();
    CHECK(a.given);
    CHECK(a.power == 100.0 * i);
    CHECK(a.step == 1);
    CHECK(a.samples >= 1);
  }
}

TEST_CASE("Jobs that race with a stream of edits all end, and none sees an older document than it was asked about",
          "[session][jobs]") {
  const auto s = open();
  const Document doc = lampSet("Halo");
  std::atomic<int> submitted{0};
  std::atomic<bool> stop{false};
  s->submit({.doc = withPower(doc, 1)});
  submitted = 1;
  std::thread stream([&] {
    for (int i = 2; !stop; ++i) {
      s->submit({.doc = withPower(doc, i)});
      submitted = i;
      std::this_thread::sleep_for(std::chrono::milliseconds(2));
    }
  });
  for (int i = 0; i < 40; ++i) {
    const int at = submitted;
    auto answer = ask(*s, i % 3 ? Session::Needs::Scene : Session::Needs::Picture);
    const bool ended = answer.wait_for(limit) == std::future_status::ready;
    CHECK(ended);
    if (!ended) break;
    const Answer a = answer.get();
    CHECK(a.given);
    CHECK(a.power >= at);
  }
  stop = true;
  stream.join();
}

TEST_CASE("A job with a stage that reads a file is served while an edit waits", "[session][jobs]") {
  const TemporaryFolder folder;
  Set f(16, 16);
  f.look("0, 0, 3", "0, 0, 0", "35");
  const ColorViews views;
  PictureFile dots;
  dots.width = dots.height = 8;
  dots.layers.push_back({.name = {}, .channels = {"R", "G", "B"}, .data = std::vector<float>(8 * 8 * 3, 0.5f)});
  writePicture(dots, folder / "dots.png", views, "Plain sRGB");
  Document doc = lampSet("Halo");
  NodeId picture = 0;
  doc = addNode(doc, "pattern.image", "Dots", {}, &picture);
  doc = setValue(doc, picture, "file", Constant(folder / "dots.png"));
  doc = addNode(doc, "lens.screen_shafts", "Rays");
  doc = setValue(doc, doc.findByName("Rays")->id, "dust", PatternUse{{picture, nullptr}});
  // A new cache each time: the file is read on the way to the job.
  for (int i = 0; i < 6; ++i) {
    const auto s = open();
    s->submit({.doc = withPower(doc, 10 + i)});
    auto answer = ask(*s, Session::Needs::Picture);
    s->submit({.doc = withPower(doc, 100 + i)});
    REQUIRE(answer.wait_for(limit) == std::future_status::ready);
    CHECK(answer.get().given);
  }
}

TEST_CASE("Jobs are told when there is no picture, none can be made, or the session ends", "[session][jobs]") {
  auto s = open();
  auto early = ask(*s, Session::Needs::Picture);
  REQUIRE(early.wait_for(limit) == std::future_status::ready);
  CHECK(early.get().why == "there is no picture yet");
  Document bare = lampSet();
  bare = removeNode(bare, bare.findByName("Camera")->id);
  s->submit({.doc = bare});
  auto blind = ask(*s, Session::Needs::Picture);
  REQUIRE(blind.wait_for(limit) == std::future_status::ready);
  CHECK_THAT(blind.get().why, Catch::Contains("no camera"));
  // Many at once, and away.
  const Document doc = lampSet();
  std::vector<std::future<Answer>> last;
  for (int i = 0; i < 20; ++i) {
    s->submit({.doc = withPower(doc, i + 1)});
    last.push_back(ask(*s, Session::Needs::Picture));
  }
  s.reset();
  for (auto& a : last) {
    REQUIRE(a.wait_for(std::chrono::seconds(0)) == std::future_status::ready);
    const Answer r = a.get();
    CHECK((r.given || !r.why.empty()));
  }
}

TEST_CASE("What a job throws ends with it, and what breaks the renderer is told while the document stays",
          "[session][jobs]") {
  std::mutex mutex;
  std::string error;
  const auto s = open([&](const std::shared_ptr<const SessionImage>& i) {
    const std::lock_guard lock(mutex);
    if (!i->error.empty()) error = i->error;
  });
  const Document doc = lampSet();
  s->submit({.doc = doc});
  s->run([](const Session::State*, const std::string&) { throw std::runtime_error("of its own"); });
  s->run([](const Session::State*, const std::string&) { throw 7; });
  auto after = ask(*s, Session::Needs::Picture);
  REQUIRE(after.wait_for(limit) == std::future_status::ready);
  CHECK(after.get().given);
}

TEST_CASE("A lens at work is broken off when the session ends", "[session][jobs][lens]") {
  // A mirror copy with spread at 1600 × 900 takes seconds; leaving takes a moment.
  Document doc = lampSet();
  doc = setValue(setValue(doc, doc.settings().id, "width", Constant(1600.0)), doc.settings().id, "height",
                 Constant(900.0));
  for (int i = 0; i < 6; ++i) {
    NodeId id = 0;
    doc = addNode(doc, "lens.mirror_copy", "", {}, &id);
    doc = setValue(doc, id, "spread_across", Constant(0.3));
  }
  const CancelFlag never;
  const Traced t = trace(doc, 1);
  CancelFlag cancel;
  std::thread asks([&] {
    std::this_thread::sleep_for(std::chrono::milliseconds(60));
    cancel.request();
  });
  CHECK_THROWS_AS(develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool(), {.cancel = &cancel}), Error);
  asks.join();
}

TEST_CASE("Proofs lie beside their document and come back with their branches", "[session][proof]") {
  const TemporaryFolder folder;
  const ColorViews views;
  const std::string file = folder / "shot.ilum";
  const Document doc = writeDocument(lampSet(), file);
  Picture p(32, 24);
  for (size_t i = 0; i < p.rgb.size(); ++i) p.rgb[i] = float(i % 97) * 0.37f;
  ProofSet set;
  set.proofs.push_back(std::make_shared<const Proof>(makeProof(1, "Proof 1", doc, 1, p, 16, 0)));
  p.rgb[5] = 1000;
  set.proofs.push_back(
      std::make_shared<const Proof>(makeProof(2, "Lamp power 600 lm → 900 lm", withPower(doc, 900), 1, p, 32, 1)));
  set.next = 3;
  set.parent = 2;
  CHECK(writeProofs(file, set, views).empty());
  std::vector<std::string> warnings;
  const ProofSet back = readProofs(kinds(), file, &warnings);
  CHECK(warnings.empty());
  REQUIRE(back.proofs.size() == 2);
  CHECK(back.next == 3);
  CHECK(back.parent == 2);
  for (size_t i = 0; i < 2; ++i) {
    CHECK(back.proofs[i]->half == set.proofs[i]->half);
    CHECK(back.proofs[i]->name == set.proofs[i]->name);
    CHECK(back.proofs[i]->parent == set.proofs[i]->parent);
    CHECK(back.proofs[i]->samples == set.proofs[i]->samples);
    CHECK(back.proofs[i]->doc == set.proofs[i]->doc);
  }
  // Nothing is written twice; what is deleted goes; what is not ours stays.
  const auto files = [&] {
    return size_t(std::distance(fs::directory_iterator(proofFolder(file)), fs::directory_iterator()));
  };
  CHECK(files() == 5);
  writeFileAtomically(proofFolder(file) + "/notes.txt", "mine");
  set.proofs.erase(set.proofs.begin());
  writeProofs(file, set, views);
  CHECK(files() == 4);
  // Beyond the room the oldest are left out, and named.
  set = back;
  CHECK(writeProofs(file, set, views, proofBytes(*set.proofs[0]) + 10) == std::vector<int>{1});
  CHECK(readProofs(kinds(), file, nullptr).proofs.size() == 1);
  // A picture that cannot be read is told, and neither it nor its place in the index goes with the next save.
  set = back;
  writeProofs(file, set, views);
  const std::string picture =
                        proofFolder(file) + "/" +
                        nlohmann::json::parse(readFile(proofFolder(file) + "/proofs.json"))["proofs"][1]["picture"]
                            .get<std::string>(),
                    whole = readFile(picture);
  writeFileAtomically(picture, whole.substr(0, whole.size() / 2));
  ProofSet half = readProofs(kinds(), file, &warnings);
  CHECK(warnings.size() == 1);
  REQUIRE(half.proofs.size() == 1);
  REQUIRE(half.unread.size() == 1);
  CHECK(half.next == 3);
  writeProofs(file, half, views);
  CHECK(fs::exists(picture));
  writeFileAtomically(picture, whole);
  CHECK(readProofs(kinds(), file, &warnings).proofs.size() == 2);
  // A broken index is told, and put aside; what it named stays.
  writeFileAtomically(proofFolder(file) + "/proofs.json", "{");
  CHECK(readProofs(kinds(), file, &warnings).proofs.empty());
  CHECK(warnings.size() == 2);
  CHECK(writeProofs(file, {}, views).empty());
  CHECK(readFile(proofFolder(file) + "/proofs.json") == "{");
  half.unread.clear();
  writeProofs(file, half, views);
  CHECK(readFile(proofFolder(file) + "/proofs-unreadable.json") == "{");
  CHECK(fs::exists(picture));
  // Without proofs the folder stays as long as something of others is in it.
  writeProofs(file, {}, views);
  CHECK(readFile(proofFolder(file) + "/notes.txt") == "mine");
  CHECK_FALSE(fs::exists(proofFolder(file) + "/proofs.json"));
}

TEST_CASE("A proof is named by what changed since the one before", "[session][proof]") {
  const Document doc = lampSet("Halo");
  CHECK(nameByChange(doc, doc).empty());
  CHECK(nameByChange(doc, withPower(doc, 900)) == "Lamp power 600 lm → 900 lm");
  CHECK(nameByChange(doc, setValue(withPower(doc, 900), doc.settings().id, "samples", Constant(9.0))) ==
        "Lamp power 600 lm → 900 lm and 1 more");
  CHECK(nameByChange(doc, atFrame(doc, 12)).empty());
  CHECK(nameByChange(doc, removeNode(doc, doc.findByName("Halo")->id)) == "without Halo");
}
