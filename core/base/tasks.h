#pragma once
#include <atomic>
#include <cstddef>
#include <functional>
#include <memory>

namespace ilumbra {

/// A flag that long work looks at. Shared by the one who asks and the one who works.
class CancelFlag {
 public:
  void request() { m_flag.store(true, std::memory_order_relaxed); }
  void clear() { m_flag.store(false, std::memory_order_relaxed); }
  bool requested() const { return m_flag.load(std::memory_order_relaxed); }

 private:
  std::atomic<bool> m_flag{false};
};

/// A pool of worker threads of a fixed size. Values never depend on the number of threads or on their timing, as long
/// as each task writes its own place.
class Tasks {
 public:
  /// threads = 0: one per core. With `background`, workers run at a lower priority than the window.
  explicit Tasks(int threads = 0, bool background = false);
  ~Tasks();
  int threads() const;
  /// Calls f(i) for each i in [0, n), in any order, on the pool; rethrows the first exception.
  void forEach(int n, const std::function<void(int)>& f) const;
  /// The same pool, whose forEach throws Cancelled between two calls once the flag is set. The flag must outlive it;
  /// null: it never stops.
  Tasks stoppedBy(const CancelFlag* cancel) const;
  /// Throws Cancelled if the flag is set.
  void stopIfAsked() const;

 private:
  struct Pool;
  Tasks(std::shared_ptr<Pool> pool, const CancelFlag* cancel) : m_pool(std::move(pool)), m_cancel(cancel) {}
  std::shared_ptr<Pool> m_pool;
  const CancelFlag* m_cancel = nullptr;
};

/// Calls f(i) for each i in [0, n), in any order, on the pool that the caller runs in (outside of one: all cores);
/// rethrows the first exception. For loops deep in other work, to which no pool is handed.
void parallelFor(size_t n, const std::function<void(size_t)>& f);

} // namespace ilumbra
