// A farm by a real scheduler, which the test starts; skipped, with a word, where it cannot be.
#include "core/delivery/farm.h"

#include "core/base/files.h"
#include "core/display/view.h"
#include "core/document/edit.h"
#include "core/document/file.h"
#include "core/exchange/picture_file.h"
#include "tests/delivery/ball.h"

#include <csignal>
#include <cstdlib>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <sys/wait.h>
#include <thread>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

namespace fs = std::filesystem;

struct Slurm {
  explicit Slurm(std::string folder) : dir(std::move(folder)) {
    const int code = run("start");
    started = code == 0;
    skipped = WIFEXITED(code) && WEXITSTATUS(code) == 77;
    if (started) ::setenv("SLURM_CONF", (dir + "/slurm.conf").c_str(), 1);
  }
  ~Slurm() {
    if (started) run("stop");
  }
  int run(const char* what) const {
    return std::system(fmt::format("'{}/tests/delivery/slurm.sh' {} '{}'", ILUMBRA_SOURCE, what, dir).c_str());
  }
  std::string dir;
  bool started = false, skipped = false;
};

template <typename F> bool wait(const F& f, int seconds) {
  for (int i = 0; i < seconds * 10; ++i) {
    if (f()) return true;
    std::this_thread::sleep_for(std::chrono::milliseconds(100));
  }
  return false;
}

// Kills the process that works on a task, as a machine that goes down would; false if there is none.
bool killTask(const std::string& folder, int task) {
  for (const auto& e : fs::directory_iterator("/proc")) {
    const std::string name = e.path().filename().string();
    if (name.find_first_not_of("0123456789") != std::string::npos) continue;
    std::ifstream in(e.path() / "cmdline", std::ios::binary);
    std::string words{std::istreambuf_iterator<char>(in), {}};
    std::replace(words.begin(), words.end(), '\0', ' ');
    if (words.find(ILUMBRA_CLI) == 0 && words.find(fmt::format("farm task {} {} ", folder, task)) != std::string::npos)
      return ::kill(pid_t(std::stol(name)), SIGKILL) == 0;
  }
  return false;
}

} // namespace

TEST_CASE("A scheduler runs a farm's tasks and its end, and one that is killed is run again", "[farm][long]") {
  const TemporaryFolder folder;
  const Slurm slurm(folder / "slurm");
  if (slurm.skipped) {
    WARN("no Slurm can be started here: this test says nothing");
    return;
  }
  REQUIRE(slurm.started);
  const Document doc = writeDocument(bobbingBall(96, 60, 40), folder / "ball.ilum");
  const bool still = GENERATE(false, true);
  Job job;
  if (still) {
    job.set("what", std::string("still"));
    job.set("samples", 400.0);
    job.set("output", folder / "farmed.exr");
  } else {
    job.set("first_frame", 1.0);
    job.set("last_frame", 8.0);
    job.set("output", folder / "farmed/f.exr; " + folder / "farmed/f.webm");
  }
  Farm farm = makeFarm(doc, folder / "ball.ilum", job, 4, folder / (still ? "still.farm" : "frames.farm"), ILUMBRA_CLI);
  submitFarm(farm);
  CHECK(readFarm(farm.folder).submitted == farm.submitted);
  bool killed = false;
  CHECK(wait([&] { return killed = killed || killTask(farm.folder, 1); }, 60));
  const auto all = [&] {
    const auto states = farmState(farm);
    return std::all_of(states.begin(), states.end(), [](const FarmTaskState& t) { return t.state == "done"; });
  };
  const bool done = wait(all, 240);
  for (const FarmTaskState& t : farmState(farm)) UNSCOPED_INFO(t.label << ": " << t.state << " " << t.why);
  REQUIRE(done);
  CHECK(readFile(farm.folder + "/logs/0001.log").find("again") != std::string::npos);
  Job alone = farm.job;
  const ColorViews views;
  const Tasks tasks(2);
  alone.set("output", folder / (still ? "one.exr" : "alone/f.exr"));
  deliver(doc, alone, tasks, views);
  if (still) {
    CHECK(readPicture(folder / "farmed.exr").find("")->data == readPicture(folder / "one.exr").find("")->data);
  } else {
    CHECK(fs::exists(folder / "farmed/f.webm"));
    for (int i = 1; i <= 8; ++i)
      CHECK(readPicture(frameName(folder / "farmed/f.exr", i)).find("")->data ==
            readPicture(frameName(folder / "alone/f.exr", i)).find("")->data);
  }
}
