#include "core/base/threads.h"

#include <memory>
#include <tbb/global_control.h>

namespace ilumbra {

void limitThreads(int most) {
  using Control = tbb::global_control;
  static std::unique_ptr<Control> limit;
  limit.reset();
  if (most > 0) limit = std::make_unique<Control>(Control::max_allowed_parallelism, size_t(most));
}

} // namespace ilumbra
