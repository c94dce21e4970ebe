#pragma once
#if defined(__SANITIZE_THREAD__)
#include <sanitizer/tsan_interface.h>
#endif

namespace ilumbra {

/// Tells the thread sanitizer of an order between threads that a library keeps by means it cannot see (Qt's event
/// queues): what came before release() has happened before what comes after acquire() of the same
/// object. It orders nothing by itself, and is nothing in other builds.
class ThreadOrder {
 public:
#if defined(__SANITIZE_THREAD__)
  void release() { __tsan_release(this); }
  void acquire() { __tsan_acquire(this); }
#else
  void release() {}
  void acquire() {}
#endif
};

} // namespace ilumbra
