// What it costs to divide a delivery among processes.
#include "bench/parts.h"

#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/document/file.h"

#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <sys/wait.h>
#include <unistd.h>

using namespace ilumbra;

namespace {

// Processes side by side, until all have ended.
void sideBySide(int count, const std::function<void(int)>& inEach) {
  std::vector<pid_t> children;
  for (int i = 0; i < count; ++i) {
    const pid_t pid = ::fork();
    if (pid == 0) {
      inEach(i);
      ::_exit(127);
    }
    children.push_back(pid);
  }
  for (const pid_t pid : children) {
    int status = 0;
    ::waitpid(pid, &status, 0);
    if (!WIFEXITED(status) || WEXITSTATUS(status) != 0) throw ioError("a process of the bench failed");
  }
}

// The command line's program, which stands beside this one.
[[noreturn]] void become(const std::vector<std::string>& words) {
  static const std::string program = std::filesystem::read_symlink("/proc/self/exe").parent_path() / "ilumbra-cli";
  std::vector<char*> argv{const_cast<char*>(program.c_str())};
  for (const std::string& w : words) argv.push_back(const_cast<char*>(w.c_str()));
  argv.push_back(nullptr);
  const int nowhere = ::open("/dev/null", O_WRONLY);
  ::dup2(nowhere, 1);
  ::dup2(nowhere, 2);
  ::execv(program.c_str(), argv.data());
  ::_exit(127);
}

} // namespace

void farmRatios(Hall& hall) {
  Document small = sized(hall.doc, 160, 90);
  small = setValue(small, small.settings().id, "noise", Constant(0.0));
  small = setValue(small, small.settings().id, "samples", Constant(68.0));
  const std::string file = hall.folder + "/small.ilum";
  writeDocument(small, file);
  const auto chunk = [&](int from, int to, int part) {
    become({"chunk", file, "--samples-from", std::to_string(from), "--samples-to", std::to_string(to), "--threads", "1",
            "-o", fmt::format("{}/{}.film", hall.folder, part)});
  };
  const double start = best(3, [&] { sideBySide(1, [&](int) { chunk(0, 2, 0); }); }),
               more = best(3, [&] { sideBySide(1, [&](int) { chunk(0, 34, 0); }); });
  const double each = (more - start) / 16;
  line("starting a chunk ÷ two samples of it", "told", fmt::format("{:.1f}", (start - each) / each),
       fmt::format(
           "orrery-hall 160×90, one thread: {:.2f} s until its first samples are written, then {:.3f} s each two",
           start, each));

  const auto frames = [&](int first, int last) {
    become({"render", file, "--frames", fmt::format("{}-{}", first, last), "--samples", "2", "-o",
            hall.folder + "/frames/f.exr"});
  };
  const double one = seconds([&] { sideBySide(1, [&](int) { frames(1, 24); }); }),
               all = seconds([&] {
                 for (int f = 1; f <= 24; ++f) sideBySide(1, [&](int) { frames(f, f); });
               });
  line("24 frames in 24 processes ÷ in one", "told", fmt::format("{:.1f}", all / one),
       fmt::format("the same, two samples: {:.2f} s and {:.2f} s", all, one));

  // Two tasks side by side, each with its thread, against one; and bare Embree likewise.
  SceneCache cache;
  const ScenePtr scene = hall.compile(sized(hall.doc, 480, 270), cache);
  const RayLog log = raysOf(*scene, 2);
  const auto bare = [&](int) {
    for (int k = 0; k < 8; ++k) replay(log.rays, 0, log.rays.size());
    ::_exit(0);
  };
  std::vector<double> ours, bares, ratios;
  for (int run = 0; run < 3; ++run) {
    const auto task = [&](int i) { chunk(18 * i, 18 * i + 18, i); };
    const double t1 = seconds([&] { sideBySide(1, task); }), t2 = seconds([&] { sideBySide(2, task); }),
                 b1 = seconds([&] { sideBySide(1, bare); }), b2 = seconds([&] { sideBySide(2, bare); });
    ours.push_back(2 * t1 / t2);
    bares.push_back(2 * b1 / b2);
    ratios.push_back(ours.back() / bares.back());
  }
  line("two tasks of a farm side by side: our scaling ÷ bare Embree's", "≥ 0.95", fmt::format("{:.2f}", median(ratios)),
       fmt::format("chunks of 18 samples with a thread each, processes that replay rays: ours × {:.2f}, bare × {:.2f}",
                   median(ours), median(bares)));
}
