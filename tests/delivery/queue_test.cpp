#include "core/delivery/queue.h"

#include "core/base/files.h"
#include "core/display/view.h"
#include "core/document/edit.h"
#include "core/document/file.h"
#include "core/exchange/picture_file.h"
#include "tests/delivery/ball.h"

#include <csignal>
#include <dirent.h>
#include <fcntl.h>
#include <filesystem>
#include <fstream>
#include <random>
#include <sys/mount.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

namespace fs = std::filesystem;
using State = QueueEntry::State;

Document litBall(int samples = 2) { return bobbingBall(32, 20, samples); }

Job jobFor(int first, int last, const std::string& output) {
  Job job;
  job.set("first_frame", double(first));
  job.set("last_frame", double(last));
  job.set("output", output);
  return job;
}

// A queue in a folder, worked on by a thread of this program.
struct Working {
  TemporaryFolder folder;
  Queue queue{folder / "queue"};
  CancelFlag stop;
  std::thread thread;
  void run() { runQueue(queue, stop); }
  void start() {
    stop.clear();
    thread = std::thread([this] { runQueue(queue, stop); });
  }
  void join() {
    if (thread.joinable()) thread.join();
  }
  ~Working() {
    stop.request();
    join();
  }
  State state(int id) const { return queue.entry(id).state; }
  template <typename F> bool wait(const F& f, double seconds = 60) const {
    for (int i = 0; i < int(seconds * 50); ++i) {
      if (f()) return true;
      std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
    return false;
  }
};

std::string commandLine(pid_t pid) {
  std::ifstream in("/proc/" + std::to_string(pid) + "/cmdline", std::ios::binary);
  std::string text{std::istreambuf_iterator<char>(in), {}};
  std::replace(text.begin(), text.end(), '\0', ' ');
  return text;
}

// Processes that work on an entry of this queue.
std::vector<pid_t> workers(const Queue& queue) {
  std::vector<pid_t> out;
  for (const auto& e : fs::directory_iterator("/proc")) {
    const std::string name = e.path().filename().string();
    if (name.find_first_not_of("0123456789") != std::string::npos) continue;
    const auto pid = pid_t(std::stol(name));
    const std::string words = commandLine(pid);
    if (words.find("--work-on-entry " + queue.folder()) != std::string::npos) out.push_back(pid);
  }
  return out;
}

} // namespace

TEST_CASE("A queue keeps its entries in order on the disk, and each can be changed", "[queue]") {
  Working w;
  const Queue& q = w.queue;
  CHECK(q.entries().empty());
  CHECK_FALSE(q.running());
  const Document doc = litBall();
  const int a = q.add(doc, "/shots/one.ilum", jobFor(1, 3, w.folder / "a.png")),
            b = q.add(doc, "/shots/two.ilum", jobFor(1, 2, w.folder / "b.exr")),
            c = q.add(doc, "", jobFor(1, 1, w.folder / "c.png"));
  const auto order = [&] {
    std::vector<int> out;
    for (const QueueEntry& e : Queue(q.folder()).entries()) out.push_back(e.id);
    return out;
  };
  CHECK(order() == std::vector<int>{a, b, c});
  CHECK(q.entry(a).name == "one");
  CHECK(q.entry(a).job == jobFor(1, 3, w.folder / "a.png"));
  CHECK(q.entry(a).progress.total == 3);
  q.move(c, 0);
  CHECK(order() == std::vector<int>{c, a, b});
  q.move(c, 99);
  CHECK(order() == std::vector<int>{a, b, c});
  q.pause(a);
  q.cancel(b);
  CHECK(w.state(a) == State::Paused);
  CHECK(w.state(b) == State::Cancelled);
  q.resume(b);
  CHECK(w.state(b) == State::Waiting);
  q.cancel(b);
  q.clear();
  CHECK(order() == std::vector<int>{a, c});
  CHECK_FALSE(fs::exists(q.entryFolder(b)));
  q.setPaused(true);
  CHECK(q.paused());
  CHECK_FALSE(q.hasWork());
  CHECK_THROWS(q.entry(b));
  CHECK_THROWS(q.move(b, 0));
  // A number is never given twice.
  CHECK(q.add(doc, "", jobFor(1, 1, w.folder / "d.png")) > c);
  writeFileAtomically(q.folder() + "/queue.json", "[not a queue");
  CHECK_THAT(refusal([&] { q.entries(); }), Catch::Contains("queue.json"));
  CHECK_THAT(refusal([&] { q.add(doc, "", jobFor(1, 1, w.folder / "e.png")); }), Catch::Contains("queue.json"));
}

