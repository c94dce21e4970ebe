#include "core/base/tasks.h"

#include "core/base/error.h"

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
    tbb::parallel_for(
        tbb::blocked_range<int>(0, n, 1),
        [&](const tbb::blocked_range<int>& r) {
          for (int i = r.begin(); i < r.end(); ++i) {
            stopIfAsked();
            f(i);
          }
        },
        tbb::simple_partitioner());
  });
}

} // namespace ilumbra
