#include "app/panels/pattern_mark.h"

#include "app/theme.h"

#include <QMouseEvent>
#include <QPainter>

namespace ilumbra {

PatternMark::PatternMark(QWidget* row) : QWidget(row) {
  resize(wide, tall);
  setCursor(Qt::PointingHandCursor);
  setToolTip(tr("Patterns for this"));
  setAccessibleName(tr("Patterns"));
}

void PatternMark::tell(bool driven, bool over) {
  if (driven == m_driven && over == m_over) return; // rows ask for it as they are painted
  m_driven = driven;
  m_over = over;
  update();
}

void PatternMark::paintEvent(QPaintEvent*) {
  if (m_over) return;
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(m_driven || underMouse()                                     ? theme::accent
                : parentWidget()->underMouse() || parentWidget()->hasFocus() ? theme::dim
                                                                             : theme::tick,
                1.3, Qt::SolidLine, Qt::RoundCap));
  for (int i = 0; i < 3; ++i) {
    const double x = 2 + 3.5 * i, up = 4 + 2 * i;
    p.drawLine(QPointF(x, 13), QPointF(x + up * 0.5, 13 - up));
  }
}

void PatternMark::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return e->ignore();
  Q_EMIT pressed(mapToGlobal(QPoint(0, height())));
}

} // namespace ilumbra
