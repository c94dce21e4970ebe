#pragma once
#include "app/panels/param_row.h"

namespace ilumbra {

class InlineField;

/// Three numbers, each typed or dragged sideways.
class VectorRow : public ParamRow {
  Q_OBJECT
 public:
  VectorRow(Studio&, const Address&, QWidget*);
  void refresh() override;
  QSize sizeHint() const override { return {240, 48}; }
  QSize minimumSizeHint() const override { return {120, 48}; }

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
  QRect cell(int i) const;
  int cellAt(const QPoint&) const;
  void type(int i, const QString& initial = {});
  void setComponent(int i, double v, uint64_t gesture);
  Triple m_value{};
  int m_active = 0, m_dragging = -1, m_typing = -1;
  double m_pressValue = 0;
  QPoint m_pressAt;
  bool m_moved = false;
  uint64_t m_gesture = 0;
  InlineField* m_field = nullptr;
};

} // namespace ilumbra