TEST_CASE("A queue is worked on in order, with the documents as they were; what is paused is left", "[queue]") {
  Working w;
  const Document doc = litBall();
  const int a = w.queue.add(doc, "/shots/one.ilum", jobFor(1, 3, w.folder / "out/{name}.exr")),
            b = w.queue.add(doc, "", jobFor(1, 2, w.folder / "b.exr")),
            c = w.queue.add(doc, "", jobFor(1, 4, w.folder / "c.webm"));
  w.queue.pause(b);
  w.run();
  CHECK(w.state(a) == State::Done);
  CHECK(w.state(b) == State::Paused);
  CHECK(w.state(c) == State::Done);
  CHECK(fs::exists(w.folder / "out/one.0003.exr"));
  CHECK_FALSE(fs::exists(w.folder / "b.0001.exr"));
  CHECK(fs::exists(w.folder / "c.webm"));
  CHECK_FALSE(fs::exists(w.queue.entryFolder(c) + "/frames"));
  CHECK(w.queue.entry(a).progress.share == 1);
  CHECK(w.queue.entry(a).seconds > 0);
  CHECK(secondsLeft(w.queue.entries(), w.queue.entry(b)) > 0);
  CHECK(secondsLeft(w.queue.entries()) == 0);
  w.queue.resume(b);
  w.run();
  CHECK(w.state(b) == State::Done);
  // As if it had been rendered here.
  const ColorViews views;
  const Tasks tasks(2);
  deliver(doc, jobFor(2, 2, w.folder / "here.exr"), tasks, views);
  CHECK(readPicture(w.folder / "b.0002.exr").find("")->data == readPicture(w.folder / "here.0002.exr").find("")->data);
}

TEST_CASE("A delivery that is paused, or whose queue is, stops at the frames that it has and goes on there",
          "[queue]") {
  Working w;
  const int a = w.queue.add(litBall(8), "", jobFor(1, 40, w.folder / "a.exr"));
  w.start();
  REQUIRE(w.wait([&] { return fs::exists(w.folder / "a.0002.exr"); }));
  CHECK(w.queue.running());
  CHECK_FALSE(runQueue(w.queue, w.stop)); // one at a time
  w.queue.pause(a);
  w.join();
  CHECK(w.state(a) == State::Paused);
  CHECK_FALSE(w.queue.running());
  const std::string second = readFile(w.folder / "a.0002.exr");
  CHECK_FALSE(fs::exists(w.folder / "a.0040.exr"));
  w.queue.resume(a);
  w.start();
  REQUIRE(w.wait([&] { return w.queue.entry(a).progress.done > 4; }));
  w.queue.setPaused(true);
  w.join();
  CHECK(w.state(a) == State::Waiting);
  w.queue.setPaused(false);
  w.queue.cancel(a);
  w.run();
  CHECK(w.state(a) == State::Cancelled);
  CHECK(readFile(w.folder / "a.0002.exr") == second);
  for (const auto& e : fs::directory_iterator(w.folder.path()))
    CHECK(e.path().string().find(".part") == std::string::npos);
}

TEST_CASE("An entry that is taken out while it runs ends, and leaves no folder", "[queue]") {
  Working w;
  const int a = w.queue.add(litBall(8), "", jobFor(1, 400, w.folder / "a.webm")); // frames wait in the entry's folder
  w.start();
  REQUIRE(w.wait([&] { return w.queue.entry(a).progress.done > 1; }));
  const std::string folder = w.queue.entryFolder(a);
  CHECK(fs::exists(folder));
  w.queue.remove(a);
  w.join();
  CHECK(w.queue.entries().empty());
  CHECK_FALSE(fs::exists(folder));
}

