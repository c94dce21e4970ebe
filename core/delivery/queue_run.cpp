// Working on a queue: one program goes through the entries, and starts a process for each.
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/delivery/queue.h"
#include "core/display/view.h"
#include "core/document/file.h"

#include <chrono>
#include <csignal>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <spawn.h>
#include <sys/file.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

extern char** environ;

namespace ilumbra {

namespace fs = std::filesystem;
using Clock = std::chrono::steady_clock;
using State = QueueEntry::State;

namespace {

constexpr auto glance = std::chrono::milliseconds(100); // how often what was asked for is looked at
constexpr const char* queueWord = "--work-on-queue";
constexpr const char* entryWord = "--work-on-entry";

CancelFlag interrupted;

std::string thisProgram() {
  std::error_code e;
  return fs::read_symlink("/proc/self/exe", e).string();
}

pid_t start(const std::vector<std::string>& words, bool ofItsOwn) {
  std::vector<char*> argv;
  for (const std::string& w : words) argv.push_back(const_cast<char*>(w.c_str()));
  argv.push_back(nullptr);
  posix_spawnattr_t attributes;
  posix_spawnattr_init(&attributes);
  short flags = POSIX_SPAWN_SETSIGDEF;
  sigset_t all;
  sigemptyset(&all);
  for (const int s : {SIGINT, SIGTERM, SIGHUP, SIGPIPE}) sigaddset(&all, s);
  posix_spawnattr_setsigdefault(&attributes, &all);
  if (ofItsOwn) flags |= POSIX_SPAWN_SETSID;
  posix_spawnattr_setflags(&attributes, flags);
  posix_spawn_file_actions_t files;
  posix_spawn_file_actions_init(&files);
  if (ofItsOwn)
    for (const int fd : {0, 1, 2}) posix_spawn_file_actions_addopen(&files, fd, "/dev/null", O_RDWR, 0);
  pid_t pid = 0;
  const int e = posix_spawn(&pid, words.front().c_str(), &files, &attributes, argv.data(), environ);
  posix_spawn_file_actions_destroy(&files);
  posix_spawnattr_destroy(&attributes);
  if (e != 0) throw ioError(fmt::format("{}: cannot be started: {}", words.front(), std::strerror(e)));
  return pid;
}

// The one program that works on a queue.
int lockRunner(const Queue& queue) {
  std::error_code e;
  fs::create_directories(queue.folder(), e);
  const int fd = ::open((queue.folder() + "/runner.lock").c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0644);
  if (fd < 0) throw ioError(queue.folder() + ": the queue's folder cannot be written to");
  if (::flock(fd, LOCK_EX | LOCK_NB) == 0) return fd;
  ::close(fd);
  return -1;
}

// True if so many bytes can be written into a folder.
bool hasRoom(const fs::path& folder, uintmax_t bytes) {
  std::error_code e;
  fs::create_directories(folder, e);
  if (const fs::space_info space = fs::space(folder, e); !e && space.available < bytes) return false;
  const std::string probe = fmt::format("{}/.ilumbra-{}.probe", folder.string(), ::getpid());
  bool whole = false;
  try {
    writeFileAtomically(probe, std::string(size_t(64) << 10, '\0'));
    whole = true;
  } catch (const Error&) {
  }
  fs::remove(probe, e);
  return whole;
}

// True if what stopped an entry is mended: its files could be written now, a frame as large as its first.
bool writable(const QueueEntry& entry) {
  for (const std::string& file : entry.files) {
    std::error_code e;
    const uintmax_t first = fs::file_size(file, e);
    if (!hasRoom(fs::path(file).parent_path(), e ? uintmax_t(4) << 20 : first + first / 2)) return false;
    if (fs::exists(file, e) && ::access(file.c_str(), W_OK) != 0) return false;
  }
  return true;
}

class Runner {
 public:
  Runner(const Queue& queue, const CancelFlag& cancel) : m_queue(queue), m_cancel(cancel) {}

  void run() {
    // What a program that died was at waits again.
    for (const QueueEntry& e : m_queue.entries())
      if (e.state == State::Running) m_queue.setState(e.id, State::Waiting);
    while (!stops()) {
      const std::vector<QueueEntry> all = m_queue.entries();
      const auto next = std::find_if(all.begin(), all.end(), [](const QueueEntry& e) {
        return e.state == State::Waiting || e.state == State::Held;
      });
      if (next == all.end() || m_queue.paused()) return;
      if (next->state == State::Held) {
        rest(std::chrono::seconds(2));
        if (stops()) return;
        if (!writable(*next)) continue;
      }
      work(*next);
    }
  }

