#include "core/exchange/child.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/exchange/readers.h"

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <poll.h>
#include <spawn.h>
#include <sys/mman.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

extern char** environ;

namespace ilumbra {
namespace {

constexpr const char* parseFlag = "--parse-foreign-file";
constexpr int resultFd = 3;
std::string& parserProgram() {
  static std::string path;
  return path;
}

void limitSelf(size_t memory, long seconds) {
#ifndef ILUMBRA_SANITIZED // the sanitizers reserve terabytes of address space
  const rlimit space{memory, memory};
  setrlimit(RLIMIT_AS, &space);
#else
  (void)memory;
#endif
  const rlimit cpu{rlim_t(seconds), rlim_t(seconds) + 1};
  setrlimit(RLIMIT_CPU, &cpu);
  const rlimit core{0, 0};
  setrlimit(RLIMIT_CORE, &core);
}

std::string signalText(int signal) {
  if (signal == SIGXCPU || signal == SIGALRM) return "takes too long to read";
  if (signal == SIGABRT || signal == SIGKILL) return "needs more memory than a file may, or broke its reader";
  return "broke its reader";
}

} // namespace

void setParserProgram(std::string path) { parserProgram() = std::move(path); }

int parseIfChild(int argc, char** argv) {
  if (argc != 7 || std::strcmp(argv[1], parseFlag) != 0) return -1;
  const std::string what = argv[2], path = argv[3];
  limitSelf(std::strtoull(argv[5], nullptr, 10), std::strtol(argv[6], nullptr, 10));
  std::string bytes;
  try {
    const int index = std::atoi(argv[4]);
    bytes = what == "image"                ? readImageBytes(path, index)
            : what == "footage"            ? readFootageBytes(path)
            : what == "encoded"            ? readEncodedBytes(path, index)
            : what == "picture"            ? readLayersBytes(path)
            : what.starts_with("volume:")  ? readVolumeBytes(path, what.substr(7))
            : what.starts_with("outline:") ? readOutlineBytes(path, what.substr(8))
                                           : readModelBytes(path);
  } catch (const std::bad_alloc&) {
    std::fputs("needs more memory than a file may", stderr);
    return 3;
  } catch (const Error& e) {
    std::fputs(e.what(), stderr);
    return int(e.kind());
  } catch (const std::exception& e) {
    std::fputs(e.what(), stderr);
    return 3;
  }
  size_t done = 0;
  while (done < bytes.size()) {
    const ssize_t n = ::write(resultFd, bytes.data() + done, bytes.size() - done);
    if (n <= 0) {
      std::fputs("there is no memory for the result", stderr);
      return 3;
    }
    done += size_t(n);
  }
  std::fflush(nullptr);
  _exit(0);
}

namespace {

// Closes what it holds.
struct Descriptor {
  int fd = -1;
  Descriptor() = default;
  explicit Descriptor(int f) : fd(f) {}
  Descriptor(const Descriptor&) = delete;
  Descriptor& operator=(const Descriptor&) = delete;
  ~Descriptor() { close(); }
  void close() {
    if (fd >= 0) ::close(fd);
    fd = -1;
  }
};

struct Child {
  pid_t pid = 0;
  Descriptor result, messages; // what it has made, and the reading end of what it says
};

void startChild(Child& child, const std::string& what, const std::string& path, int index, uint64_t memory,
                std::chrono::seconds allowed) {
  child.result.fd = ::memfd_create("ilumbra-parse", MFD_CLOEXEC);
  int pipe[2];
  if (child.result.fd < 0 || ::pipe2(pipe, O_CLOEXEC) != 0) throw ioError("no process can be started to read " + path);
  child.messages.fd = pipe[0];
  const Descriptor said(pipe[1]);
  const std::string program = parserProgram().empty() ? "/proc/self/exe" : parserProgram();
  const std::string indexText = std::to_string(index), memoryText = std::to_string(memory),
                    timeText = std::to_string(allowed.count());
  const char* args[] = {program.c_str(),   parseFlag,          what.c_str(),     path.c_str(),
                        indexText.c_str(), memoryText.c_str(), timeText.c_str(), nullptr};
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_addopen(&actions, 0, "/dev/null", O_RDONLY, 0);
  posix_spawn_file_actions_addopen(&actions, 1, "/dev/null", O_WRONLY, 0);
  posix_spawn_file_actions_adddup2(&actions, said.fd, 2);
  posix_spawn_file_actions_adddup2(&actions, child.result.fd, resultFd);
  const int spawned =
      posix_spawn(&child.pid, program.c_str(), &actions, nullptr, const_cast<char* const*>(args), environ);
  posix_spawn_file_actions_destroy(&actions);
  if (spawned != 0)
    throw ioError(fmt::format("no process can be started to read {}: {}", path, std::strerror(spawned)));
}

enum class ChildEnd { Itself, Late, Cancelled };

// Until it says no more, with what it has said; kills it when its time is over or it is not wanted any longer.
ChildEnd listen(const Child& child, std::chrono::steady_clock::time_point deadline, const CancelFlag* cancel,
                std::string& said) {
  for (;;) {
    const auto left =
        std::chrono::duration_cast<std::chrono::milliseconds>(deadline - std::chrono::steady_clock::now()).count();
    const bool unwanted = cancel && cancel->requested();
    if (unwanted || left <= 0) {
      ::kill(child.pid, SIGKILL);
      return unwanted ? ChildEnd::Cancelled : ChildEnd::Late;
    }
    pollfd p{child.messages.fd, POLLIN, 0};
    if (::poll(&p, 1, int(std::min<long long>(left, 10))) <= 0) continue;
    char buffer[4096];
    const ssize_t n = ::read(child.messages.fd, buffer, sizeof buffer);
    if (n <= 0) return ChildEnd::Itself;
    if (said.size() < 8192) said.append(buffer, size_t(n));
  }
}

// The first line, fit to be shown.
std::string reason(const std::string& said) {
  std::string line = said.substr(0, said.find('\n'));
  while (!line.empty() && (line.back() == '.' || line.back() == ' ')) line.pop_back();
  for (char& c : line)
    if (static_cast<unsigned char>(c) < 32) c = ' ';
  if (line.size() > 300) line = line.substr(0, 300) + "…";
  return line.empty() ? "cannot be understood" : line;
}

} // namespace

std::string parseInChild(const std::string& what, const std::string& path, int index, const ParseLimits& limits,
                         const CancelFlag* cancel) {
  // What is not there or not readable is told before a process is started for it.
  struct stat st {};
  {
    const Descriptor probe(openRegularFile(path));
    ::fstat(probe.fd, &st);
  }
  const std::chrono::seconds allowed =
      limits.time.count() > 0 ? limits.time : std::chrono::seconds(10 + (st.st_size >> 20));
  Child child;
  startChild(child, what, path, index, limits.memory, allowed);
  std::string said;
  const ChildEnd end =
      // What it may compute is limited in the child; beside work on all cores that takes longer by the clock.
      listen(child, std::chrono::steady_clock::now() + 4 * allowed + std::chrono::seconds(2), cancel, said);
  int status = 0;
  while (::waitpid(child.pid, &status, 0) < 0 && errno == EINTR) {
  }
  const auto refused = [&](const std::string& why) { return badInput(fmt::format("{}: {}", path, why)); };
  if (end == ChildEnd::Cancelled) throw cancelled();
  if (end == ChildEnd::Late) throw refused("takes too long to read");
  if (WIFSIGNALED(status)) throw refused(signalText(WTERMSIG(status)));
  if (WEXITSTATUS(status) != 0) throw refused(reason(said));
  const off_t size = ::lseek(child.result.fd, 0, SEEK_END);
  std::string bytes(size_t(std::max<off_t>(0, size)), '\0');
  size_t done = 0;
  while (done < bytes.size()) {
    const ssize_t n = ::pread(child.result.fd, bytes.data() + done, bytes.size() - done, off_t(done));
    if (n <= 0) throw refused("its reader's result cannot be read");
    done += size_t(n);
  }
  return bytes;
}

} // namespace ilumbra
