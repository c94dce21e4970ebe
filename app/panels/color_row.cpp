#include "app/panels/color_row.h"

#include "app/theme.h"
#include "core/base/colorspace.h"
#include "core/document/mover.h"

#include <QColorDialog>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QMouseEvent>
#include <QPainter>

namespace ilumbra {

ColorRow::ColorRow(Studio& s, const Address& a, QWidget* parent) : LineRow(s, a, parent) {
  m_layout->addSpacing(24);
  m_field = new QLineEdit(this);
  m_field->setFixedWidth(fieldWidth);
  m_field->setAlignment(Qt::AlignRight);
  connect(m_field, &QLineEdit::editingFinished, this, [this] {
    if (m_field->isModified()) setText(m_field->text());
    m_field->setModified(false);
  });
  m_layout->addWidget(m_field);
  refresh();
}

static QColor shown(const Triple& t) {
  const double most = std::max({1.0, t[0], t[1], t[2]});
  const auto byte = [&](double v) {
    return int(std::lround(255 * std::clamp(srgbEncoded<double>(std::max(0.0, v / most)), 0.0, 1.0)));
  };
  return {byte(t[0]), byte(t[1]), byte(t[2])};
}

void ColorRow::refresh() {
  if (!exists()) return;
  markLabel();
  const Value v = value();
  if (v.pattern()) {
    m_field->setText(m_field->fontMetrics().elidedText(chip(), Qt::ElideRight, m_field->width() - 14));
    m_field->setCursorPosition(0);
    m_field->setReadOnly(true);
    m_color = theme::selected;
    update();
    return;
  }
  m_field->setReadOnly(false);
  const Constant c = evaluate(v, def(), m_studio.frame()).value_or(def().initial);
  if (const Triple* t = std::get_if<Triple>(&c)) {
    m_color = shown(*t);
    if (!m_field->hasFocus() || !m_field->isModified()) {
      const auto digits = [](double x) { return QString::number(x, 'g', 3); };
      const bool grey = (*t)[0] == (*t)[1] && (*t)[1] == (*t)[2]; // which one number says, and is read as
      m_field->setText(grey ? digits((*t)[0])
                            : QStringLiteral("%1, %2, %3").arg(digits((*t)[0]), digits((*t)[1]), digits((*t)[2])));
      m_field->setCursorPosition(0);
      m_field->setModified(false);
    }
  }
  update();
}

QRect ColorRow::swatch() const { return {width() - fieldWidth - 28, 6, 22, height() - 13}; }

void ColorRow::paintEvent(QPaintEvent* e) {
  LineRow::paintEvent(e);
  QPainter p(this);
  p.setPen(theme::tick);
  p.setBrush(m_color);
  p.drawRect(swatch());
}

void ColorRow::mousePressEvent(QMouseEvent* e) {
  setFocus();
  if (swatch().adjusted(-3, -4, 3, 4).contains(e->pos())) activate();
}

void ColorRow::activate() {
  if (value().pattern()) return;
  QColorDialog dialog(m_color, this);
  dialog.setOption(QColorDialog::DontUseNativeDialog);
  dialog.setWindowTitle(qs(def().label));
  const uint64_t gesture = m_studio.newGesture();
  const Value before = value();
  const auto take = [&](const QColor& c) {
    set(Triple{srgbDecoded<double>(c.redF()), srgbDecoded<double>(c.greenF()), srgbDecoded<double>(c.blueF())},
        gesture);
  };
  connect(&dialog, &QColorDialog::currentColorChanged, this, take);
  if (dialog.exec() != QDialog::Accepted)
    m_studio.edit(
        title(), [&](const Document& doc) { return setAt(doc, m_address, before); }, gesture);
}

} // namespace ilumbra
