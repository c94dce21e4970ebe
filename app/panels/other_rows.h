#pragma once
#include "app/panels/param_row.h"

class QHBoxLayout;
class QLabel;
class QPushButton;
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
  QLabel* m_label;
};

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
  QRect swatch() const;
  QLineEdit* m_field;
  QColor m_color;
};

/// Three numbers, each typed or dragged sideways.
class VectorRow : public ParamRow {
  Q_OBJECT
 public:
  VectorRow(Studio&, const Address&, QWidget*);
  void refresh() override;
  QSize sizeHint() const override { return {240, 48}; }
  QSize minimumSizeHint() const override { return {120, 48}; }

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent*) override;
  void keyPressEvent(QKeyEvent*) override;
  bool eventFilter(QObject*, QEvent*) override;
  void focusInEvent(QFocusEvent*) override { update(); }
  void focusOutEvent(QFocusEvent*) override { update(); }

 private:
  QRect cell(int i) const;
  int cellAt(const QPoint&) const;
  void type(int i, const QString& initial = {});
  void setComponent(int i, double v, uint64_t gesture);
  Triple m_value{};
  int m_active = 0, m_dragging = -1, m_typing = -1;
  double m_pressValue = 0;
  QPoint m_pressAt;
  bool m_moved = false;
  uint64_t m_gesture = 0;
  QLineEdit* m_field = nullptr;
};

class TextRow : public LineRow {
  Q_OBJECT
 public:
  TextRow(Studio&, const Address&, QWidget*);
  void refresh() override;

 protected:
  QLineEdit* m_field;
};

class FileRow : public TextRow {
  Q_OBJECT
 public:
  FileRow(Studio&, const Address&, QWidget*);
};

/// One reference: a menu of what fits; a shared thing can be made this use's own.
class ReferenceRow : public LineRow {
  Q_OBJECT
 public:
  ReferenceRow(Studio&, const Address&, QWidget*);
  void refresh() override;

 protected:
  void activate() override;

 private:
  QToolButton* m_button;
};

/// A list of references: chips that can be taken out, and a + that picks.
class ReferencesRow : public ParamRow {
  Q_OBJECT
 public:
  ReferencesRow(Studio&, const Address&, QWidget*);
  void refresh() override;

 private:
  QWidget* m_chips;
  QLabel* m_label;
};

/// A menu of the things that a reference may take, `except` apart; 0 if none was chosen.
NodeId chooseThing(Studio& studio, const ParamDef& def, NodeId except, QWidget* parent, const QPoint& at, bool none,
                   bool* chosen);

} // namespace ilumbra
