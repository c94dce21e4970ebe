#include "app/panels/line_rows.h"

#include "app/theme.h"
#include "core/document/mover.h"
#include "core/document/units.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QToolButton>

namespace ilumbra {

namespace {
// A label that ends in dots where there is no room for all of it; what drives the value stands behind it.
class RowLabel : public QLabel {
 public:
  RowLabel(const QString& text, std::function<QString()> driver, QWidget* row)
      : QLabel(text, row), m_driver(std::move(driver)) {}

 protected:
  void paintEvent(QPaintEvent*) override {
    QPainter p(this);
    const QString driver = m_driver(), name = fontMetrics().elidedText(text(), Qt::ElideRight, contentsRect().width());
    p.drawText(rect(), Qt::AlignLeft | Qt::AlignVCenter, name);
    if (driver.isEmpty()) return;
    const int at =
        fontMetrics().horizontalAdvance(name) + (contentsMargins().right() ? contentsMargins().right() + 4 : 8);
    p.setFont(theme::font(10));
    p.setPen(theme::accent);
    p.drawText(rect().adjusted(at, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(driver, Qt::ElideRight, std::max(0, width() - at)));
  }

 private:
  const std::function<QString()> m_driver;
};
} // namespace

LineRow::LineRow(Studio& studio, const Address& address, QWidget* parent) : ParamRow(studio, address, parent) {
  m_layout = new QHBoxLayout(this);
  m_layout->setContentsMargins(0, 2, 0, 2);
  m_layout->setSpacing(6);
  m_label = new RowLabel(
      label(), [this] { return exists() ? chip() : QString(); }, this);
  m_label->setMinimumWidth(0);
  m_label->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  m_label->setContentsMargins(0, 0, markRoom(), 0);
  connect(&studio, &Studio::documentChanged, m_label, [this] { m_label->update(); });
  m_layout->addWidget(m_label, 1);
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  setFixedHeight(30);
}

void LineRow::markLabel() {
  placeMark(std::min(m_label->fontMetrics().horizontalAdvance(m_label->text()), m_label->contentsRect().width()));
}

void LineRow::resizeEvent(QResizeEvent*) {
  m_layout->activate(); // the label has its new width
  markLabel();
}

void LineRow::keyPressEvent(QKeyEvent* e) {
  // Keys that a field inside lets through are not meant for the row.
  if (!hasFocus()) return e->accept();
  if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter || e->key() == Qt::Key_Space) return activate();
  if (e->key() == Qt::Key_Backspace) return reset();
  if (e->key() == Qt::Key_Menu) return menu(mapToGlobal(QPoint(20, 20)));
  QWidget::keyPressEvent(e);
}

void LineRow::paintEvent(QPaintEvent*) {
  if (!hasFocus()) return;
  QPainter p(this);
  p.fillRect(0, height() - 1, width(), 1, theme::accent);
}

FlagRow::FlagRow(Studio& s, const Address& a, QWidget* parent) : LineRow(s, a, parent) {
  m_layout->addSpacing(76);
  refresh();
}

void FlagRow::refresh() {
  if (!exists()) return;
  const Constant c = evaluate(value(), def(), m_studio.frame()).value_or(def().initial);
  if (const bool* b = std::get_if<bool>(&c)) m_on = *b;
  update();
}

void FlagRow::activate() { set(!m_on); }
void FlagRow::mousePressEvent(QMouseEvent* e) {
  if (e->button() == Qt::LeftButton) {
    setFocus();
    activate();
  }
}

void FlagRow::paintEvent(QPaintEvent* e) {
  LineRow::paintEvent(e);
  QPainter p(this);
  p.setFont(theme::font(12));
  const QString off = tr("off"), on = tr("on");
  // Both words stand there; the one that holds is lit, over a short piece of line.
  const int right = width(), wOn = p.fontMetrics().horizontalAdvance(on), wOff = p.fontMetrics().horizontalAdvance(off);
  const QRect onRect(right - wOn - 4, 0, wOn + 4, height() - 3),
      offRect(right - wOn - wOff - 26, 0, wOff + 4, height() - 3);
  p.setPen(m_on ? theme::text : theme::faint);
  p.drawText(onRect, Qt::AlignCenter, on);
  p.setPen(m_on ? theme::faint : theme::text);
  p.drawText(offRect, Qt::AlignCenter, off);
  const QRect& lit = m_on ? onRect : offRect;
  p.fillRect(lit.left(), height() - 7, lit.width(), 2, m_on ? theme::accent : theme::dim);
}

ChoiceRow::ChoiceRow(Studio& s, const Address& a, QWidget* parent) : LineRow(s, a, parent) {
  m_button = new QToolButton(this);
  m_button->setProperty("class", "accent");
  m_button->setFocusPolicy(Qt::NoFocus);
  connect(m_button, &QToolButton::clicked, this, [this] { activate(); });
  m_layout->addWidget(m_button);
  refresh();
}

void ChoiceRow::refresh() {
  if (!exists()) return;
  m_button->setText(qs(formatValue(m_studio.doc(), def(), valueNow())));
}

void ChoiceRow::activate() {
  QMenu m(this);
  const QString now = m_button->text();
  for (const std::string& c : def().choices) {
    QAction* a = m.addAction(qs(c));
    a->setCheckable(true);
    a->setChecked(qs(c) == now);
  }
  if (const QAction* a = m.exec(m_button->mapToGlobal(QPoint(0, m_button->height())))) set(a->text().toStdString());
}

TextRow::TextRow(Studio& s, const Address& a, QWidget* parent) : LineRow(s, a, parent) {
  m_field = new QLineEdit(this);
  m_field->setMinimumWidth(110);
  m_label->setMinimumWidth(std::min(100, m_label->sizeHint().width())); // what it is comes before what is in it
  connect(m_field, &QLineEdit::editingFinished, this, [this] {
    if (m_field->isModified()) setText(m_field->text());
    m_field->setModified(false);
    refresh();
  });
  m_layout->addWidget(m_field, 2);
  refresh();
}

void TextRow::refresh() {
  if (!exists() || (m_field->hasFocus() && m_field->isModified())) return;
  m_field->setText(qs(formatValue(m_studio.doc(), def(), valueNow())));
  m_field->setCursorPosition(0);
}

FileRow::FileRow(Studio& s, const Address& a, QWidget* parent) : TextRow(s, a, parent) {
  auto* browse = new QToolButton(this);
  browse->setText(tr("choose"));
  browse->setProperty("class", "accent");
  connect(browse, &QToolButton::clicked, this, [this] {
    const QString f = QFileDialog::getOpenFileName(this, qs(def().label), qs(m_studio.doc().folder()));
    if (!f.isEmpty()) setText(f);
  });
  m_layout->addWidget(browse);
}

} // namespace ilumbra
