#pragma once
#include "app/spoken.h"
#include "app/studio.h"

#include <QWidget>

class QVBoxLayout;

namespace ilumbra {

/// A curve of a thing, drawn: points are pressed into it, dragged, and moved by keys; the numbers of the chosen one
/// stand below. Arrows move the chosen point (Shift finely, Ctrl far), Page Up and Page Down choose another, Insert
/// adds one in the widest gap, Delete takes it away.
class CurveField : public QWidget, public Spoken {
  Q_OBJECT
 public:
  CurveField(Studio& studio, NodeId owner, std::string slot, QWidget* parent);
  QSize sizeHint() const override { return {240, height()}; }
  bool isDrawn() const { return !points().empty(); }
  /// Takes all points away: the curve is as it was before any was set.
  void straighten();

  /// False: the point is none of this curve.
  bool reveal(NodeId point);

  // For tests and for dragging.
  NodeId chosen() const { return m_chosen; }
  QPoint placeOf(double at, double value) const;
  QAccessible::Role spokenRole() const override { return QAccessible::Graphic; }
  /// How many points it has, and where the chosen one is.
  QString spokenValue() const override;

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent*) override;
  void keyPressEvent(QKeyEvent*) override;
  void contextMenuEvent(QContextMenuEvent*) override;
  void focusInEvent(QFocusEvent*) override { update(); }
  void focusOutEvent(QFocusEvent*) override { update(); }

 private:
  struct Point {
    NodeId id;
    double at, value;
  };
  struct Axis {
    const ParamDef* def;
    double from, to;
  };
  const Kind& pointKind() const;
  Axis axis(const char* param) const;
  std::vector<Point> points() const; ///< from left to right
  NodeId pointAt(const QPoint& place) const;
  double valueOf(const Axis& axis, double share) const;
  QRect field() const;
  void refresh();
  void choose(NodeId point);
  NodeId add(double at, double value, uint64_t gesture);
  void put(NodeId point, double at, double value, uint64_t gesture);
  void take(NodeId point);
  Studio& m_studio;
  const NodeId m_owner;
  const std::string m_slot;
  NodeId m_chosen = 0;
  bool m_dragging = false;
  uint64_t m_gesture = 0;
  QVBoxLayout* m_rows;
};

} // namespace ilumbra
