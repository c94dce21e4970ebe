#include "app/panels/number_row.h"

#include "app/panels/inline_field.h"
#include "app/theme.h"
#include "core/document/mover.h"
#include "core/document/units.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

namespace ilumbra {

NumberRow::NumberRow(Studio& studio, const Address& address, QWidget* parent) : ParamRow(studio, address, parent) {
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  refresh();
}

void NumberRow::refresh() {
  if (!exists()) return;
  const Value v = value();
  m_patterned = v.pattern() != nullptr;
  const Constant c = evaluate(v, def(), m_studio.frame()).value_or(def().initial);
  if (const double* d = std::get_if<double>(&c)) m_value = *d;
  update();
}

double NumberRow::toLine(const ParamDef& d, double v) {
  double lo = d.softMin, hi = d.softMax;
  if (d.logarithmic && lo > 0) return v > 0 ? std::clamp(std::log(v / lo) / std::log(hi / lo), 0.0, 1.0) : 0;
  return hi > lo ? std::clamp((v - lo) / (hi - lo), 0.0, 1.0) : 0;
}

double NumberRow::fromLine(const ParamDef& d, double t) {
  const double lo = d.softMin, hi = d.softMax;
  double v = d.logarithmic && lo > 0 ? lo * std::pow(hi / lo, t) : lo + (hi - lo) * t;
  if (d.type == ParamType::Integer) return std::clamp(std::round(v), d.hardMin, d.hardMax);
  // Three digits: what is dragged should read like a choice.
  if (v != 0) {
    const double span = d.logarithmic && lo > 0 ? std::abs(v) : std::max(std::abs(v), 0.01 * (hi - lo));
    const double unit = std::pow(10, std::floor(std::log10(span)) - 2);
    v = std::round(v / unit) * unit;
  }
  return std::clamp(v, d.hardMin, d.hardMax);
}

QRect NumberRow::lineRect() const { return {0, 24, width(), 15}; }
QRect NumberRow::valueRect() const { return {width() - 118, 2, 118, 20}; }
QPoint NumberRow::handle() const { return {int(toLine(def(), m_value) * (width() - 1)), 31}; }

void NumberRow::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const bool hot = underMouse() || hasFocus() || m_dragging;
  p.setFont(theme::font(12));
  p.setPen(theme::text);
  const QString unit = qs(shownUnit(def(), m_value)), number = qs(formatNumber(def(), m_value, false));
  const int unitWidth = unit.isEmpty() ? 0 : std::max(18, p.fontMetrics().horizontalAdvance(unit) + 5),
            taken = m_patterned ? 0
                    : m_field   ? 122
                                : p.fontMetrics().horizontalAdvance(number) + unitWidth + 10,
            room = std::max(20, width() - taken);
  const QString chip = this->chip();
  const int chipWidth =
      chip.isEmpty() ? 0 : std::min(QFontMetrics(theme::font(10)).horizontalAdvance(chip) + 10, room - 60);
  const int behind = chipWidth > 12 ? chipWidth + 8 : markRoom();
  const QString label = p.fontMetrics().elidedText(this->label(), Qt::ElideRight, room - behind);
  p.drawText(QRect(0, 2, width(), 20), Qt::AlignLeft | Qt::AlignVCenter, label);
  if (chipWidth > 12) {
    const QRect r(p.fontMetrics().horizontalAdvance(label) + 8, 4, chipWidth, 16);
    placeMark(0, r);
    p.setFont(theme::font(10));
    p.setPen(Qt::NoPen);
    p.setBrush(theme::selected);
    p.drawRoundedRect(QRectF(r), 3, 3);
    p.setPen(theme::accent);
    p.drawText(r, Qt::AlignCenter, p.fontMetrics().elidedText(chip, Qt::ElideRight, chipWidth - 8));
    p.setFont(theme::font(12));
  } else {
    placeMark(p.fontMetrics().horizontalAdvance(label));
  }
  // Value and unit, the unit in a column of its own.
  if (!m_field && !m_patterned) { // a pattern has no one value
    p.setPen(theme::dim);
    if (!unit.isEmpty())
      p.drawText(QRect(width() - unitWidth, 2, unitWidth, 20), Qt::AlignRight | Qt::AlignVCenter, unit);
    p.setPen(theme::text);
    p.drawText(QRect(0, 2, width() - unitWidth - (unit.isEmpty() ? 0 : 2), 20), Qt::AlignRight | Qt::AlignVCenter,
               number);
  }
  // The ruled line.
  const int y = 31, w = width() - 1;
  p.setRenderHint(QPainter::Antialiasing, false);
  p.setPen(hot ? theme::dim : theme::tick);
  p.drawLine(0, y, w, y);
  for (int i = 0; i <= 10; ++i) {
    const int x = w * i / 10;
    p.drawLine(x, y - (i % 5 == 0 ? 4 : 2), x, y);
  }
  if (m_patterned) return;
  const int x = handle().x();
  const double zero = def().softMin < 0 && def().softMax > 0 ? toLine(def(), 0) * w : 0;
  const bool outside = m_value < def().softMin || m_value > def().softMax;
  p.fillRect(QRectF(std::min(zero, double(x)), y, std::abs(x - zero), 2), outside ? theme::amber : theme::accent);
  p.fillRect(QRectF(std::clamp(x - 1, 0, w - 2), y - 5, 3, 11), hot ? theme::text : theme::accent);
}

