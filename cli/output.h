#pragma once
#include "core/base/tasks.h"
#include "core/document/document.h"

#include <nlohmann/json.hpp>
#include <string>

namespace ilumbra::cli {

using Json = nlohmann::ordered_json;

/// What every command shares: the kinds, and whether it speaks JSON.
struct Context {
  std::shared_ptr<const Kinds> kinds;
  bool json = false;
  CancelFlag* cancel = nullptr; ///< set by an interrupt
};

/// One object on standard output.
void print(const Json& json);
/// One line on standard output.
void print(const std::string& line);
/// A bar on standard error when it is a terminal, else nothing; `done` in [0, 1].
class Progress {
 public:
  Progress();
  ~Progress();
  void show(double done, const std::string& text);

 private:
  bool m_terminal, m_shown = false;
};

/// Peak memory of this process in MiB.
double peakMemory();

/// "NAME.PARAM=VALUE" applied to a document.
Document applySetting(const Document& doc, const std::string& assignment);

} // namespace ilumbra::cli
