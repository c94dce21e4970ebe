#pragma once
#include "app/panels/param_row.h"

namespace ilumbra {

class InlineField;

/// A number: its value over a thin ruled line that is dragged. Type to enter (units and arithmetic), arrows step,
/// double-click the label to reset.
class NumberRow : public ParamRow {
  Q_OBJECT
 public:
  NumberRow(Studio& studio, const Address& address, QWidget* parent);
  void refresh() override;
  QSize sizeHint() const override { return {240, 41}; }
  QSize minimumSizeHint() const override { return {120, 41}; }
  /// Where on the line a value stands, 0 to 1, and back.
  static double toLine(const ParamDef& d, double v);
  static double fromLine(const ParamDef& d, double t);
  /// Opens the field.
  void type(const QString& initial = {});
  /// Place of the line's handle, for tests and for dragging.
  QPoint handle() const;

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent*) override;
  void keyPressEvent(QKeyEvent*) override;
  void focusInEvent(QFocusEvent*) override { update(); }
  void focusOutEvent(QFocusEvent*) override { update(); }

 private:
  QRect lineRect() const;
  QRect valueRect() const;
  void step(double share);
  double m_value = 0;
  bool m_patterned = false;
  bool m_dragging = false;
  double m_pressT = 0;
  QPoint m_pressAt;
  uint64_t m_gesture = 0;
  InlineField* m_field = nullptr;
};

} // namespace ilumbra
