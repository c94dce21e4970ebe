#include "core/delivery/farm.h"

#include "core/base/files.h"
#include "core/delivery/bundle.h"
#include "core/delivery/chunk.h"
#include "core/display/view.h"
#include "core/document/edit.h"
#include "core/document/file.h"
#include "core/exchange/picture_file.h"
#include "tests/delivery/ball.h"

#include <csignal>
#include <cstdlib>
#include <filesystem>
#include <fmt/format.h>
#include <random>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

namespace fs = std::filesystem;

// A glass ball that gathers light, a lamp that is seen, a sky, a halo: what films keep in every way.
Document glassBall(int samples) {
  Set s(40, 26);
  s.settings({{"samples", std::to_string(samples).c_str()}, {"noise", "0 %"}, {"denoise", "off"}});
  s.look("0, 0.9, 3", "0, 0.3, 0");
  s.add("object.plane", "Floor", {{"width", "8"}, {"depth", "8"}});
  s.preset("Glass", "Crown glass");
  const NodeId ball =
      s.add("object.sphere", "Ball", {{"radius", "0.35"}, {"position", "0, 0.4, 0"}, {"material", "Glass"}});
  s.set(ball,
        {{"position", R"({"value": [0, 0.4, 0], "movers": [{"kind": "bob", "reach": [0, 0.2, 0], "period": 12}]})"}});
  s.add("light.point", "Lamp", {{"position", "1, 1.3, -0.6"}, {"power", "900"}, {"radius", "60 mm"}});
  s.add("light.sky", "Sky", {{"power", "15"}});
  s.add("effect.caustics", "Gathered", {{"from", "Lamp"}, {"through", "Ball"}, {"onto", "Floor"}});
  s.add("effect.glow", "Shine", {{"from", "Lamp"}});
  s.add("lens.glow", "Halo", {{"sources", "Shine"}});
  s.set(s.find("Shine"), {{"lens", "Halo"}});
  return s.take();
}

Job still(const std::string& output) {
  Job job;
  job.set("what", std::string("still"));
  job.set("output", output);
  job.set("passes", std::string("identity,lights,normal"));
  return job;
}

struct Here {
  ColorViews views;
  Tasks tasks{2};
};

void checkSame(const std::string& a, const std::string& b) {
  const PictureFile x = readPicture(a), y = readPicture(b);
  REQUIRE(x.layers.size() == y.layers.size());
  for (const FileLayer& l : x.layers) {
    INFO(l.name);
    REQUIRE(y.find(l.name));
    CHECK(l.data == y.find(l.name)->data);
  }
}

} // namespace

TEST_CASE("Samples are divided into chunks of even numbers that leave none out", "[chunk]") {
  for (const uint32_t samples : {1u, 2u, 7u, 64u, 100u})
    for (const int parts : {1, 3, 8, 200}) {
      const auto all = chunksOf(samples, parts);
      uint32_t next = 0;
      for (const Chunk& c : all) {
        CHECK(c.from == next);
        CHECK(c.to > c.from);
        CHECK(c.from % 2 == 0);
        CHECK(c.to % 2 == 0);
        next = c.to;
      }
      CHECK(next >= samples);
      CHECK(next <= samples + 1);
      CHECK(int(all.size()) <= parts);
    }
}

TEST_CASE("41: films of chunks that are merged are the render in chunks in one go, to the bit", "[chunk]") {
  const TemporaryFolder folder;
  Here here;
  const Document doc = glassBall(12);
  Job job = still(folder / "whole.exr");
  job.set("chunks", 3.0);
  deliver(doc, job, here.tasks, here.views);
  std::vector<std::string> films;
  for (const Chunk& c : chunksOf(12, 3)) {
    films.push_back(folder / fmt::format("{}.film", c.from));
    // On another number of threads, each for itself.
    const Tasks one(1);
    FrameMaker maker(one);
    writeChunk(documentFor(doc, job), job, 1, c, maker, films.back());
    CHECK(isChunkThere(films.back(), documentFor(doc, job), job, 1, c));
  }
  std::swap(films[0], films[2]); // in whatever order they are named
  FrameMaker maker(here.tasks);
  Job merged = job;
  merged.set("output", folder / "merged.exr");
  deliverFrame(doc, merged, mergeChunks(films, kinds(), maker), here.tasks, here.views);
  checkSame(folder / "whole.exr", folder / "merged.exr");
  // As many samples in one film have the same mean, within rounding: nothing is counted twice or lost.
  Job plain = still(folder / "plain.exr");
  deliver(doc, plain, here.tasks, here.views);
  const Picture a = readPicture(folder / "whole.exr").picture(), b = readPicture(folder / "plain.exr").picture();
  CHECK(mean(a) == Approx(mean(b)).epsilon(1e-3));
}

