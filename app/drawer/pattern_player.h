#pragma once
#include "app/studio.h"

#include <QImage>

class QTimer;

namespace ilumbra {

/// Plays pictures of a pattern that runs with time: two seconds from the frame shown, or what the scene has, over and
/// over. What stays as it is plays nothing.
class PatternPlayer : public QObject {
  Q_OBJECT
 public:
  static constexpr int perSecond = 12;
  /// Makes all pictures of a document at its frame; called on a thread of the background, by one thread at a time.
  using Make = std::function<std::vector<QImage>(const Document& atFrame, const CancelFlag& cancel)>;
  explicit PatternPlayer(Studio& studio, QObject* parent);
  /// Makes the pictures and plays them; what was played before goes on until the first of them is there.
  void play(const Document& doc, Make make);
  /// Nothing is played or made any more.
  void stop();
  bool playing() const;
  int frames() const { return int(m_frames.size()); }

 Q_SIGNALS:
  void shown(const std::vector<QImage>& pictures);

 private:
  Studio& m_studio;
  QTimer* m_timer;
  std::vector<std::vector<QImage>> m_frames;
  size_t m_at = 0;
  uint64_t m_asked = 0; ///< only what was asked for last is played
  std::shared_ptr<CancelFlag> m_soon;
};

} // namespace ilumbra
