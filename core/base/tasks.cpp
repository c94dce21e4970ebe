#include "core/base/tasks.h"

#include "core/base/error.h"

#include <sys/resource.h>
#include <sys/syscall.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>
#include <tbb/task_scheduler_observer.h>
#include <unistd.h>
#if defined(__SANITIZE_THREAD__)
#include <exception>
#include <mutex>
#include <thread>
#include <vector>
#endif

namespace ilumbra {
namespace {

class LowerPriority : public tbb::task_scheduler_observer {
 public:
  explicit LowerPriority(tbb::task_arena& arena) : tbb::task_scheduler_observer(arena) { observe(true); }
  ~LowerPriority() override { observe(false); }
  void on_scheduler_entry(bool) override { setpriority(PRIO_PROCESS, id_t(syscall(SYS_gettid)), 10); }
};

#if defined(__SANITIZE_THREAD__)
// The thread sanitizer cannot see by what TBB orders its threads, and would find races everywhere: with it, every loop
// has threads of its own.
template <class Index, class F, class Partitioner>
void share(const tbb::blocked_range<Index>& range, const F& f, const Partitioner&) {
  std::atomic<Index> next{range.begin()};
  std::mutex mutex;
  std::exception_ptr failed;
  const auto work = [&] {
    try {
      for (Index i; (i = next++) < range.end();) f(i);
    } catch (...) {
      next = range.end();
      const std::lock_guard lock(mutex);
      if (!failed) failed = std::current_exception();
    }
  };
  std::vector<std::thread> others(std::min<size_t>(2, range.size() ? range.size() - 1 : 0));
  for (std::thread& t : others) t = std::thread(work);
  work();
  for (std::thread& t : others) t.join();
  if (failed) std::rethrow_exception(failed);
}
#else
// Every loop on the pool runs through here.
template <class Index, class F, class Partitioner>
void share(const tbb::blocked_range<Index>& range, const F& f, const Partitioner& partitioner) {
  tbb::parallel_for(
      range,
      [&](const tbb::blocked_range<Index>& r) {
        for (Index i = r.begin(); i < r.end(); ++i) f(i);
      },
      partitioner);
}
#endif

} // namespace

struct Tasks::Pool {
  explicit Pool(int threads) : arena(threads > 0 ? threads : tbb::task_arena::automatic) {}
  tbb::task_arena arena;
  std::unique_ptr<LowerPriority> observer;
};

Tasks::Tasks(int threads, bool background) : m_pool(std::make_shared<Pool>(threads)) {
  if (background) m_pool->observer = std::make_unique<LowerPriority>(m_pool->arena);
}
Tasks::~Tasks() = default;

int Tasks::threads() const { return m_pool->arena.max_concurrency(); }

Tasks Tasks::stoppedBy(const CancelFlag* cancel) const { return {m_pool, cancel}; }

void Tasks::stopIfAsked() const {
  if (m_cancel && m_cancel->requested()) throw cancelled();
}

void Tasks::forEach(int n, const std::function<void(int)>& f) const {
  const auto loop = [&] {
    if (m_pool->arena.max_concurrency() == 1) {
      for (int i = 0; i < n; ++i) {
        stopIfAsked();
        f(i);
      }
      return;
    }
    share(
        tbb::blocked_range<int>(0, n, 1),
        [&](int i) {
          stopIfAsked();
          f(i);
        },
        tbb::simple_partitioner());
  };
#if defined(__SANITIZE_THREAD__)
  loop();
#else
  m_pool->arena.execute(loop);
#endif
}

void parallelFor(size_t n, const std::function<void(size_t)>& f) {
  share(tbb::blocked_range<size_t>(0, n), f, tbb::auto_partitioner());
}

} // namespace ilumbra