TEST_CASE("Films that do not go together are refused, each with its reason", "[chunk]") {
  const TemporaryFolder folder;
  Here here;
  const Document doc = glassBall(8);
  const Job job = still(folder / "x.exr");
  FrameMaker maker(here.tasks);
  const auto film = [&](const Document& d, uint32_t from, uint32_t to, const char* name) {
    writeChunk(documentFor(d, job), job, 1, {from, to}, maker, folder / name);
    return folder / name;
  };
  const std::string a = film(doc, 0, 2, "a.film"), b = film(doc, 2, 4, "b.film"), c = film(doc, 4, 6, "c.film"),
                    other = film(setValue(doc, doc.findByName("Lamp")->id, "power", Constant(5.0)), 2, 4, "o.film");
  const auto why = [&](const std::vector<std::string>& films) {
    return refusal([&] { mergeChunks(films, kinds(), maker); });
  };
  CHECK_THAT(why({a, c}), Catch::Contains("samples 2 to 3 are missing"));
  CHECK_THAT(why({a, b, b}), Catch::Contains("are there already"));
  CHECK_THAT(why({a, other}), Catch::Contains("o.film") && Catch::Contains("another picture"));
  CHECK_THAT(why({}), Catch::Contains("nothing"));
  const std::string whole = readFile(b);
  writeFileAtomically(b, whole.substr(0, whole.size() - 40));
  CHECK_THAT(why({a, b}), Catch::Contains("b.film") && Catch::Contains("cut"));
  CHECK_FALSE(isChunkThere(b, documentFor(doc, job), job, 1, {2, 4}));
  std::string unlike = whole;
  unlike.replace(unlike.find("avx2"), 4, "neon");
  writeFileAtomically(b, unlike);
  CHECK_THAT(why({a, b}), Catch::Contains("neon"));
  writeFileAtomically(b, "something else");
  CHECK_THAT(why({a, b}), Catch::Contains("no film"));
  CHECK_THROWS(writeChunk(documentFor(doc, job), job, 1, {1, 4}, maker, folder / "odd.film"));
}

TEST_CASE("A bundle has a document with all its files, and renders as it did; what changed in it is told", "[bundle]") {
  const TemporaryFolder folder, elsewhere;
  Here here;
  PictureFile picture;
  picture.width = picture.height = 4;
  picture.layers.push_back({"", {"R", "G", "B"}, false, std::vector<float>(48, 0.5f)});
  const std::string a = folder / "pictures/a.0001.exr", b = folder / "pictures/a.0002.exr",
                    c = folder / "other/a.0001.exr";
  for (const std::string& p : {a, b, c}) {
    fs::create_directories(fs::path(p).parent_path());
    for (float& v : picture.layers[0].data) v *= 0.7f;
    writePicture(picture, p, here.views, "Plain sRGB");
  }
  Set s(32, 20);
  s.look("0, 0, 3", "0, 0, 0");
  s.settings({{"samples", "2"}});
  s.add("object.card", "One",
        {{"file", a.c_str()}, {"height", "1"}, {"position", "-0.6, -0.5, 0"}, {"own_light", "300"}});
  s.add("object.card", "Two",
        {{"file", c.c_str()}, {"height", "1"}, {"position", "0.6, -0.5, 0"}, {"own_light", "300"}});
  Document doc = writeDocument(s.take(), folder / "cards.ilum");
  const Bundle made = writeBundle(doc, "cards", elsewhere / "bundle");
  CHECK(made.missing.empty());
  CHECK(made.files.size() == 3); // the sequence whole, and the other of the same name apart
  CHECK(checkBundle(elsewhere / "bundle").empty());
  const Document moved = readDocument(kinds(), made.document);
  fs::remove_all(folder / "pictures");
  fs::remove_all(folder / "other");
  Job job = still(folder / "moved.exr");
  deliver(moved, job, here.tasks, here.views);
  CHECK(mean(readPicture(folder / "moved.exr").picture()) > 0);
  CHECK(readPicture(folder / "moved.exr").metadata.count("ilumbra/document"));
  // A second time nothing is written anew; what is missing is named.
  const auto time = fs::last_write_time(elsewhere / "bundle/bundle.json");
  const Bundle again = writeBundle(moved, "cards", elsewhere / "bundle2");
  CHECK(again.files.size() == 3);
  CHECK(time == fs::last_write_time(elsewhere / "bundle/bundle.json"));
  writeFileAtomically(elsewhere / "bundle/" + made.files[0], "changed");
  fs::remove(elsewhere / "bundle/" + made.files[1]);
  CHECK(checkBundle(elsewhere / "bundle").size() == 2);
  const Bundle broken = writeBundle(doc, "cards", elsewhere / "bundle3");
  CHECK(broken.missing.size() == 2);
}

