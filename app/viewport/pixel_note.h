#pragma once
#include "app/studio.h"
#include "core/advise/pixel.h"

#include <QFrame>

class QLabel;
class QVBoxLayout;

namespace ilumbra {

/// What stands at the pixel under the pointer and who has a part in it; a click on a name goes there.
class PixelNote : public QFrame {
  Q_OBJECT
 public:
  explicit PixelNote(Studio& studio, QWidget* parent);
  /// Reads the pixel and shows itself near `at` (in the parent's pixels) when the answer comes.
  void ask(int x, int y, const QPoint& at);
  const PixelReading& reading() const { return m_reading; }
  bool answered() const { return m_answered; }

 private:
  void show(const PixelReading& reading, int x, int y);
  Studio& m_studio;
  QVBoxLayout* m_column;
  QWidget* m_body = nullptr;
  QPoint m_at;
  PixelReading m_reading;
  uint64_t m_asked = 0;
  bool m_answered = false;
};

} // namespace ilumbra
