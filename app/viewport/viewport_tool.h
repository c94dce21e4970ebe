#pragma once
#include <functional>
#include <memory>
#include <QPointF>
#include <QString>
#include <vector>

class QKeyEvent;
class QPainter;

namespace ilumbra {

class PictureView;

/// What presses and drags with the left button do in the picture, instead of picking and moving the camera. It lives
/// from when it is taken up to when it is laid down; the view outlives it. Places are in the widget's pixels.
class ViewportTool {
 public:
  explicit ViewportTool(PictureView& view) : m_view(view) {}
  virtual ~ViewportTool() = default;
  ViewportTool(const ViewportTool&) = delete;
  ViewportTool& operator=(const ViewportTool&) = delete;

  /// Told when it is taken up; empty: nothing.
  virtual QString hint() const { return {}; }
  /// Over the picture for as long as it is at hand; empty: nothing.
  virtual QString message() const { return {}; }
  virtual void press(const QPointF& at, Qt::KeyboardModifiers keys) = 0;
  virtual void drag(const QPointF&) {}
  /// It may lay itself down (PictureView::setTool) here and in key(), as the last thing that it does.
  virtual void release(const QPointF&) {}
  /// Escape while the button is down.
  virtual void abort() {}
  /// False for a key that is not its own.
  virtual bool key(const QKeyEvent&) { return false; }
  virtual void draw(QPainter&) {}
  /// True if the handles of points (PictureView::drawn) are shown beside it.
  virtual bool showsPoints() const { return false; }

 protected:
  PictureView& m_view;
};

/// A tool and its command "picture.ID".
struct ViewportToolKind {
  QString id; ///< "ask"
  QString label, keys, help;
  std::function<std::unique_ptr<ViewportTool>(PictureView&)> make;
  /// Makes what it needs before it is taken up; false, and told, where it cannot be. Null: it needs nothing.
  std::function<bool(PictureView&)> prepare = {};
};
/// Every tool, in the order of the menu. A new one is a file in this folder and a line here.
std::vector<ViewportToolKind> viewportTools();

/// Focuses the camera on what is seen at a place of the view.
void focusAt(PictureView& view, const QPointF& at);

} // namespace ilumbra
