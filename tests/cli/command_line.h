#pragma once
// The real program, as a script runs it.
#include "core/base/files.h"
#include "tests/support/scene.h"

#include <algorithm>
#include <array>
#include <cstdio>
#include <sys/wait.h>

namespace ilumbra::test {

struct Outcome {
  int code = -1;
  std::string out, err;
};

/// Runs it, with what it says.
inline Outcome cli(const std::string& arguments) {
  TemporaryFolder folder;
  const std::string errors = folder / "err";
  FILE* p = popen((std::string(ILUMBRA_CLI) + " " + arguments + " 2>" + errors).c_str(), "r");
  Outcome o;
  std::array<char, 4096> buffer;
  for (size_t n; (n = fread(buffer.data(), 1, buffer.size(), p)) > 0;) o.out.append(buffer.data(), n);
  const int status = pclose(p);
  o.code = WIFEXITED(status) ? WEXITSTATUS(status) : 128;
  o.err = readFile(errors);
  return o;
}

/// A refusal is one line that begins with the program's name.
inline void refused(const std::string& arguments, int code, const std::string& words) {
  const Outcome o = cli(arguments);
  CAPTURE(arguments, o.err);
  CHECK(o.code == code);
  CHECK(o.err.find("ilumbra-cli: ") == 0);
  CHECK(std::count(o.err.begin(), o.err.end(), '\n') == 1);
  CHECK(o.err.find(words) != std::string::npos);
}

} // namespace ilumbra::test