TEST_CASE("What stops a delivery from outside holds it, is told, and is gone on from by itself", "[queue]") {
  Working w;
  // Where a folder should be there is a file.
  writeFileAtomically(w.folder / "shots", "in the way");
  const int a = w.queue.add(litBall(), "", jobFor(1, 2, w.folder / "shots/a.png")),
            b = w.queue.add(litBall(), "", jobFor(1, 1, w.folder / "b.png"));
  w.start();
  REQUIRE(w.wait([&] { return w.state(a) == State::Held; }));
  CHECK_THAT(w.queue.entry(a).why, Catch::Contains("shots"));
  CHECK(w.state(b) == State::Waiting);
  fs::remove(w.folder / "shots");
  REQUIRE(w.wait([&] { return w.state(a) == State::Done; }));
  REQUIRE(w.wait([&] { return w.state(b) == State::Done; }));
  CHECK(w.queue.entry(a).why.empty());
  CHECK(fs::exists(w.folder / "shots/a.0002.png"));
}

TEST_CASE("A worker that dies is begun again at its frame, and after twice at one frame it has failed", "[queue]") {
  Working w;
  const int a = w.queue.add(litBall(4000), "", jobFor(1, 3, w.folder / "a.exr")),
            b = w.queue.add(litBall(), "", jobFor(1, 1, w.folder / "b.exr"));
  w.start();
  for (int i = 0; i < 2; ++i) {
    REQUIRE(w.wait([&] { return !workers(w.queue).empty() && w.queue.entry(a).progress.samples > 0; }));
    for (const pid_t pid : workers(w.queue)) ::kill(pid, SIGKILL);
    REQUIRE(w.wait([&] { return i == 0 ? !w.queue.entry(a).told.empty() : w.state(a) == State::Failed; }));
    std::error_code e;
    if (i == 0) fs::remove(w.queue.entryFolder(a) + "/progress.json", e);
  }
  CHECK_THAT(w.queue.entry(a).told[0], Catch::Contains("Frame 1 was begun again") && Catch::Contains("killed"));
  CHECK_THAT(w.queue.entry(a).why, Catch::Contains("Frame 1 failed twice"));
  REQUIRE(w.wait([&] { return w.state(b) == State::Done; })); // the rest goes on
}

TEST_CASE("A disk that is full holds an entry, which goes on by itself when there is room", "[queue]") {
  Working w;
  const std::string disk = w.folder / "disk";
  fs::create_directories(disk);
  if (::mount("small", disk.c_str(), "tmpfs", 0, "size=20k") != 0) {
    WARN("no small disk can be made here: this test says nothing");
    return;
  }
  const int a = w.queue.add(litBall(), "", jobFor(1, 8, disk + "/a.exr")),
            b = w.queue.add(litBall(), "", jobFor(1, 1, w.folder / "b.png"));
  w.start();
  CHECK(w.wait([&] { return w.state(a) == State::Held; }));
  CHECK_THAT(w.queue.entry(a).why, Catch::Contains("No space left"));
  CHECK(w.state(b) == State::Waiting);
  for (int i = 1; i <= 8; ++i) // nothing is half there
    if (const std::string f = frameName(disk + "/a.exr", i); fs::exists(f)) CHECK_NOTHROW(readPicture(f));
  CHECK_FALSE(fs::exists(frameName(disk + "/a.exr", 8)));
  CHECK(::mount("small", disk.c_str(), "tmpfs", MS_REMOUNT, "size=2m") == 0);
  CHECK(w.wait([&] { return w.state(b) == State::Done; }));
  CHECK(w.state(a) == State::Done);
  for (int i = 1; i <= 8; ++i) CHECK_NOTHROW(readPicture(frameName(disk + "/a.exr", i)));
  w.join();
  CHECK(::umount2(disk.c_str(), MNT_DETACH) == 0);
}

