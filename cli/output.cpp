#include "cli/output.h"

#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/document/units.h"
#include "core/document/words.h"

#include <cstdio>
#include <fmt/format.h>
#include <sys/resource.h>
#include <unistd.h>

namespace ilumbra::cli {

void print(const Json& json) { print(json.dump(2)); }

void print(const std::string& line) {
  if (std::fputs((line + "\n").c_str(), stdout) < 0) throw ioError("standard output cannot be written");
}

Progress::Progress() : m_terminal(isatty(2)) {}
Progress::~Progress() {
  if (m_shown) std::fputs("\r\033[K", stderr);
}
void Progress::show(double done, const std::string& text) {
  if (!m_terminal) return;
  constexpr int width = 32;
  std::string bar;
  for (int i = 0; i < width; ++i) bar += i < int(done * width + 0.5) ? "━" : "╌";
  std::fputs(fmt::format("\r\033[K{} {:3.0f} %  {}", bar, done * 100, text).c_str(), stderr);
  std::fflush(stderr);
  m_shown = true;
}

double peakMemory() {
  rusage u{};
  getrusage(RUSAGE_SELF, &u);
  return double(u.ru_maxrss) / 1024;
}

Document applySetting(const Document& doc, const std::string& assignment) {
  const size_t equals = assignment.find('=');
  if (equals == std::string::npos || equals == 0)
    throw usageError(fmt::format("{} is not NAME.PARAM=VALUE", quotation(assignment)));
  const Address a = resolve(doc, assignment.substr(0, equals));
  if (a.param.empty())
    throw usageError(fmt::format("{}: say which parameter: NAME.PARAM=VALUE", quotation(assignment)));
  const Value present = valueAt(doc, a);
  return setAt(doc, a, parseValue(doc, definitionAt(doc, a), assignment.substr(equals + 1), &present));
}

} // namespace ilumbra::cli
