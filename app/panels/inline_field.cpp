#include "app/panels/inline_field.h"

#include "app/theme.h"

#include <QKeyEvent>

namespace ilumbra {

InlineField::InlineField(QWidget* row, const QRect& place, const QString& before, const QString& typed)
    : QLineEdit(row), m_before(before) {
  setFont(theme::font(12));
  setAlignment(Qt::AlignRight);
  setGeometry(place);
  setText(typed.isEmpty() ? before : typed);
  if (typed.isEmpty()) selectAll();
  show();
  setFocus();
}

bool InlineField::event(QEvent* e) {
  if (e->type() == QEvent::KeyPress) {
    const int key = static_cast<QKeyEvent*>(e)->key();
    if (key == Qt::Key_Escape || key == Qt::Key_Return || key == Qt::Key_Enter) {
      close(key != Qt::Key_Escape);
      parentWidget()->setFocus();
      return true;
    }
    if (key == Qt::Key_Tab && onTab) {
      close(true);
      onTab();
      return true;
    }
  }
  return QLineEdit::event(e);
}

void InlineField::focusOutEvent(QFocusEvent* e) {
  QLineEdit::focusOutEvent(e);
  close(true);
}

void InlineField::close(bool take) {
  if (m_closed) return;
  m_closed = true;
  const QString now = text();
  hide();
  deleteLater();
  Q_EMIT closed();
  if (take && now != m_before) Q_EMIT taken(now);
}

} // namespace ilumbra
