#include "app/panels/vector_row.h"

#include "app/panels/inline_field.h"
#include "app/theme.h"
#include "core/document/mover.h"
#include "core/document/units.h"

#include <cmath>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

namespace ilumbra {

VectorRow::VectorRow(Studio& s, const Address& a, QWidget* parent) : ParamRow(s, a, parent) {
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  setMouseTracking(true);
  refresh();
}

void VectorRow::refresh() {
  if (!exists()) return;
  const Constant c = evaluate(value(), def(), m_studio.frame()).value_or(def().initial);
  if (const Triple* t = std::get_if<Triple>(&c)) m_value = *t;
  update();
}

QRect VectorRow::cell(int i) const {
  const int gap = 6, w = (width() - 2 * gap) / 3;
  return {i * (w + gap), 22, w, 22};
}

int VectorRow::cellAt(const QPoint& at) const {
  for (int i = 0; i < 3; ++i)
    if (cell(i).contains(at)) return i;
  return -1;
}

void VectorRow::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setFont(theme::font(12));
  p.setPen(theme::text);
  p.drawText(QRect(0, 1, width(), 19), Qt::AlignLeft | Qt::AlignVCenter, label());
  p.setPen(theme::dim);
  const QString c = chip();
  p.drawText(QRect(0, 1, width(), 19), Qt::AlignRight | Qt::AlignVCenter, c.isEmpty() ? qs(def().unit) : c);
  static const char* const names[] = {"x", "y", "z"};
  for (int i = 0; i < 3; ++i) {
    const QRect r = cell(i);
    p.fillRect(r, theme::desk);
    const bool active = hasFocus() && m_active == i;
    p.fillRect(QRect(r.left(), r.bottom(), r.width(), 1), active ? theme::accent : theme::tick);
    p.setPen(theme::faint);
    p.drawText(r.adjusted(5, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter, QLatin1String(names[i]));
    p.setPen(theme::text);
    if (m_typing != i)
      p.drawText(r.adjusted(0, 0, -5, 0), Qt::AlignRight | Qt::AlignVCenter,
                 QString::number(std::round(m_value[size_t(i)] * 1e4) / 1e4, 'g', 6));
  }
}

void VectorRow::setComponent(int i, double v, uint64_t gesture) {
  Triple t = m_value;
  t[size_t(i)] = std::clamp(v, def().hardMin, def().hardMax);
  set(t, gesture);
}

void VectorRow::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return;
  setFocus();
  const int i = cellAt(e->pos());
  if (i < 0) return;
  m_active = m_dragging = i;
  m_pressAt = e->pos();
  m_pressValue = m_value[size_t(i)];
  m_moved = false;
  m_gesture = m_studio.newGesture();
  update();
}

void VectorRow::mouseMoveEvent(QMouseEvent* e) {
  if (m_dragging < 0) {
    setCursor(cellAt(e->pos()) >= 0 ? Qt::SizeHorCursor : Qt::ArrowCursor);
    return;
  }
  const int dx = e->pos().x() - m_pressAt.x();
  if (!m_moved && std::abs(dx) < 3) return;
  m_moved = true;
  const double fine = e->modifiers() & Qt::ShiftModifier ? 0.1 : 1, unit = (def().softMax - def().softMin) / 600 * fine;
  setComponent(m_dragging, std::round((m_pressValue + dx * unit) * 1e3) / 1e3, m_gesture);
}

void VectorRow::mouseReleaseEvent(QMouseEvent*) {
  const int i = std::exchange(m_dragging, -1);
  if (i >= 0 && !m_moved) type(i);
}

void VectorRow::mouseDoubleClickEvent(QMouseEvent* e) {
  if (cellAt(e->pos()) < 0) reset();
}

void VectorRow::keyPressEvent(QKeyEvent* e) {
  const double unit = (def().softMax - def().softMin) / 100 * (e->modifiers() & Qt::ShiftModifier ? 0.1 : 1);
  switch (e->key()) {
  case Qt::Key_Left:
    m_active = (m_active + 2) % 3;
    return update();
  case Qt::Key_Right:
    m_active = (m_active + 1) % 3;
    return update();
  case Qt::Key_Up:
    return setComponent(m_active, m_value[size_t(m_active)] + unit, m_studio.newGesture());
  case Qt::Key_Down:
    return setComponent(m_active, m_value[size_t(m_active)] - unit, m_studio.newGesture());
  case Qt::Key_Return:
  case Qt::Key_Enter:
    return type(m_active);
  case Qt::Key_Backspace:
    return reset();
  case Qt::Key_Menu:
    return menu(mapToGlobal(QPoint(20, 20)));
  default:
    break;
  }
  const QString t = e->text();
  if (t.size() == 1 && (t[0].isDigit() || QStringLiteral("+-.(").contains(t[0]))) return type(m_active, t);
  QWidget::keyPressEvent(e);
}

void VectorRow::type(int i, const QString& initial) {
  if (m_field) return;
  m_typing = i;
  m_field = new InlineField(this, cell(i), QString::number(m_value[size_t(i)], 'g', 6), initial);
  connect(m_field, &InlineField::closed, this, [this] {
    m_field = nullptr;
    m_typing = -1;
    update();
  });
  connect(m_field, &InlineField::taken, this, [this, i](const QString& text) {
    m_studio.edit(title(), [&](const Document& doc) {
      Triple t = m_value;
      t[size_t(i)] = parseNumber(def(), text.toStdString(), t[size_t(i)]);
      return setNow(doc, m_address, Constant(t));
    });
  });
  m_field->onTab = [this, i] {
    m_active = (i + 1) % 3;
    type(m_active);
  };
  update();
}

} // namespace ilumbra