 private:
  const Queue& m_queue;
  const CancelFlag& m_cancel;
  std::map<int, double> m_failedAt; ///< by entry, the frame at which it failed before

  bool stops() const { return m_cancel.requested(); }
  void rest(Clock::duration time) const {
    for (const auto until = Clock::now() + time; Clock::now() < until && !stops();) std::this_thread::sleep_for(glance);
  }

  void work(const QueueEntry& entry) {
    if (!m_queue.begin(entry.id)) return;
    const pid_t pid = start({thisProgram(), entryWord, m_queue.folder(), std::to_string(entry.id)}, false);
    int status = 0;
    bool asked = false;
    Clock::time_point killAt{};
    for (;;) {
      const pid_t ended = ::waitpid(pid, &status, WNOHANG);
      if (ended == pid || (ended < 0 && errno != EINTR)) break;
      std::this_thread::sleep_for(glance);
      if (!asked && (stops() || !wanted(entry.id))) {
        ::kill(pid, SIGTERM);
        asked = true;
        killAt = Clock::now() + std::chrono::seconds(20);
      }
      if (asked && Clock::now() > killAt) ::kill(pid, SIGKILL);
    }
    ended(entry.id, status);
  }

  // False once it was paused, cancelled or taken out, or the whole queue was paused.
  bool wanted(int id) const {
    try {
      return !m_queue.paused() && m_queue.entry(id).state == State::Running;
    } catch (const Error&) {
      return false;
    }
  }

