#pragma once
#include "core/base/tasks.h"

#include <chrono>
#include <string>

namespace ilumbra {

/// Foreign files are parsed in a child process of this program, under limits of memory and time, so that a file made
/// to break a reader ends that process and nothing else. The program is started once more for that, at the first such
/// file, and forks itself for each: loading all readers takes far longer than most files.

/// To be called first in main(): if this process was started to parse, it does so and the exit code is returned, else
/// -1.
int parseIfChild(int argc, char** argv);

struct ParseLimits {
  size_t memory = size_t(6) << 30;
  std::chrono::seconds time{0}; ///< 0: ten seconds, and one more for each MiB of the file
};

/// Runs `what` ("model", "image", "encoded", "footage", "picture", or "outline:" or "volume:" and a request) on a file
/// in a child and returns the bytes it made. Throws BadInput with a message that begins with the path when the file is
/// refused, its reader dies or takes too long; Io when the file cannot be read; Cancelled within some milliseconds of a
/// request.
std::string parseInChild(const std::string& what, const std::string& path, int index, const ParseLimits& limits = {},
                         const CancelFlag* cancel = nullptr);

} // namespace ilumbra
