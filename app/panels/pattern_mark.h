#pragma once
#include <QWidget>

namespace ilumbra {

/// The small mark behind a row's label that offers patterns: a hatch, faint until the row is used, in the accent where
/// a pattern drives it.
class PatternMark : public QWidget {
  Q_OBJECT
 public:
  static constexpr int wide = 15, tall = 18; ///< pixels
  explicit PatternMark(QWidget* row);
  /// `over`: it lies over a chip that says the same, and is not drawn.
  void tell(bool driven, bool over);

 Q_SIGNALS:
  void pressed(const QPoint& global);

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void enterEvent(QEnterEvent*) override { update(); }
  void leaveEvent(QEvent*) override { update(); }

 private:
  bool m_driven = false, m_over = false;
};

} // namespace ilumbra
