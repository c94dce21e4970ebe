#pragma once
#include "app/spoken.h"
#include "core/pattern/lines.h"

#include <map>
#include <QImage>
#include <QWidget>
#include <set>

namespace ilumbra {

class LineInputs;
class Studio;

/// A pattern as an indented list of lines, top line on top. A line has a small picture of what it gives, how it stands
/// to the line that holds it, what it is with its first number, and a switch. Opened, it has its numbers below it.
///   Up and Down choose, Left and Right fold, Return opens, Space switches, Delete takes out, Alt+Up and Alt+Down move
///   a layer or exchange an input with the one beside it, the menu key opens what can be done with it.
class PatternList : public QWidget, public Spoken {
  Q_OBJECT
 public:
  static constexpr int lineHeight = 32, pictureWidth = 34, pictureHeight = 26; ///< pixels
  explicit PatternList(Studio& studio, QWidget* parent = nullptr);
  /// `named`: what the first line is put on, in words.
  void show(std::vector<PatternLine> lines, const QString& named);
  /// One for each line; null: none yet.
  void showPictures(std::vector<QImage> pictures);
  const std::vector<PatternLine>& lines() const { return m_lines; }
  int chosen() const { return m_chosen; }
  const PatternLine* chosenLine() const;
  void choose(int line);
  /// Where a line lies, its switch, and what opens and what folds it, in pixels; empty where it is folded away.
  QRect lineRect(int line) const, switchRect(int line) const, openRect(int line) const, foldRect(int line) const;
  /// Shows the numbers of a line below it, or puts them away.
  void open(int line, bool on);
  bool isOpen(int line) const;
  /// Of a line that is open; null: it is not.
  LineInputs* inputs(int line) const;
  QAccessible::Role spokenRole() const override { return QAccessible::List; }
  QString spokenValue() const override;
  QSize sizeHint() const override;

 Q_SIGNALS:
  void lineChosen(int line);
  /// This much of the list is to be seen.
  void cameIntoView(const QRect& part);
  void lineSwitched(int line);
  void lineRemoved(int line);
  void lineMoved(int line, int by);
  /// One input was dragged onto another.
  void lineSwapped(int line, int with);
  void menuWanted(int line, const QPoint& global);

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent*) override;
  void contextMenuEvent(QContextMenuEvent*) override;
  void keyPressEvent(QKeyEvent*) override;
  void resizeEvent(QResizeEvent*) override;
  bool event(QEvent*) override;

 private:
  std::vector<int> shown() const; ///< lines that no fold hides
  int lineAt(int y) const;        ///< -1: none
  bool hasBelow(int line) const;
  void arrange(); ///< what is open, where it belongs
  void fold(int line, bool on);
  Studio& m_studio;
  std::vector<PatternLine> m_lines;
  std::vector<QImage> m_pictures;
  std::set<int> m_folded;
  std::set<NodeId> m_open;             ///< whose numbers are shown
  std::map<int, LineInputs*> m_inputs; ///< by line, of those
  std::vector<int> m_tops;             ///< of the lines that no fold hides, and the end of the last
  QString m_named;
  int m_chosen = -1, m_dragged = -1;
};

/// What a line is, for the eye and the ear: "noise", "zone · 40 mm".
QString lineTitle(const Studio&studio, const PatternLine&line), lineNumber(const Studio&studio, const PatternLine&line);
/// True unless it is switched off.
bool lineIsOn(const Studio& studio, const PatternLine& line);

} // namespace ilumbra
