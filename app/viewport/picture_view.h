#pragma once
#include "app/spoken.h"
#include "app/studio.h"
#include "app/viewport/viewport_tool.h"
#include "core/placing/motion_path.h"
#include "core/placing/placing.h"

#include <QImage>
#include <QWidget>

namespace ilumbra {

class HealthOverlay;
class WhichLamp;
class PixelNote;

/// The picture: the render as it is, with picking, navigation and comparison.
///   left click picks (again: what lies behind); Shift adds, and with a drag takes in all things inside the frame that
///   is drawn. What is selected has handles; while one is dragged, a number that is typed sets how far. Left drag
///   orbits, right drag or Alt + left drag dollies, middle drag or Ctrl + left drag pans, the wheel dollies.
class PictureView : public QWidget, public Spoken {
  Q_OBJECT
 public:
  /// Dims all light but the strongest at the pointer; again: the next. Without a pointer over it, at its middle.
  void askWhichLamp();
  WhichLamp& whichLamp() { return *m_lamp; }
  explicit PictureView(Studio& studio, QWidget* parent = nullptr);
  ~PictureView() override;
  QSize minimumSizeHint() const override { return {240, 135}; }
  /// Where the picture stands in the widget, in the widget's own pixels.
  QRectF pictureRect() const;
  /// The place of the wipe's edge as a share of the picture's width.
  double wipe() const { return m_wipe; }
  void setWipe(double share);
  Studio& studio() const { return m_studio; }
  /// What a press in the picture does: a tool by its id (viewport_tool.h), or, with none, picking and moving the
  /// camera. Escape goes back to that. False, and told, where the tool cannot be taken up.
  bool setTool(const QString& id);
  const QString& tool() const { return m_toolId; }
  /// The number, from 1, of the copy of a thing that was clicked last; 0: another thing was, or it has no copies.
  uint32_t pickedCopy(NodeId of) const;
  /// The path, turned form or drawn shape that is selected, or one of whose points is; null: neither.
  const Node* drawn() const;
  PixelNote& note() { return *m_note; }
  /// The camera that takes the picture, as it is now; none: there is none.
  std::optional<Camera> camera() const;
  void frameSelection();
  /// Picks what is seen at a place of the widget; `extend` adds to the selection.
  /// Shift: besides what is selected; Alt, while a role is picked for: the copy under the pointer alone.
  void pickAt(const QPointF& at, Qt::KeyboardModifiers keys);
  void setCorner(bool on);
  bool corner() const { return m_corner; }
  /// The handles of what is selected, if the picture shows any now: a light's own, or those that place things.
  std::vector<Handle> handles() const;
  const Placing& placing() const { return m_placing; }
  void setPlacing(const Placing& placing);
  /// A place in the picture's pixels as one of the widget's.
  QPointF fromPicture(const V2f& at) const;
  /// A place of the widget in the picture's pixels.
  QPointF toPicture(const QPointF& at) const;
  void drawMarquee(QPainter& p, const QRectF& frame) const;
  /// Where a light outside the frame is marked at its edge while a role is picked for; empty if it is not.
  QRectF edgeMark(NodeId light) const;

  HealthOverlay& health() { return *m_health; }
  QAccessible::Role spokenRole() const override { return QAccessible::Graphic; }
  /// Through which camera, how far it is, and what is selected in it.
  QString spokenValue() const override;

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void wheelEvent(QWheelEvent*) override;
  void leaveEvent(QEvent*) override;
  void keyPressEvent(QKeyEvent*) override;
  void keyReleaseEvent(QKeyEvent*) override;
  void dragEnterEvent(QDragEnterEvent*) override;
  void dropEvent(QDropEvent*) override;
  void focusInEvent(QFocusEvent*) override { update(); }
  void focusOutEvent(QFocusEvent*) override;

 Q_SIGNALS:
  void fileDropped(const QString& path);
  /// Things of a list onto what is seen there; 0: nothing is.
  void thingsDropped(const std::vector<NodeId>& things, NodeId onto);
  void wiped();
  void toolChanged();

 private:
  enum class Drag { None, Pending, Orbit, Pan, Dolly, Wipe, Tool, Handle, Marquee };
  void arrived();
  void moveCamera(Drag how, const QPointF& by);
  bool onWipe(const QPointF& at) const;
  void hover(const QPointF& at);
  void drawPicture(QPainter& p, const QRectF& r);
  void drawOverlays(QPainter& p, const QRectF& r);
  void drawOutlines(QPainter& p, const QRectF& r);
  void drawCandidates(QPainter& p, const QRectF& r);
  void drawHandles(QPainter& p);
  /// The way that the selected thing takes over the range, with a notch each second and where its keys are.
  void drawMotion(QPainter& p);
  void dragHandle(const QPointF& at);
  bool typeAmount(const QKeyEvent& e);
  void takeMarquee(const QRectF& frame);
  /// Where a thing's box falls in the widget; false if all of it lies behind the camera.
  bool seenBox(const Scene& scene, NodeId id, const QRectF& r, QRectF& box) const;
  void drawMessage(QPainter& p);

  Studio& m_studio;
  std::shared_ptr<const SessionImage> m_keepAlive;
  QImage m_image, m_other;
  Drag m_drag = Drag::None;
  QPointF m_press, m_last, m_lastPick{-1000, -1000};
  int m_pickDepth = 0;
  NodeId m_picked = 0;        ///< by the last click
  uint32_t m_pickedIndex = 0; ///< among its copies
  uint64_t m_gesture = 0;
  struct EdgeMark {
    QRectF where;
    NodeId thing;
  };
  std::vector<EdgeMark> m_edgeMarks; ///< lights outside the frame, while a role is being picked for
  qint64 m_lastWheel = 0;
  double m_wipe = 0.5;
  QString m_toolId; ///< empty: none
  std::unique_ptr<ViewportTool> m_tool;
  PixelNote* m_note;
  HealthOverlay* m_health;
  WhichLamp* m_lamp;
  QImage m_pattern; ///< shown by itself over the picture; null: none
  QString m_patternName;
  bool m_corner = false;
  Handle m_held;          ///< while it is dragged
  bool m_dragged = false; ///< and has changed something
  std::string m_hovered;  ///< the handle under the pointer, by id
  QString m_typed;        ///< the amount that is being typed while a handle is held
  double m_amount = 0;    ///< of the drag so far
  Placing m_placing;
  MotionPath m_motion;                                   ///< of the selected thing,
  std::optional<std::pair<Document, NodeId>> m_motionOf; ///< in this document, whatever its frame
  QRectF m_marquee;
  bool m_extends = false; ///< the press had Shift
};

} // namespace ilumbra
