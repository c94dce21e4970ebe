#pragma once
#include "app/panels/line_rows.h"

namespace ilumbra {

/// A colour: its swatch, its numbers, and a chooser.
class ColorRow : public LineRow {
  Q_OBJECT
 public:
  ColorRow(Studio&, const Address&, QWidget*);
  void refresh() override;

 protected:
  void activate() override;
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;

 private:
  static constexpr int fieldWidth = 102; ///< pixels: three numbers of three digits
  QRect swatch() const;
  QLineEdit* m_field;
  QColor m_color;
};

} // namespace ilumbra