TEST_CASE("A farm's tasks, each run by itself and one of them twice, come to the frames and the movie of one run",
          "[farm]") {
  const TemporaryFolder folder;
  Here here;
  const Document doc = writeDocument(glassBall(2), folder / "ball.ilum");
  Job job;
  job.set("first_frame", 1.0);
  job.set("last_frame", 6.0);
  job.set("output", folder / "farmed/{name}.exr; " + folder / "farmed/ball.webm");
  job.set("what", GENERATE(std::string("frames"), std::string("turntable")));
  const Farm farm = makeFarm(doc, folder / "ball.ilum", job, 4, folder / "ball.farm", "ilumbra-cli");
  REQUIRE(farm.tasks.size() == 5);
  const Farm read = readFarm(folder / "ball.farm");
  CHECK(read.job == farm.job);
  CHECK(read.tasks.size() == 5);
  for (const size_t t : {size_t(2), size_t(0), size_t(3), size_t(1), size_t(1), size_t(4)})
    runFarmTask(read, t, kinds(), here.tasks, here.views);
  for (const FarmTaskState& s : farmState(read)) CHECK(s.state == "done");
  CHECK(fs::exists(folder / "farmed/ball.webm"));
  job.set("output", folder / "alone/{name}.exr");
  deliver(doc, job, here.tasks, here.views, {.document = folder / "ball.ilum"});
  for (int i = 1; i <= 6; ++i)
    checkSame(fmt::format("{}/farmed/ball.{:04}.exr", folder.path(), i),
              fmt::format("{}/alone/ball.{:04}.exr", folder.path(), i));
  CHECK_THROWS(runFarmTask(read, 5, kinds(), here.tasks, here.views));
}

TEST_CASE("A still that is farmed by samples is the one that is rendered in one go, to the bit", "[farm]") {
  const TemporaryFolder folder;
  Here here;
  const Document doc = writeDocument(glassBall(8), folder / "ball.ilum");
  const Farm farm =
      makeFarm(doc, folder / "ball.ilum", still(folder / "farmed.exr"), 4, folder / "ball.farm", "ilumbra-cli");
  REQUIRE(farm.tasks.size() == 5);
  CHECK_THAT(refusal([&] { runFarmTask(farm, 4, kinds(), here.tasks, here.views); }),
             Catch::Contains("are not there yet: they are task 0"));
  CHECK(farmState(farm)[4].state == "failed");
  for (size_t t = 0; t < 5; ++t) runFarmTask(farm, t, kinds(), here.tasks, here.views);
  Job one = farm.job;
  one.set("output", folder / "one.exr");
  deliver(doc, one, here.tasks, here.views);
  checkSame(folder / "farmed.exr", folder / "one.exr");
}

TEST_CASE("A farm's tasks that are killed at random moments come to the same frames", "[farm][long]") {
  const TemporaryFolder folder;
  const Document doc = writeDocument(bobbingBall(40, 26, 24), folder / "ball.ilum");
  Job job;
  job.set("first_frame", 1.0);
  job.set("last_frame", 24.0);
  job.set("output", folder / "farmed/f.exr");
  const Farm farm = makeFarm(doc, folder / "ball.ilum", job, 2, folder / "ball.farm", ILUMBRA_CLI);
  std::mt19937 chance(11);
  const auto task = [&](size_t number) {
    const pid_t pid = ::fork();
    if (pid == 0) {
      ::execl(ILUMBRA_CLI, ILUMBRA_CLI, "farm", "task", farm.folder.c_str(), std::to_string(number).c_str(), nullptr);
      ::_exit(127);
    }
    return pid;
  };
  const auto state = [&](size_t number) { return farmState(farm)[number].state; };
  int kills = 0;
  for (; kills < 50; ++kills) {
    const size_t number = size_t(kills) % 2;
    const pid_t pid = task(number);
    std::this_thread::sleep_for(std::chrono::milliseconds(chance() % 900));
    ::kill(pid, SIGKILL);
    int status = 0;
    ::waitpid(pid, &status, 0);
    for (int i = 1; i <= 24; ++i) // what is there is whole
      if (const std::string f = frameName(folder / "farmed/f.exr", i); fs::exists(f)) CHECK_NOTHROW(readPicture(f));
  }
  for (size_t number = 0; number < farm.tasks.size(); ++number) {
    int status = 0;
    ::waitpid(task(number), &status, 0);
    REQUIRE(WIFEXITED(status));
    CHECK(WEXITSTATUS(status) == 0);
    CHECK(state(number) == "done");
  }
  Job alone = farm.job;
  alone.set("output", folder / "alone/f.exr");
  Here here;
  deliver(doc, alone, here.tasks, here.views);
  for (int i = 1; i <= 24; ++i) {
    INFO(i);
    CHECK(readPicture(frameName(folder / "farmed/f.exr", i)).find("")->data ==
          readPicture(frameName(folder / "alone/f.exr", i)).find("")->data);
  }
}
