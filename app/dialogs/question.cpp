#include "app/dialogs/question.h"

#include "app/theme.h"

#include <algorithm>
#include <QDialog>
#include <QFontMetrics>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>

namespace ilumbra {
namespace {

// An answer: its label, and below it what it does. The one with the focus stands on a lit ground with a line before it.
class AnswerButton : public QPushButton {
 public:
  AnswerButton(const Answer& answer, QWidget* parent) : QPushButton(answer.label, parent), m_does(answer.does) {
    setObjectName(answer.label);
    setAccessibleName(answer.label);
    setAccessibleDescription(answer.does);
    setAutoDefault(false);
    setFixedHeight(m_does.isEmpty() ? 34 : 50);
    setCursor(Qt::PointingHandCursor);
    // Nothing of it is cut: file names may be long.
    setMinimumWidth(30 + std::max(QFontMetrics(theme::font(13, 600)).horizontalAdvance(answer.label),
                                  QFontMetrics(theme::font(12)).horizontalAdvance(m_does)));
  }

 protected:
  void paintEvent(QPaintEvent*) override {
    QPainter p(this);
    const bool lit = hasFocus() || underMouse();
    if (lit) p.fillRect(rect(), theme::raised);
    if (hasFocus()) p.fillRect(QRect(0, 0, 2, height()), theme::accent);
    p.setFont(theme::font(13, 600));
    p.setPen(hasFocus() ? theme::accent : theme::text);
    p.drawText(QRect(14, 0, width() - 20, m_does.isEmpty() ? height() : 28), Qt::AlignLeft | Qt::AlignVCenter, text());
    p.setFont(theme::font(12));
    p.setPen(theme::dim);
    if (!m_does.isEmpty()) p.drawText(QRect(14, 24, width() - 20, 20), Qt::AlignLeft | Qt::AlignVCenter, m_does);
  }
  void keyPressEvent(QKeyEvent* e) override {
    if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter) return click();
    if (e->key() == Qt::Key_Down || e->key() == Qt::Key_Up) {
      focusNextPrevChild(e->key() == Qt::Key_Down);
      return;
    }
    QPushButton::keyPressEvent(e);
  }

 private:
  QString m_does;
};

// Title and sentence, as every such window has them.
QVBoxLayout* dressed(QDialog& d, const QString& title, const QString& text) {
  d.setWindowTitle(title);
  d.setObjectName(QStringLiteral("question"));
  auto* column = new QVBoxLayout(&d);
  column->setContentsMargins(20, 16, 20, 16);
  column->setSpacing(6);
  auto* head = new QLabel(title, &d);
  head->setFont(theme::font(15, 700));
  column->addWidget(head);
  if (!text.isEmpty()) {
    auto* body = new QLabel(text, &d);
    body->setTextFormat(Qt::PlainText);
    body->setWordWrap(true);
    body->setMinimumWidth(430);
    body->setStyleSheet(QStringLiteral("color: #b5b0a7"));
    column->addWidget(body);
  }
  column->addSpacing(6);
  return column;
}

} // namespace

int ask(QWidget* parent, const QString& title, const QString& text, const std::vector<Answer>& answers, int first) {
  QDialog d(parent);
  QVBoxLayout* column = dressed(d, title, text);
  int chosen = -1;
  for (int i = 0; i < int(answers.size()); ++i) {
    auto* b = new AnswerButton(answers[size_t(i)], &d);
    QObject::connect(b, &QPushButton::clicked, &d, [&d, &chosen, i] {
      chosen = i;
      d.accept();
    });
    column->addWidget(b);
    if (i == first) b->setFocus();
  }
  return d.exec() == QDialog::Accepted ? chosen : -1;
}

void tellInWindow(QWidget* parent, const QString& title, const QString& text) {
  ask(parent, title, text, {{QObject::tr("Go on"), {}}});
}

std::optional<QString> askForText(QWidget* parent, const QString& title, const QString& label, const QString& text) {
  QDialog d(parent);
  QVBoxLayout* column = dressed(d, title, label);
  auto* field = new QLineEdit(text, &d);
  field->selectAll();
  field->setMinimumWidth(340);
  column->addWidget(field);
  QObject::connect(field, &QLineEdit::returnPressed, &d, &QDialog::accept);
  auto* take = new AnswerButton({QObject::tr("Use this name"), QObject::tr("Return")}, &d);
  auto* leave = new AnswerButton({QObject::tr("Leave it as it is"), QObject::tr("Escape")}, &d);
  QObject::connect(take, &QPushButton::clicked, &d, &QDialog::accept);
  QObject::connect(leave, &QPushButton::clicked, &d, &QDialog::reject);
  column->addSpacing(6);
  column->addWidget(take);
  column->addWidget(leave);
  field->setFocus();
  if (d.exec() != QDialog::Accepted) return std::nullopt;
  return field->text();
}

} // namespace ilumbra
