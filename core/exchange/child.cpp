#include "core/exchange/child.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/exchange/readers.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <mutex>
#include <poll.h>
#include <spawn.h>
#include <sys/mman.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>
#include <utility>
#include <vector>

extern char** environ;

namespace ilumbra {
namespace {

// What a program is started with to parse: it waits for requests on its socket, and forks itself for each, so that its
// libraries are loaded once.
constexpr const char* serveFlag = "--parse-foreign-files";
constexpr int serverSocket = 3;

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

namespace {

// Closes what it holds.
struct Descriptor {
  int fd = -1;
  Descriptor() = default;
  explicit Descriptor(int f) : fd(f) {}
  Descriptor(Descriptor&& o) noexcept : fd(std::exchange(o.fd, -1)) {}
  Descriptor& operator=(Descriptor&& o) noexcept {
    std::swap(fd, o.fd);
    return *this;
  }
  ~Descriptor() { close(); }
  void close() {
    if (fd >= 0) ::close(fd);
    fd = -1;
  }
};

// What goes with each request: where the result goes, where what is said goes, and the socket on which the end is told.
constexpr size_t handed = 3;

struct Request {
  std::string what, path;
  int index = 0;
  uint64_t memory = 0;
  int64_t seconds = 0;
};

// One message with the descriptors; false if the other end is gone.
bool sendRequest(int socket, const Request& r, const std::array<int, handed>& fds) {
  std::string text = fmt::format("{} {} {} {} ", r.index, r.memory, r.seconds, r.what.size()) + r.what + r.path;
  iovec data{text.data(), text.size()};
  alignas(cmsghdr) char room[CMSG_SPACE(sizeof(int) * handed)] = {};
  msghdr m{};
  m.msg_iov = &data;
  m.msg_iovlen = 1;
  m.msg_control = room;
  m.msg_controllen = sizeof room;
  cmsghdr* c = CMSG_FIRSTHDR(&m);
  c->cmsg_level = SOL_SOCKET;
  c->cmsg_type = SCM_RIGHTS;
  c->cmsg_len = CMSG_LEN(sizeof(int) * handed);
  std::memcpy(CMSG_DATA(c), fds.data(), sizeof(int) * handed);
  ssize_t n = 0;
  while ((n = ::sendmsg(socket, &m, MSG_NOSIGNAL)) < 0 && errno == EINTR) {
  }
  return n == ssize_t(text.size());
}

bool receiveRequest(int socket, Request& r, std::array<int, handed>& fds) {
  std::vector<char> text(size_t(1) << 20);
  iovec data{text.data(), text.size()};
  alignas(cmsghdr) char room[CMSG_SPACE(sizeof(int) * handed)] = {};
  msghdr m{};
  m.msg_iov = &data;
  m.msg_iovlen = 1;
  m.msg_control = room;
  m.msg_controllen = sizeof room;
  ssize_t n = 0;
  while ((n = ::recvmsg(socket, &m, MSG_CMSG_CLOEXEC)) < 0 && errno == EINTR) {
  }
  const cmsghdr* c = n > 0 ? CMSG_FIRSTHDR(&m) : nullptr;
  if (!c || c->cmsg_len != CMSG_LEN(sizeof(int) * handed)) return false;
  std::memcpy(fds.data(), CMSG_DATA(c), sizeof(int) * handed);
  const std::string all(text.data(), size_t(n));
  unsigned long long memory = 0;
  long long seconds = 0;
  size_t length = 0;
  int begins = 0;
  if (std::sscanf(all.c_str(), "%d %llu %lld %zu %n", &r.index, &memory, &seconds, &length, &begins) != 4) return false;
  r.memory = memory;
  r.seconds = seconds;
  // A blank that begins what follows is not the format's.
  begins = int(fmt::format("{} {} {} {} ", r.index, r.memory, r.seconds, length).size());
  r.what = all.substr(size_t(begins), length);
  r.path = all.substr(size_t(begins) + length);
  return true;
}

[[noreturn]] void parse(const Request& r, const std::array<int, handed>& fds) {
  const int quiet = ::open("/dev/null", O_RDWR);
  ::dup2(quiet, 0);
  ::dup2(quiet, 1);
  ::dup2(fds[1], 2);
  for (const int signal : {SIGINT, SIGTERM, SIGCHLD}) std::signal(signal, SIG_DFL);
  sigset_t none;
  sigemptyset(&none);
  ::sigprocmask(SIG_SETMASK, &none, nullptr);
  ::prctl(PR_SET_PDEATHSIG, SIGKILL);
  limitSelf(r.memory, long(r.seconds));
  int code = 3;
  try {
    const std::string bytes = r.what == "image"                ? readImageBytes(r.path, r.index)
                              : r.what == "footage"            ? readFootageBytes(r.path)
                              : r.what == "encoded"            ? readEncodedBytes(r.path, r.index)
                              : r.what == "picture"            ? readLayersBytes(r.path)
                              : r.what.starts_with("volume:")  ? readVolumeBytes(r.path, r.what.substr(7))
                              : r.what.starts_with("outline:") ? readOutlineBytes(r.path, r.what.substr(8))
                                                               : readModelBytes(r.path);
    size_t done = 0;
    while (done < bytes.size()) {
      const ssize_t n = ::write(fds[0], bytes.data() + done, bytes.size() - done);
      if (n <= 0) {
        std::fputs("there is no memory for the result", stderr);
        break;
      }
      done += size_t(n);
    }
    if (done == bytes.size()) code = 0;
  } catch (const std::bad_alloc&) {
    std::fputs("needs more memory than a file may", stderr);
  } catch (const Error& e) {
    std::fputs(e.what(), stderr);
    code = int(e.kind());
  } catch (const std::exception& e) {
    std::fputs(e.what(), stderr);
  }
  std::fflush(nullptr);
  _exit(code);
}

// Looks after one parser: ends it where nobody waits for it any longer, and tells how it ended.
[[noreturn]] void watch(const Request& r, const std::array<int, handed>& fds) {
  ::close(serverSocket);
  ::prctl(PR_SET_PDEATHSIG, SIGKILL);
  // A child that ends wakes the wait below, and cannot do so before it.
  sigset_t child, before;
  sigemptyset(&child);
  sigaddset(&child, SIGCHLD);
  ::sigprocmask(SIG_BLOCK, &child, &before);
  std::signal(SIGCHLD, [](int) {});
  const pid_t pid = ::fork();
  if (pid == 0) parse(r, fds);
  ::close(fds[0]);
  ::close(fds[1]);
  int status = -1;
  if (pid > 0) {
    sigset_t waiting = before;
    sigdelset(&waiting, SIGCHLD);
    while (::waitpid(pid, &status, WNOHANG) == 0) {
      pollfd p{fds[2], 0, 0};
      if (::ppoll(&p, 1, nullptr, &waiting) > 0) ::kill(pid, SIGKILL);
    }
  }
  [[maybe_unused]] const ssize_t n = ::write(fds[2], &status, sizeof status);
  _exit(0);
}

} // namespace

int parseIfChild(int argc, char** argv) {
  if (argc != 2 || std::strcmp(argv[1], serveFlag) != 0) return -1;
  std::signal(SIGCHLD, SIG_IGN); // nobody asks how those that watch ended
  std::signal(SIGINT, SIG_IGN);  // a terminal's interrupt is the program's own affair: it ends this by leaving
  Request r;
  std::array<int, handed> fds{};
  while (receiveRequest(serverSocket, r, fds)) {
    if (::fork() == 0) watch(r, fds);
    for (const int fd : fds) ::close(fd);
  }
  _exit(0);
}

namespace {

// The program that parses, started when it is needed first and again if it died. It ends with this one.
class Server {
 public:
  bool send(const Request& r, const std::array<int, handed>& fds) {
    const std::lock_guard lock(m_mutex);
    if (m_socket.fd >= 0 && sendRequest(m_socket.fd, r, fds)) return true;
    start();
    return m_socket.fd >= 0 && sendRequest(m_socket.fd, r, fds);
  }