  void ended(int id, int status) {
    QueueEntry now;
    try {
      now = m_queue.entry(id);
    } catch (const Error& e) {
      // It was taken out while it ran: what it still wrote goes with it.
      std::error_code gone;
      if (e.kind() == ErrorKind::BadInput) fs::remove_all(m_queue.entryFolder(id), gone);
      return;
    }
    if (now.state != State::Running) return; // paused or cancelled by hand
    const bool exited = WIFEXITED(status);
    const int code = exited ? WEXITSTATUS(status) : -1;
    std::string why;
    try {
      why = readFile(m_queue.entryFolder(id) + "/why.txt", 65536);
    } catch (const Error&) {
    }
    if (code == 0) return m_queue.setState(id, State::Done);
    if (code == int(ErrorKind::Cancelled)) return m_queue.setState(id, State::Waiting);
    if (code == int(ErrorKind::Io)) return m_queue.setState(id, State::Held, why);
    if (code == int(ErrorKind::Usage)) return m_queue.setState(id, State::Failed, why);
    if (!exited || why.empty()) {
      const int s = exited ? 0 : WTERMSIG(status);
      why = fmt::format("its process died{}", s == SIGKILL ? " (killed, or out of memory)"
                                              : s          ? fmt::format(" ({})", ::strsignal(s))
                                                           : "");
    }
    // Once more, from the frame that it was at.
    const auto before = m_failedAt.find(id);
    if (before != m_failedAt.end() && before->second == now.progress.frame)
      return m_queue.setState(id, State::Failed, fmt::format("Frame {:g} failed twice: {}", now.progress.frame, why));
    m_failedAt[id] = now.progress.frame;
    m_queue.tell(id, fmt::format("Frame {:g} was begun again: {}", now.progress.frame, why));
    m_queue.setState(id, State::Waiting);
  }
};

// One entry, in this process.
int workOnEntry(const Queue& queue, int id, const std::shared_ptr<const Kinds>& kinds) {
  const std::string folder = queue.entryFolder(id);
  // The window, and whatever else somebody works with, comes first.
  ::setpriority(PRIO_PROCESS, 0, 19);
  const auto tellWhy = [&](const std::string& text) {
    try {
      writeFileAtomically(folder + "/why.txt", text);
    } catch (const Error&) { // the disk is full: that is what there is to tell
      if (FILE* f = std::fopen((folder + "/why.txt").c_str(), "w")) {
        std::fputs(text.c_str(), f);
        std::fclose(f);
      }
    }
  };
  try {
    std::error_code e;
    fs::remove(folder + "/why.txt", e);
    const QueueEntry entry = queue.entry(id);
    const Document doc = readDocument(kinds, folder + "/document.ilum");
    const ColorViews views;
    const Tasks tasks;
    const auto start = Clock::now();
    const double before = entry.seconds;
    const auto elapsed = [&] { return before + std::chrono::duration<double>(Clock::now() - start).count(); };
    auto last = Clock::time_point{};
    DeliveryProgress::Doing doing = DeliveryProgress::Doing::Frames;
    double frame = -1e9;
    const auto log = [&](const std::string& line) {
      if (FILE* f = std::fopen((folder + "/log.txt").c_str(), "a")) {
        std::fputs((line + "\n").c_str(), f);
        std::fclose(f);
      }
    };
    const Delivered made =
        deliver(doc, entry.job, tasks, views,
                {.document = entry.document.empty() ? entry.name : entry.document,
                 .workFolder = folder + "/frames",
                 .resume = true,
                 .cancel = &interrupted,
                 .progress =
                     [&](const DeliveryProgress& p) {
                       if (p.frame == frame && p.doing == doing && Clock::now() - last < std::chrono::milliseconds(300))
                         return;
                       last = Clock::now();
                       doing = p.doing;
                       frame = p.frame;
                       queue.writeProgress(id, p, elapsed());
                     },
                 .frame =
                     [&](const FrameReport& r) {
                       if (r.there) return log(fmt::format("frame {:g}: there already", r.frame));
                       log(fmt::format("frame {:g}: {:.1f} s, {} samples, noise {:.2f} %{}", r.frame, r.seconds,
                                       r.samples, 100 * r.noise,
                                       r.error >= 0 ? fmt::format(", passes add up within {:.3g}", r.error) : ""));
                       for (const std::string& w : r.warnings) queue.tell(id, w);
                       for (const std::string& d : r.doubts) queue.tell(id, fmt::format("Frame {:g}: {}", r.frame, d));
                     }});
    for (const std::string& m : made.movies) log(m + ": written");
    if (!made.sheet.empty()) log(made.sheet + ": written");
    DeliveryProgress done{.frame = entry.job.frames().back(),
                          .done = int(entry.job.frames().size()),
                          .total = int(entry.job.frames().size()),
                          .share = 1,
                          .secondsLeft = 0};
    queue.writeProgress(id, done, elapsed());
    return 0;
  } catch (const Error& e) {
    tellWhy(e.what());
    return int(e.kind());
  } catch (const std::bad_alloc&) {
    tellWhy("there is not enough memory");
    return int(ErrorKind::BadInput);
  } catch (const std::exception& e) {
    tellWhy(e.what());
    return int(ErrorKind::BadInput);
  }
}

} // namespace

bool Queue::running() const {
  const int fd = ::open((m_folder + "/runner.lock").c_str(), O_RDWR | O_CLOEXEC);
  if (fd < 0) return false;
  const bool held = ::flock(fd, LOCK_SH | LOCK_NB) != 0 && errno == EWOULDBLOCK;
  ::close(fd);
  return held;
}

bool runQueue(const Queue& queue, const CancelFlag& cancel) {
  for (;;) {
    const int fd = lockRunner(queue);
    if (fd < 0) return false;
    try {
      Runner(queue, cancel).run();
    } catch (...) {
      ::close(fd);
      throw;
    }
    ::close(fd);
    // What was added while the lock was let go found somebody at work.
    if (cancel.requested() || !queue.hasWork()) return true;
  }
}

void startQueue(const Queue& queue) {
  if (queue.running() || !queue.hasWork()) return;
  // Twice started, so that it is nobody's child and leaves no dead process behind.
  const pid_t pid = start({thisProgram(), queueWord, queue.folder()}, true);
  int status = 0;
  while (::waitpid(pid, &status, 0) < 0 && errno == EINTR) {
  }
}

int deliverIfChild(int argc, char** argv, const std::function<std::shared_ptr<const Kinds>()>& kinds) {
  if (argc < 3) return -1;
  const std::string_view word = argv[1];
  if (word != queueWord && word != entryWord) return -1;
  std::signal(SIGINT, [](int) { interrupted.request(); });
  std::signal(SIGTERM, [](int) { interrupted.request(); });
  const Queue queue(argv[2]);
  if (word == queueWord) {
    if (::fork() != 0) std::_Exit(0);
    // Not by way of static objects: some library's threads are not in this process any more, and would be waited for.
    try {
      runQueue(queue, interrupted);
      std::_Exit(0);
    } catch (const Error& e) {
      std::_Exit(int(e.kind()));
    } catch (...) {
      std::_Exit(int(ErrorKind::BadInput));
    }
  }
  // It does not outlive the program that looks after it.
  ::prctl(PR_SET_PDEATHSIG, SIGTERM);
  if (argc < 4) return int(ErrorKind::Usage);
  return workOnEntry(queue, std::atoi(argv[3]), kinds());
}

} // namespace ilumbra
