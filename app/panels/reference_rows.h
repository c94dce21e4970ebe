#pragma once
#include "app/panels/line_rows.h"

namespace ilumbra {

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

 protected:
  void keyPressEvent(QKeyEvent*) override;

 private:
  QWidget* m_chips;
  QLabel* m_label;
};

} // namespace ilumbra
