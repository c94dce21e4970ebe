#pragma once
#include "core/display/view.h"
#include "core/session/session.h"
#include "tests/support/scene.h"

#include <chrono>
#include <condition_variable>
#include <mutex>
#include <thread>

namespace ilumbra::test {

/// A session whose images are collected.
class Bench {
 public:
  explicit Bench(int threads = 0)
      : m_session(
            std::make_shared<AssetCache>(), std::make_shared<const ColorViews>(),
            [this](std::shared_ptr<const SessionImage> i) {
              const std::lock_guard lock(m_mutex);
              m_images.push_back(std::move(i));
              m_wake.notify_all();
            },
            threads) {}
  uint64_t submit(SessionRequest r) { return m_session.submit(std::move(r)); }
  uint64_t submit(const Document& d) { return submit(SessionRequest{.doc = d}); }
  std::shared_ptr<const SessionImage> wait(const std::function<bool(const SessionImage&)>& want, int seconds = 60) {
    std::unique_lock lock(m_mutex);
    const auto until = std::chrono::steady_clock::now() + std::chrono::seconds(seconds);
    for (size_t seen = 0;;) {
      for (; seen < m_images.size(); ++seen)
        if (want(*m_images[seen])) return m_images[seen];
      if (m_wake.wait_until(lock, until) == std::cv_status::timeout) return nullptr;
    }
  }
  std::shared_ptr<const SessionImage> finished(uint64_t edition) {
    return wait([edition](const SessionImage& i) { return i.edition == edition && i.finished; });
  }
  /// The first image that answers it.
  std::shared_ptr<const SessionImage> answer(SessionRequest r) {
    const uint64_t edition = submit(std::move(r));
    return wait([edition](const SessionImage& i) { return i.edition == edition; });
  }
  /// Until what is kept for playing is as wanted.
  bool untilKept(const std::function<bool(const KeptState&)>& want) {
    for (int i = 0; i < 6000; ++i) {
      if (want(*m_session.kept())) return true;
      std::this_thread::sleep_for(std::chrono::milliseconds(10));
    }
    return false;
  }
  Session& session() { return m_session; }

 private:
  std::mutex m_mutex;
  std::condition_variable m_wake;
  std::vector<std::shared_ptr<const SessionImage>> m_images;
  Session m_session;
};

} // namespace ilumbra::test
