#pragma once
#include "app/spoken.h"
#include "app/studio.h"
#include "core/compile/balance.h"
#include "core/document/rehearsal.h"

#include <QWidget>

class QLabel;
class QScrollArea;
class QToolButton;
class QVBoxLayout;

namespace ilumbra {

/// One light in the balance: its switch, solo, stops on a ruled line, tint and share of the picture's light.
///   Left and Right step the stops (Shift: finely), Space switches, S solos, T tints, P splits own light by its objects
///   or joins it, L keeps it live while frames play, F asks for its layer of files, Backspace takes the row back.
class BalanceRow : public QWidget, public Spoken {
  Q_OBJECT
 public:
  BalanceRow(Studio& studio, const BalanceSource& source, QWidget* parent);
  const BalanceSource& source() const { return m_source; }
  /// `parts`: rows that this one could be split into: objects of a material, copies of a light or object; fewer than 2:
  /// none.
  void show(const SessionImage::Group& group, size_t parts);
  void refresh();
  /// All that is done to it is one step of undo with everything else of this gesture; 0: each act is a step.
  void setTake(uint64_t gesture) { m_take = gesture; }
  QSize sizeHint() const override { return {480, 27}; }
  QAccessible::Role spokenRole() const override { return QAccessible::Slider; }
  QString spokenValue() const override;
  std::optional<Number> spokenNumber() const override;
  void setSpokenNumber(double stops) override;
  /// Places for a pointer, in the row's own pixels.
  QRect switchRect() const, soloRect() const, splitRect() const, lineRect() const, valueRect() const, tintRect() const;
  int handle() const;

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent*) override;
  void keyPressEvent(QKeyEvent*) override;
  void focusInEvent(QFocusEvent*) override { update(); }
  void focusOutEvent(QFocusEvent*) override { update(); }
  void contextMenuEvent(QContextMenuEvent* e) override;
  bool event(QEvent* e) override;

 private:
  int nameWidth() const, barWidth() const; ///< pixels; a bar of 0 is left out
  void set(const char* param, const Constant& v, uint64_t gesture = 0);
  void setStops(double stops, uint64_t gesture);
  void tint();
  void setLive(const char* choice);
  void askForLayer();
  bool joins() const { return m_source.copy || (m_source.object && !m_parts); }
  void split(bool join);
  Studio& m_studio;
  BalanceSource m_source;
  QString m_name;
  size_t m_parts = 0; ///< 0: it cannot be split
  bool m_on = true, m_solo = false, m_unheard = false;
  std::string m_live, m_layer; ///< as its row says
  double m_stops = 0, m_share = 0;
  QColor m_tint, m_light;
  bool m_dragging = false;
  double m_pressStops = 0;
  int m_pressX = 0;
  uint64_t m_gesture = 0, m_take = 0;
};

/// The drawer's page of the balance: a row for each light group; every change is seen at once and traces no ray. While
/// frames play and *Rehearse* is on, what is dragged becomes keys: one step of undo and one proof a take.
class BalancePanel : public QWidget {
  Q_OBJECT
 public:
  explicit BalancePanel(Studio& studio, QWidget* parent = nullptr);
  const std::vector<BalanceRow*>& rows() const { return m_rows; }
  BalanceRow* row(const BalanceSource& source) const;
  void writeInto();
  void clear();

 private:
  void rebuild();
  /// Frames begin to run, or stand still again: a take begins or ends.
  void followPlaying();
  Studio& m_studio;
  std::optional<Rehearsal> m_rehearsal; ///< while frames run and what is dragged is taken down
  uint64_t m_take = 0;                  ///< the gesture of the take that runs; 0: none does
  int m_takes = 0;
  QToolButton* m_rehearse;
  QVBoxLayout* m_list;
  QLabel* m_empty;
  QToolButton *m_write, *m_clear;
  std::vector<BalanceRow*> m_rows;
};

} // namespace ilumbra