 private:
  void start() {
    m_socket.close();
    int ends[2];
    if (::socketpair(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0, ends) != 0) return;
    m_socket.fd = ends[0];
    const Descriptor other(ends[1]);
    const char* args[] = {"/proc/self/exe", serveFlag, nullptr};
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, 0, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_addopen(&actions, 1, "/dev/null", O_WRONLY, 0);
    posix_spawn_file_actions_adddup2(&actions, other.fd, serverSocket);
    pid_t pid = 0;
    const int failed = posix_spawn(&pid, args[0], &actions, nullptr, const_cast<char* const*>(args), environ);
    posix_spawn_file_actions_destroy(&actions);
    if (failed) m_socket.close();
    // It is reaped when it is started again, or by the system after this program's end.
    if (m_pid > 0) ::waitpid(m_pid, nullptr, WNOHANG);
    m_pid = failed ? 0 : pid;
  }
  std::mutex m_mutex;
  Descriptor m_socket;
  pid_t m_pid = 0;
};

Server& server() {
  static Server s;
  return s;
}

struct Child {
  Descriptor result, messages, end; // what it has made; the reading ends of what it says, and of how it ended
};

void startChild(Child& child, const Request& request) {
  const auto none = [&] { return ioError("no process can be started to read " + request.path); };
  child.result.fd = ::memfd_create("ilumbra-parse", MFD_CLOEXEC);
  int pipe[2], ends[2];
  if (child.result.fd < 0 || ::pipe2(pipe, O_CLOEXEC) != 0) throw none();
  child.messages.fd = pipe[0];
  const Descriptor said(pipe[1]);
  if (::socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0, ends) != 0) throw none();
  child.end.fd = ends[0];
  const Descriptor other(ends[1]);
  if (!server().send(request, {child.result.fd, said.fd, other.fd})) throw none();
}

enum class ChildEnd { Itself, Late, Cancelled };

// Until it says no more, with what it has said, its time is over or it is not wanted any longer.
ChildEnd listen(const Child& child, std::chrono::steady_clock::time_point deadline, const CancelFlag* cancel,
                std::string& said) {
  for (;;) {
    const auto left =
        std::chrono::duration_cast<std::chrono::milliseconds>(deadline - std::chrono::steady_clock::now()).count();
    const bool unwanted = cancel && cancel->requested();
    if (unwanted || left <= 0) return unwanted ? ChildEnd::Cancelled : ChildEnd::Late;
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
  std::error_code unknown;
  const std::filesystem::path absolute = std::filesystem::absolute(path, unknown);
  startChild(child, {what, unknown ? path : absolute.string(), index, limits.memory, allowed.count()});
  std::string said;
  const ChildEnd end =
      // What it may compute is limited in the child; beside work on all cores that takes longer by the clock.
      listen(child, std::chrono::steady_clock::now() + 4 * allowed + std::chrono::seconds(2), cancel, said);
  int status = -1;
  if (end == ChildEnd::Itself) {
    size_t got = 0;
    while (got < sizeof status) {
      const ssize_t n = ::read(child.end.fd, reinterpret_cast<char*>(&status) + got, sizeof status - got);
      if (n < 0 && errno == EINTR) continue;
      if (n <= 0) break;
      got += size_t(n);
    }
    if (got < sizeof status) status = SIGKILL; // who looked after it is gone as well
  }
  child.end.close(); // it is ended, if it is not yet
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