void NumberRow::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton || m_patterned) return;
  setFocus();
  m_pressAt = e->pos();
  if (lineRect().adjusted(0, -2, 0, 2).contains(e->pos())) {
    m_dragging = true;
    m_gesture = m_studio.newGesture();
    m_pressT = toLine(def(), m_value);
    // Pressed away from the handle the line jumps there; on the handle it is carried.
    if (std::abs(e->pos().x() - handle().x()) > 6) {
      m_pressT = std::clamp(double(e->pos().x()) / std::max(1, width() - 1), 0.0, 1.0);
      set(fromLine(def(), m_pressT), m_gesture);
    }
    update();
  }
}

void NumberRow::mouseMoveEvent(QMouseEvent* e) {
  if (!m_dragging) {
    setCursor(lineRect().contains(e->pos())    ? Qt::SizeHorCursor
              : valueRect().contains(e->pos()) ? Qt::IBeamCursor
                                               : Qt::ArrowCursor);
    return;
  }
  const double fine = e->modifiers() & Qt::ShiftModifier ? 0.1 : 1;
  const double t =
      std::clamp(m_pressT + fine * double(e->pos().x() - m_pressAt.x()) / std::max(1, width() - 1), 0.0, 1.0);
  set(fromLine(def(), t), m_gesture);
}

void NumberRow::mouseReleaseEvent(QMouseEvent* e) {
  if (m_dragging) {
    m_dragging = false;
    update();
    return;
  }
  if (e->button() == Qt::LeftButton && valueRect().contains(e->pos()) && valueRect().contains(m_pressAt)) type();
}

void NumberRow::mouseDoubleClickEvent(QMouseEvent* e) {
  if (!valueRect().contains(e->pos())) reset();
}

void NumberRow::step(double share) {
  if (m_patterned) return;
  const double t = toLine(def(), m_value);
  double v = fromLine(def(), std::clamp(t + share, 0.0, 1.0));
  if (v == m_value && def().type == ParamType::Integer)
    v = std::clamp(m_value + (share > 0 ? 1 : -1), def().hardMin, def().hardMax);
  if (!m_gesture) m_gesture = m_studio.newGesture();
  set(v, m_gesture);
}

void NumberRow::keyPressEvent(QKeyEvent* e) {
  const double unit = e->modifiers() & Qt::ShiftModifier ? 0.001 : e->modifiers() & Qt::ControlModifier ? 0.1 : 0.01;
  switch (e->key()) {
  case Qt::Key_Left:
    return step(-unit);
  case Qt::Key_Right:
    return step(unit);
  case Qt::Key_Return:
  case Qt::Key_Enter:
    return type();
  case Qt::Key_Backspace:
    return reset();
  case Qt::Key_Menu:
    return menu(mapToGlobal(QPoint(20, 20)));
  default:
    break;
  }
  const QString t = e->text();
  if (t.size() == 1 && (t[0].isDigit() || QStringLiteral("+-.(").contains(t[0])) &&
      !(e->modifiers() & (Qt::ControlModifier | Qt::AltModifier)))
    return type(t);
  QWidget::keyPressEvent(e);
}

void NumberRow::type(const QString& initial) {
  if (m_field || m_patterned) return;
  m_field = new InlineField(this, {width() - 130, 0, 130, 23}, qs(formatNumber(def(), m_value)).remove(QChar(0x2009)),
                            initial);
  connect(m_field, &InlineField::closed, this, [this] {
    m_field = nullptr;
    update();
  });
  connect(m_field, &InlineField::taken, this, &NumberRow::setText);
  update();
}

} // namespace ilumbra
