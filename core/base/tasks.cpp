#include "core/base/tasks.h"

#include "core/base/error.h"
#include "core/base/thread_order.h"

#include <sys/resource.h>
#include <sys/syscall.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>
#include <tbb/task_scheduler_observer.h>
#include <unistd.h>

namespace ilumbra {
namespace {

class LowerPriority : public tbb::task_scheduler_observer {
 public:
  explicit LowerPriority(tbb::task_arena& arena) : tbb::task_scheduler_observer(arena) { observe(true); }
  ~LowerPriority() override { observe(false); }
  void on_scheduler_entry(bool) override { setpriority(PRIO_PROCESS, id_t(syscall(SYS_gettid)), 10); }
};

// Every loop on the pool runs through here. Each call gets what the caller wrote before, and the caller what each
// wrote.
template <class Index, class F, class Partitioner>
void share(const tbb::blocked_range<Index>& range, const F& f, const Partitioner& partitioner) {
  ThreadOrder in, out;
  in.release();
  tbb::parallel_for(
      range,
      [&](const tbb::blocked_range<Index>& r) {
        in.acquire();
        for (Index i = r.begin(); i < r.end(); ++i) f(i);
        out.release();
      },
      partitioner);
  out.acquire();
}

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
  m_pool->arena.execute([&] {
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
  });
}

void parallelFor(size_t n, const std::function<void(size_t)>& f) {
  share(tbb::blocked_range<size_t>(0, n), f, tbb::auto_partitioner());
}

} // namespace ilumbra
