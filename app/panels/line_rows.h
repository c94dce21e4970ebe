#pragma once
#include "app/panels/param_row.h"

class QHBoxLayout;
class QLabel;
class QToolButton;

namespace ilumbra {

/// What rows of one line have in common: a label to the left.
class LineRow : public ParamRow {
  Q_OBJECT
 public:
  LineRow(Studio& studio, const Address& address, QWidget* parent);
  QSize sizeHint() const override { return {240, 30}; }

 protected:
  void mouseDoubleClickEvent(QMouseEvent*) override { reset(); }
  void keyPressEvent(QKeyEvent*) override;
  void paintEvent(QPaintEvent*) override;
  void focusInEvent(QFocusEvent*) override { update(); }
  void focusOutEvent(QFocusEvent*) override { update(); }
  virtual void activate() {}
  QHBoxLayout* m_layout;
  /// Puts the mark of patterns behind the label.
  void markLabel();
  void resizeEvent(QResizeEvent*) override;
  QLabel* m_label;
};

/// A switch.
class FlagRow : public LineRow {
  Q_OBJECT
 public:
  FlagRow(Studio&, const Address&, QWidget*);
  void refresh() override;

 protected:
  void activate() override;
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent*) override {}

 private:
  bool m_on = false;
};

/// One of several words, from a menu.
class ChoiceRow : public LineRow {
  Q_OBJECT
 public:
  ChoiceRow(Studio&, const Address&, QWidget*);
  void refresh() override;

 protected:
  void activate() override;

 private:
  QToolButton* m_button;
};

/// A text.
class TextRow : public LineRow {
  Q_OBJECT
 public:
  TextRow(Studio&, const Address&, QWidget*);
  void refresh() override;

 protected:
  QLineEdit* m_field;
};

/// A file, typed or chosen.
class FileRow : public TextRow {
  Q_OBJECT
 public:
  FileRow(Studio&, const Address&, QWidget*);
};

} // namespace ilumbra
