#pragma once
#include "app/studio.h"
#include "core/pattern/lines.h"
#include "core/session/pattern_swatch.h"

#include <QImage>
#include <QWidget>

class QHBoxLayout;
class QLabel;
class QToolButton;

namespace ilumbra {

class PatternList;
class PatternPlayer;

/// What a pattern gives, as bars over its range; what the parameter does not take is amber.
class RangeView : public QWidget {
 public:
  explicit RangeView(QWidget* parent) : QWidget(parent) { setMinimumSize(190, 74); }
  void show(const PatternRange& range, const ParamDef& takes);
  void clear();

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  PatternRange m_range;
  ParamDef m_takes;
};

/// The drawer's page of patterns: the pattern of what is selected as lines that can be built on, a large picture of it,
/// and what it gives to the parameter that it drives.
class PatternPanel : public QWidget {
  Q_OBJECT
 public:
  static constexpr int side = 132; ///< of the large picture, pixels
  explicit PatternPanel(Studio& studio, QWidget* parent = nullptr);
  PatternList* list() const { return m_list; }
  const PatternPlayer* player() const { return m_player; }
  NodeId pattern() const { return m_pattern; }
  /// What the pattern is put on, the first if there are several; no node: nothing.
  const Address& use() const { return m_use; }
  /// True while its pictures are being made.
  bool busy() const { return m_busy; }
  const std::optional<PatternRange>& range() const { return m_range; }
  void switchLine(int line);
  void removeLine(int line);
  void moveLine(int line, int by);
  void fit();
  void copy() const;
  void paste();
  void setOn(SwatchOn on);

 protected:
  void showEvent(QShowEvent*) override;
  void hideEvent(QHideEvent*) override;
  void keyPressEvent(QKeyEvent*) override;
  void dragEnterEvent(QDragEnterEvent*) override;
  void dropEvent(QDropEvent*) override;

 private:
  struct Drawing;
  struct Pictures;
  void follow();
  void rebuild();
  void draw();
  void drawn(const Pictures& made);
  void swapLines(int line, int with);
  void addBelow(const QPoint& global);
  void lineMenu(int line, const QPoint& global);
  /// What a line drives; of the first what the pattern is put on.
  Address placeOf(const PatternLine& line) const;
  Studio& m_studio;
  NodeId m_pattern = 0;
  Address m_use;
  Address m_place; ///< what the pattern of the large picture drives: the same, or within the chosen line's pattern
  size_t m_uses = 0;
  SwatchOn m_on = SwatchOn::Object;
  std::optional<PatternRange> m_range;
  bool m_busy = false, m_again = false;
  ScenePtr m_drawnOf; ///< that the pictures show
  PatternList* m_list;
  PatternPlayer* m_player;
  QWidget *m_body, *m_empty;
  QLabel *m_big, *m_told, *m_gives, *m_usedBy;
  RangeView* m_rangeView;
  QToolButton *m_alone = nullptr, *m_inPicture = nullptr;
  QToolButton *m_fit, *m_add;
  std::vector<QToolButton*> m_ons;
};

} // namespace ilumbra
