#include "app/drawer/pattern_player.h"

#include "core/base/error.h"
#include "core/document/edit.h"

#include <chrono>
#include <QPointer>
#include <QTimer>

namespace ilumbra {

PatternPlayer::PatternPlayer(Studio& studio, QObject* parent)
    : QObject(parent), m_studio(studio), m_timer(new QTimer(this)) {
  m_timer->setInterval(1000 / perSecond);
  connect(m_timer, &QTimer::timeout, this, [this] {
    if (m_frames.empty()) return;
    m_at = (m_at + 1) % m_frames.size();
    Q_EMIT shown(m_frames[m_at]);
  });
}

bool PatternPlayer::playing() const { return m_timer->isActive(); }

void PatternPlayer::stop() {
  ++m_asked;
  if (m_soon) m_soon->request();
  m_timer->stop();
  m_frames.clear();
}

void PatternPlayer::play(const Document& doc, Make make) {
  if (m_soon) m_soon->request();
  const auto soon = m_soon = std::make_shared<CancelFlag>();
  const uint64_t asked = ++m_asked;
  const auto work = [self = QPointer<PatternPlayer>(this), doc, make = std::move(make), soon,
                     asked](const CancelFlag& cancel) -> std::function<void()> {
    constexpr auto longest = std::chrono::seconds(3); // of making them: a movie takes its time
    const auto begin = std::chrono::steady_clock::now();
    const Params settings = settingsOf(doc);
    const double now = currentFrame(doc), step = std::max(1.0, std::round(settings.number("rate") / perSecond)),
                 first = settings.number("first_frame"), last = std::max(first, settings.number("last_frame"));
    const int all = int(std::min(2.0 * perSecond, std::floor((last - first) / step) + 1));
    // From its end it goes on at its beginning.
    const auto frame = [&](int i) {
      const double f = now + i * step;
      return now >= first && now <= last && f > last ? first + std::fmod(f - first, last - first + 1) : f;
    };
    std::vector<std::vector<QImage>> frames;
    try {
      const auto at = [&](int i) {
        if (cancel.requested()) throw cancelled();
        return make(atFrame(doc, frame(i)), cancel);
      };
      if (all > 1 && !soon->requested()) frames.push_back(at(0));
      // Three looks tell whether it moves at all.
      bool moves = false;
      for (const int i : {1, all / 3, all - 1})
        if (all > 1 && !moves && !soon->requested() && i > 0) moves = at(i) != frames.front();
      for (int i = 1; moves && i < all && !soon->requested(); ++i) {
        if (std::chrono::steady_clock::now() - begin > longest) break;
        frames.push_back(at(i));
      }
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::Cancelled) throw;
      frames.clear(); // what is wrong is told where it is drawn
    }
    if (frames.size() < 2) frames.clear();
    return [self, frames = std::move(frames), asked] {
      if (!self || asked != self->m_asked) return;
      self->m_frames = frames;
      self->m_at = 0;
      if (frames.empty())
        self->m_timer->stop();
      else
        self->m_timer->start();
    };
  };
  m_studio.background(tr("Playing the pattern"), work,
                      {.lane = QStringLiteral("pattern play"), .waits = true, .matters = false, .told = false});
}

} // namespace ilumbra
