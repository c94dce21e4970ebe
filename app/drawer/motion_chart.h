#pragma once
#include "app/spoken.h"
#include "app/studio.h"
#include "core/document/key_edit.h"
#include "core/document/loop.h"

#include <QPolygonF>
#include <QWidget>

#include <set>

namespace ilumbra {

/// What moves, over the range of frames: a ruled line of frames, and below it a band for each parameter, whose profile
/// is the value and whose notches are keys. A thing with several has a line of its own, which folds them out and in.
///   The ruled line and the bands scrub. A notch is chosen by a press (Shift: one more) and dragged to another frame
///   (Ctrl: to a whole second), or, in the chosen row, up and down to another value; a double press on a band sets a
///   key there.
///   A chosen key that eases has a handle, as long as it rests.
///   What plays by itself has a band too: it is dragged to slide it, with Shift to stretch it (Alt with Left and Right,
///   Up and Down).
///   Up and Down go through rows, Left and Right through keys (Alt: move them by a frame, with Shift by ten), Insert
///   sets a key at this frame, Delete takes keys away, Return types the value, Ctrl+C and Ctrl+V copy and paste them.
class MotionChart : public QWidget, public Spoken {
  Q_OBJECT
 public:
  MotionChart(Studio& studio, QWidget* parent);
  /// One line: a thing that folds (no parameter in `at`), or a parameter.
  struct Row {
    Address at;
    QString name, range; ///< what stands beside the band
    const ParamDef* def = nullptr;
    int top = 0, height = 0; ///< pixels
    bool inThing = false;    ///< below a line of its thing
    bool plays = false;      ///< a movie, a sequence or a clip: `at` is the frame at which it begins
  };
  const std::vector<Row>& rows() const { return m_rows; }
  const KeyPlaces& chosen() const { return m_chosen; }
  /// Chooses the row of what is at an address; null rows stay as they are.
  void chooseRow(const Address& at);
  /// How long what plays takes for a round; until it is known bands show where it begins alone.
  void setRounds(FramesOfRound rounds) { m_rounds = std::move(rounds); }
  const FramesOfRound& rounds() const { return m_rounds; }
  /// Shows the present document: whoever holds the chart says when somebody sees it.
  void follow();
  /// The chosen row's address; node 0: none.
  Address current() const;
  void setKeyHere();
  void deleteKeys();
  /// Places for a pointer, in the chart's own pixels.
  double xOf(double frame) const;
  QPointF notch(const Row& row, const Key& key) const;
  QRect band(const Row& row) const;
  static constexpr int rulerHeight = 26, nameWidth = 190;

  QSize sizeHint() const override;
  QAccessible::Role spokenRole() const override { return QAccessible::Chart; }
  QString spokenValue() const override;

 Q_SIGNALS:
  void rowsChanged();

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent*) override;
  void contextMenuEvent(QContextMenuEvent*) override;
  void keyPressEvent(QKeyEvent*) override;
  void focusInEvent(QFocusEvent*) override { update(); }
  void focusOutEvent(QFocusEvent*) override { update(); }
  bool event(QEvent*) override;

 private:
  enum class Drag { None, Scrub, Press, Frames, Value, Ease, Slide, Stretch };
  void rebuild();
  void layOut();
  double frameAt(double x, bool seconds) const;
  /// The profile: a line each component, 0 at the bottom of the band and 1 at the top.
  std::vector<QPolygonF> profile(size_t row) const;
  void paintRuler(QPainter& p) const;
  void paintRow(QPainter& p, size_t row) const;
  void paintWords(QPainter& p, const Row& r, const Keys& keys, const QRect& band) const;
  std::optional<KeyPlace> keyNear(const QPointF& at) const;
  const Row* rowAt(double y) const;
  const Row* currentRow() const;
  bool isChosen(const KeyPlace& k) const;
  void choose(KeyPlaces keys);
  void moveChosen(double frames);
  void dragValue(double y);
  /// The end of the line on which the one chosen key, if it eases, says how far; none: it does not.
  std::optional<std::pair<QPointF, QPointF>> easeHandle() const;
  void dragEase(double x);
  void typeValue();
  void nextKey(int by);
  void nextRow(int by);
  // Of what plays (motion_chart_playing.cpp).
  double roundOf(const Row& r) const; ///< frames at its speed; 0: not known
  QPolygonF playedProfile(const Row& r) const;
  void askForBegin();
  void slide(double frames, uint64_t gesture);
  void stretch(double factor, uint64_t gesture);
  void playingMenu(const Row& row, double frame, const QPoint& global);
  void keyMenu(const QPoint& global);
  void rowMenu(const Row& row, double frame, const QPoint& global);
  void change(const QString& label, const std::function<Document(const Document&)>& edit, uint64_t gesture = 0);

  Studio& m_studio;
  FramesOfRound m_rounds = [](const Node&) { return 0.0; };
  std::optional<Document> m_shown; ///< that the rows are of
  std::vector<Row> m_rows;
  std::vector<std::pair<double, double>> m_spans; ///< of each row: least and most value in sight
  double m_first = 1, m_last = 2;                 ///< frames in sight: the document's range, and all keys
  Address m_current;
  std::set<NodeId> m_folded;
  KeyPlaces m_chosen;
  Drag m_drag = Drag::None;
  QPointF m_pressed;
  double m_pressFrame = 0;
  KeyPlaces m_pressChosen;
  std::optional<Document> m_before; ///< while keys are dragged: as it was when they were pressed
  std::pair<double, double> m_pressSpan;
  uint64_t m_gesture = 0;
  std::optional<Document> m_copiedFrom;
  KeyPlaces m_copied;
};

} // namespace ilumbra
