#include "app/background.h"

#include "core/base/error.h"

#include <algorithm>
#include <chrono>
#include <condition_variable>
#include <QStringList>
#include <thread>

namespace ilumbra {

struct Background::Piece {
  uint64_t number = 0;
  QString label;
  Work work;
  Options options;
  // The thread may outlive the piece.
  struct Shared {
    CancelFlag cancel;
    std::mutex mutex;
    std::condition_variable over;
    bool done = false;
  };
  std::shared_ptr<Shared> shared = std::make_shared<Shared>();
  std::thread thread;
  bool cancelled = false;
  bool runs() const { return thread.joinable(); }
};

Background::Background(QObject* parent) : QObject(parent) {}

Background::~Background() { end(); }

bool Background::end() {
  for (const auto& p : m_pieces) p->shared->cancel.request();
  const auto limit = std::chrono::steady_clock::now() + std::chrono::seconds(3);
  for (const auto& p : m_pieces) {
    if (!p->runs()) continue;
    std::unique_lock lock(p->shared->mutex);
    const bool over = p->shared->over.wait_until(lock, limit, [&] { return p->shared->done; });
    lock.unlock();
    if (over) {
      p->thread.join();
    } else {
      m_letGo = true;
      p->thread.detach();
    }
  }
  m_pieces.clear();
  return !m_letGo;
}

bool Background::start(const QString& label, Work work, Options options) {
  const bool taken = busy(options.lane);
  if (taken && !options.waits) {
    for (const auto& p : m_pieces)
      if (p->options.lane == options.lane && !p->cancelled) {
        Q_EMIT told(tr("%1 is still going on").arg(p->label), true);
        break;
      }
    return false;
  }
  auto piece = std::make_unique<Piece>();
  piece->number = ++m_next;
  piece->label = label;
  piece->work = std::move(work);
  piece->options = std::move(options);
  m_pieces.push_back(std::move(piece));
  if (!taken) launch(*m_pieces.back());
  Q_EMIT changed();
  return true;
}

void Background::launch(Piece& piece) {
  piece.thread = std::thread([this, send = m_delivery.sender(), work = std::move(piece.work), shared = piece.shared,
                              number = piece.number]() mutable {
    std::function<void()> finish;
    QString error;
    try {
      finish = work(shared->cancel);
    } catch (const Error& e) {
      error = e.kind() == ErrorKind::Cancelled ? QStringLiteral("-") : QString::fromUtf8(e.what());
    } catch (const std::bad_alloc&) {
      error = tr("There is not enough memory for this");
    } catch (const std::exception& e) {
      error = QString::fromUtf8(e.what());
    } catch (...) {
      error = tr("Something in it broke its reader");
    }
    // What the work holds goes before anybody hears that it is over.
    work = {};
    // `this` is looked at on the interface thread, where it lives or the message is dropped.
    send([this, number, finish = std::move(finish), error] { ended(number, finish, error); });
    finish = {};
    const std::lock_guard lock(shared->mutex);
    shared->done = true;
    shared->over.notify_all();
  });
}

void Background::ended(uint64_t number, const std::function<void()>& finish, const QString& error) {
  const auto it = std::find_if(m_pieces.begin(), m_pieces.end(), [&](const auto& p) { return p->number == number; });
  if (it == m_pieces.end()) return;
  const std::unique_ptr<Piece> piece = std::move(*it);
  m_pieces.erase(it);
  piece->thread.join(); // it has nothing left to do
  const QString lane = piece->options.lane;
  const auto inLane = [&](const auto& p) { return p->options.lane == lane; };
  const auto waiting =
      std::find_if(m_pieces.begin(), m_pieces.end(), inLane); // in order: what runs stands before what waits
  if (waiting != m_pieces.end() && !(*waiting)->runs()) launch(**waiting);
  Q_EMIT changed();
  const bool failed = piece->cancelled || !error.isEmpty();
  if (!piece->cancelled && !error.isEmpty() && error != QStringLiteral("-")) Q_EMIT told(error, true);
  if (failed && piece->options.failed) piece->options.failed();
  if (!failed && finish) finish();
}

Background::Piece* Background::shown() const {
  Piece* best = nullptr;
  for (const auto& p : m_pieces)
    if (p->runs() && !p->cancelled && p->options.told && (p->options.matters || !best)) best = p.get();
  return best;
}

QString Background::label() const {
  const Piece* p = shown();
  return p ? p->label : QString();
}

QStringList Background::running() const {
  QStringList out;
  for (const auto& p : m_pieces)
    if (!p->cancelled && p->options.matters) out << p->label;
  return out;
}

bool Background::busy(const QString& lane) const {
  return std::any_of(m_pieces.begin(), m_pieces.end(),
                     [&](const auto& p) { return p->options.lane == lane && (!p->cancelled || p->options.waits); });
}

bool Background::idle() const { return m_pieces.empty(); }

void Background::cancel() {
  Piece* p = shown();
  if (!p) return;
  p->cancelled = true;
  p->shared->cancel.request();
  Q_EMIT told(tr("%1: cancelled").arg(p->label), false);
  Q_EMIT changed();
}

void Background::cancelAll() {
  // What waits has not begun, and is told like the rest.
  std::vector<std::function<void()>> failed;
  for (auto it = m_pieces.begin(); it != m_pieces.end();) {
    if ((*it)->runs()) {
      (*it)->cancelled = true;
      (*it)->shared->cancel.request();
      ++it;
    } else {
      if ((*it)->options.failed) failed.push_back((*it)->options.failed);
      it = m_pieces.erase(it);
    }
  }
  for (const auto& f : failed) f();
  Q_EMIT changed();
}

void Background::cancelWhatMatters() {
  for (const auto& p : m_pieces) {
    if (p->cancelled || !p->options.matters) continue;
    p->cancelled = true;
    p->shared->cancel.request();
  }
  Q_EMIT changed();
}

} // namespace ilumbra
