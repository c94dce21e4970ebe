#pragma once
#include "core/base/thread_order.h"

#include <functional>
#include <memory>
#include <mutex>
#include <QMetaObject>
#include <QObject>

namespace ilumbra {

/// How other threads hand something to the interface thread. The object that it goes to may be taken down meanwhile:
/// what comes later is dropped. Copies may outlive the object and be used from any thread.
class Sender {
 public:
  /// Runs `f` on the interface thread, soon, unless the object is gone by then. Pointers to widgets (QPointer) are for
  /// `f` to look at.
  void operator()(std::function<void()> f) const {
    const std::lock_guard lock(m_to->mutex);
    if (!m_to->object) return;
    auto order = std::make_shared<ThreadOrder>();
    order->release();
    QMetaObject::invokeMethod(
        m_to->object,
        [f = std::move(f), order] {
          order->acquire();
          f();
        },
        Qt::QueuedConnection);
  }

 private:
  friend class Delivery;
  struct To {
    std::mutex mutex;
    QObject* object;
  };
  explicit Sender(std::shared_ptr<To> to) : m_to(std::move(to)) {}
  std::shared_ptr<To> m_to;
};

/// The receiving end: a member of the object, taken down before what its messages use.
class Delivery {
 public:
  explicit Delivery(QObject* to) : m_to(std::make_shared<Sender::To>()) { m_to->object = to; }
  ~Delivery() {
    const std::lock_guard lock(m_to->mutex);
    m_to->object = nullptr;
  }
  Delivery(const Delivery&) = delete;
  Delivery& operator=(const Delivery&) = delete;
  Sender sender() const { return Sender(m_to); }

 private:
  std::shared_ptr<Sender::To> m_to;
};

} // namespace ilumbra
