#pragma once
#include "app/spoken.h"
#include "app/studio.h"

#include <QWidget>

class QTimer;

namespace ilumbra {

class MotionChart;

/// Below the rows of the motion chart: which frames are kept for playing. What is missing is hatched, what is coarse
/// hatched faintly; a press goes to a frame.
class KeptStrip : public QWidget, public Spoken {
  Q_OBJECT
 public:
  KeptStrip(Studio& studio, const MotionChart& chart, QWidget* parent);
  QSize sizeHint() const override { return {560, 22}; }
  QAccessible::Role spokenRole() const override { return QAccessible::Indicator; }
  /// "84 of 120 frames kept, 412 of 768 MiB".
  QString spokenValue() const override;

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;

 private:
  void look();
  Studio& m_studio;
  const MotionChart& m_chart;
  std::shared_ptr<const KeptState> m_state;
  bool m_told = false; ///< that the limit is reached
  QTimer* m_timer;
};

} // namespace ilumbra