TEST_CASE("A queue that is killed at random moments comes to the same frames", "[queue][long]") {
  const Document doc = litBall(12);
  const TemporaryFolder undisturbed;
  {
    const ColorViews views;
    const Tasks tasks(2);
    deliver(doc, jobFor(1, 24, undisturbed / "a.exr"), tasks, views);
  }
  Working w;
  const int a = w.queue.add(doc, "", jobFor(1, 24, w.folder / "a.exr"));
  std::mt19937 chance(7);
  int kills = 0;
  for (; kills < 50 && w.state(a) != State::Done; ++kills) {
    startQueue(w.queue);
    std::this_thread::sleep_for(std::chrono::milliseconds(chance() % 1500));
    // Everything that works on it, at once.
    for (const auto& e : fs::directory_iterator("/proc")) {
      const std::string name = e.path().filename().string();
      if (name.find_first_not_of("0123456789") != std::string::npos || std::stol(name) == ::getpid()) continue;
      if (commandLine(pid_t(std::stol(name))).find(w.queue.folder()) != std::string::npos)
        ::kill(pid_t(std::stol(name)), SIGKILL);
    }
    for (int i = 1; i <= 24; ++i) // what is there is whole
      if (const std::string f = frameName(w.folder / "a.exr", i); fs::exists(f)) CHECK_NOTHROW(readPicture(f));
  }
  INFO(kills);
  if (w.state(a) != State::Done) {
    w.queue.resume(a);
    REQUIRE(w.wait([&] { return !w.queue.running(); }));
    w.run();
  }
  REQUIRE(w.state(a) == State::Done);
  for (int i = 1; i <= 24; ++i) {
    INFO(i);
    CHECK(readPicture(frameName(w.folder / "a.exr", i)).find("")->data ==
          readPicture(frameName(undisturbed / "a.exr", i)).find("")->data);
  }
}

TEST_CASE("A window that is killed at random moments leaves the queue, its frames and its document whole",
          "[queue][long]") {
  const std::string window = fs::path(ILUMBRA_CLI).parent_path() / "ilumbra";
  if (!fs::exists(window)) {
    WARN("the window is not built: this test says nothing");
    return;
  }
  Working w;
  const Document doc = writeDocument(litBall(12), w.folder / "ball.ilum");
  const int a = w.queue.add(doc, w.folder / "ball.ilum", jobFor(1, 24, w.folder / "a.exr"));
  std::mt19937 chance(13);
  for (int kills = 0; kills < 50; ++kills) {
    const pid_t pid = ::fork();
    if (pid == 0) {
      ::setenv("ILUMBRA_QUEUE", w.queue.folder().c_str(), 1);
      ::setenv("QT_QPA_PLATFORM", "offscreen", 1);
      ::setenv("XDG_STATE_HOME", (w.folder / "state").c_str(), 1);
      const int nowhere = ::open("/dev/null", O_WRONLY);
      ::dup2(nowhere, 1);
      ::dup2(nowhere, 2);
      ::execl(window.c_str(), window.c_str(), (w.folder / "ball.ilum").c_str(), nullptr);
      ::_exit(127);
    }
    if (kills % 5 == 0) startQueue(w.queue); // as the window would
    std::this_thread::sleep_for(std::chrono::milliseconds(chance() % 1500));
    ::kill(pid, SIGKILL);
    int status = 0;
    ::waitpid(pid, &status, 0);
    CHECK((WIFSIGNALED(status) && WTERMSIG(status) == SIGKILL));
    for (int i = 1; i <= 24; ++i)
      if (const std::string f = frameName(w.folder / "a.exr", i); fs::exists(f)) CHECK_NOTHROW(readPicture(f));
  }
  startQueue(w.queue);
  REQUIRE(w.wait([&] { return w.state(a) == State::Done; }, 120));
  CHECK(readDocument(kinds(), w.folder / "ball.ilum") == doc);
  const TemporaryFolder undisturbed;
  const ColorViews views;
  const Tasks tasks(2);
  deliver(doc, jobFor(1, 24, undisturbed / "a.exr"), tasks, views);
  for (int i = 1; i <= 24; ++i) {
    INFO(i);
    CHECK(readPicture(frameName(w.folder / "a.exr", i)).find("")->data ==
          readPicture(frameName(undisturbed / "a.exr", i)).find("")->data);
  }
}
