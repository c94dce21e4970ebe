#include "core/base/files.h"

#include "core/base/error.h"

#include <algorithm>
#include <cctype>
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

namespace ilumbra {

std::string extensionOf(const std::string& path) {
  std::string e = std::filesystem::path(path).extension().string();
  std::transform(e.begin(), e.end(), e.begin(), [](unsigned char c) { return char(std::tolower(c)); });
  return e;
}

static Error systemError(const std::string& path, const char* doing) {
  return ioError(fmt::format("{}: {}: {}", path, doing, std::strerror(errno)));
}

int openRegularFile(const std::string& path) {
  // Opening a pipe to read it would wait for a writer.
  const int fd = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
  if (fd < 0) throw systemError(path, "cannot be read");
  struct stat st {};
  if (::fstat(fd, &st) == 0 && S_ISREG(st.st_mode)) return fd;
  ::close(fd);
  throw ioError(path + ": is not a file");
}

std::string readFile(const std::string& path, size_t most) {
  const int fd = openRegularFile(path);
  std::string content;
  char buffer[65536];
  for (;;) {
    const ssize_t n = ::read(fd, buffer, sizeof buffer);
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) {
      ::close(fd);
      throw systemError(path, "cannot be read");
    }
    if (n == 0) break;
    content.append(buffer, size_t(n));
    if (content.size() > most) {
      ::close(fd);
      throw badInput(fmt::format("{}: larger than {} MiB", path, most >> 20));
    }
  }
  ::close(fd);
  return content;
}

std::string partOf(const std::string& path) {
  // Neither two programs nor two threads share a part.
  return fmt::format("{}.{}-{}.part{}", path, ::getpid(), ::gettid(), std::filesystem::path(path).extension().string());
}

void putInPlace(const std::string& part, const std::string& path) {
  const auto fail = [&](const char* doing) {
    const Error e = systemError(path, doing);
    ::unlink(part.c_str());
    return e;
  };
  const int fd = ::open(part.c_str(), O_RDONLY | O_CLOEXEC);
  if (fd < 0) throw fail("cannot be written");
  const bool synced = ::fsync(fd) == 0 || errno == EINVAL || errno == EROFS;
  const Error unsynced = systemError(path, "cannot be written");
  ::close(fd);
  if (!synced) {
    ::unlink(part.c_str());
    throw unsynced;
  }
  if (::rename(part.c_str(), path.c_str()) != 0) throw fail("cannot be replaced");
}

void writeFileAtomically(const std::string& path, std::string_view content) {
  const std::string part = partOf(path);
  const int fd = ::open(part.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
  if (fd < 0) throw systemError(path, "cannot be written");
  const auto fail = [&] {
    const Error e = systemError(path, "cannot be written");
    ::close(fd);
    ::unlink(part.c_str());
    return e;
  };
  size_t done = 0;
  while (done < content.size()) {
    const ssize_t n = ::write(fd, content.data() + done, content.size() - done);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) throw fail();
    done += size_t(n);
  }
  if (::close(fd) != 0) {
    const Error e = systemError(path, "cannot be written");
    ::unlink(part.c_str());
    throw e;
  }
  putInPlace(part, path);
}

} // namespace ilumbra
