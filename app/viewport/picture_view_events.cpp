#include "app/viewport/picture_view.h"

#include "app/viewport/which_lamp.h"

#include "app/theme.h"
#include "app/viewport/health_overlay.h"
#include "app/viewport/pixel_note.h"
#include "app/viewport/thing_drag.h"
#include "core/base/error.h"
#include "core/compile/camera.h"
#include "core/compile/part.h"
#include "core/document/units.h"
#include "core/geometry/shape.h"
#include "core/placing/drawing.h"
#include "core/placing/framing.h"
#include "core/placing/lens_handles.h"
#include "core/placing/navigation.h"
#include "core/scene/look.h"

#include <cmath>
#include <QDateTime>
#include <QDragEnterEvent>
#include <QKeyEvent>
#include <QMimeData>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QWheelEvent>

namespace ilumbra {

void PictureView::mousePressEvent(QMouseEvent* e) {
  setFocus();
  m_press = m_last = e->position();
  const bool left = e->button() == Qt::LeftButton;
  if (left && onWipe(e->position())) {
    m_drag = Drag::Wipe;
    return;
  }
  if (left && m_tool) {
    m_drag = Drag::Tool;
    return m_tool->press(e->position(), e->modifiers());
  }
  m_gesture = m_studio.newGesture();
  if (left && e->modifiers() == Qt::NoModifier)
    for (Handle& h : handles())
      if ((fromPicture(h.at) - e->position()).manhattanLength() <= 10) {
        m_drag = Drag::Handle;
        m_held = std::move(h);
        m_dragged = false;
        m_typed.clear();
        m_amount = m_held.unit == "×" ? 1 : 0;
        update();
        return;
      }
  m_marquee = QRectF();
  m_extends = e->modifiers() & Qt::ShiftModifier;
  if (left)
    m_drag = e->modifiers() & Qt::ControlModifier                               ? Drag::Pan
             : e->modifiers() & Qt::AltModifier && !m_studio.picking().active() ? Drag::Dolly
                                                                                : Drag::Pending;
  if (e->button() == Qt::MiddleButton) m_drag = Drag::Pan;
  if (e->button() == Qt::RightButton) m_drag = Drag::Dolly;
}

bool PictureView::onWipe(const QPointF& at) const {
  const QRectF r = pictureRect();
  return m_studio.view().compare == Compare::Wipe && !m_other.isNull() &&
         std::abs(at.x() - (r.left() + m_wipe * r.width())) < 9;
}

// What a press would take hold of here.
void PictureView::hover(const QPointF& at) {
  std::string hovered;
  for (const Handle& h : handles())
    if (hovered.empty() && (fromPicture(h.at) - at).manhattanLength() <= 10) hovered = h.id;
  if (hovered != m_hovered) {
    m_hovered = hovered;
    update();
  }
  setCursor(onWipe(at)                    ? Qt::SplitHCursor
            : m_tool                      ? Qt::CrossCursor
            : !hovered.empty()            ? Qt::SizeAllCursor
            : m_studio.picking().active() ? Qt::PointingHandCursor
                                          : Qt::ArrowCursor);
}

void PictureView::mouseMoveEvent(QMouseEvent* e) {
  const QPointF by = e->position() - m_last, at = toPicture(e->position());
  m_studio.session().setPointer(pictureRect().contains(e->position()) ? int(at.x()) : -1, int(at.y()));
  const qreal moved = (e->position() - m_press).manhattanLength();
  if (m_drag == Drag::Pending && moved >= 5) m_drag = m_extends ? Drag::Marquee : Drag::Orbit;
  switch (m_drag) {
  case Drag::None:
    return hover(e->position());
  case Drag::Pending:
    return;
  case Drag::Handle:
    if (m_dragged || moved >= 3) dragHandle(e->position());
    return;
  case Drag::Wipe: {
    const QRectF r = pictureRect();
    return setWipe((e->position().x() - r.left()) / r.width());
  }
  case Drag::Tool:
    if (m_tool) m_tool->drag(e->position());
    return;
  case Drag::Marquee:
    m_marquee = QRectF(m_press, e->position()).normalized();
    return update();
  case Drag::Orbit:
  case Drag::Pan:
  case Drag::Dolly:
    m_last = e->position();
    return moveCamera(m_drag, by);
  }
}

void PictureView::mouseReleaseEvent(QMouseEvent* e) {
  const Drag was = std::exchange(m_drag, Drag::None);
  if (was == Drag::Handle) {
    // A handle that was only clicked was in the way of what lies there.
    if (!m_dragged && m_typed.isEmpty()) pickAt(e->position(), Qt::NoModifier);
    m_typed.clear();
    update();
  }
  if (was == Drag::Marquee) {
    takeMarquee(m_marquee);
    m_marquee = QRectF();
    update();
  }
  if (was == Drag::Pending) pickAt(e->position(), e->modifiers());
  if (was == Drag::Tool && m_tool) m_tool->release(e->position());
}

void PictureView::leaveEvent(QEvent*) { m_studio.session().setPointer(-1, -1); }

void PictureView::wheelEvent(QWheelEvent* e) {
  // Notches that follow one another closely are one step.
  const qint64 now = QDateTime::currentMSecsSinceEpoch();
  if (m_drag == Drag::None && now - m_lastWheel > 600) m_gesture = m_studio.newGesture();
  m_lastWheel = now;
  moveCamera(Drag::Dolly, {0, -e->angleDelta().y() * 0.25});
  e->accept();
}

void PictureView::keyPressEvent(QKeyEvent* e) {
  const auto move = [&](Drag how, double x, double y) {
    m_gesture = m_studio.newGesture();
    moveCamera(how, {x, y});
  };
  if (typeAmount(*e) || (m_tool && m_tool->key(*e))) return;
  const Drag how = e->modifiers() & Qt::ShiftModifier ? Drag::Pan : Drag::Orbit;
  switch (e->key()) {
  case Qt::Key_Left:
    return move(how, -18, 0);
  case Qt::Key_Right:
    return move(how, 18, 0);
  case Qt::Key_Up:
    return move(how, 0, -18);
  case Qt::Key_Down:
    return move(how, 0, 18);
  case Qt::Key_Plus:
    return move(Drag::Dolly, 0, -30);
  case Qt::Key_Minus:
    return move(Drag::Dolly, 0, 30);
  case Qt::Key_L:
    if (e->modifiers() == Qt::NoModifier && !e->isAutoRepeat()) askWhichLamp();
    return;
  case Qt::Key_Escape:
    if (m_lamp->on()) return m_lamp->end();
    if (m_drag == Drag::Tool && m_tool) {
      m_drag = Drag::None;
      return m_tool->abort();
    }
    if (m_drag == Drag::Handle) { // as it was
      m_drag = Drag::None;
      m_typed.clear();
      if (m_dragged) m_studio.undo();
      return update();
    }
    if (m_studio.picking().active()) return m_studio.setPicking({});
    if (m_tool) {
      setTool({});
      return;
    }
    return m_studio.select({});
  default:
    QWidget::keyPressEvent(e);
  }
}

void PictureView::askWhichLamp() {
  const QPointF at = mapFromGlobal(QCursor::pos());
  m_lamp->ask(toPicture(pictureRect().contains(at) ? at : pictureRect().center()));
}

// It shows as long as the key is held.
void PictureView::keyReleaseEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_L && !e->isAutoRepeat() && m_lamp->on()) return m_lamp->end();
  QWidget::keyReleaseEvent(e);
}

void PictureView::focusOutEvent(QFocusEvent* e) {
  if (m_lamp->on()) m_lamp->end();
  update();
  QWidget::focusOutEvent(e);
}

// By pixels of the widget.
void PictureView::moveCamera(Drag how, const QPointF& by) {
  m_lastPick = {-1000, -1000}; // another view: the next click begins in front
  const Node* camera = activeCamera(m_studio.doc());
  if (!camera) return;
  const NodeId id = camera->id;
  const double height = std::max(1.0, pictureRect().height());
  if (how == Drag::Orbit)
    m_studio.edit(
        tr("Orbit"), [&](const Document& d) { return orbited(d, id, -by.x() * 0.008, by.y() * 0.008); }, m_gesture);
  else if (how == Drag::Pan)
    m_studio.edit(
        tr("Pan"), [&](const Document& d) { return panned(d, id, by.x() / height, by.y() / height); }, m_gesture);
  else
    m_studio.edit(
        tr("Dolly"), [&](const Document& d) { return dollied(d, id, std::exp(std::clamp(by.y() * 0.006, -1.0, 1.0))); },
        m_gesture);
}

void PictureView::dragEnterEvent(QDragEnterEvent* e) {
  if (e->mimeData()->hasUrls() || e->mimeData()->hasFormat(thingsMime)) e->acceptProposedAction();
}
void PictureView::dropEvent(QDropEvent* e) {
  for (const QUrl& u : e->mimeData()->urls())
    if (u.isLocalFile()) return Q_EMIT fileDropped(u.toLocalFile());
  const std::vector<NodeId> things = thingsIn(e->mimeData());
  const ScenePtr scene = m_studio.session().scene();
  if (things.empty() || !scene) return;
  e->acceptProposedAction();
  const QPointF at = toPicture(e->position());
  V3f point;
  Q_EMIT thingsDropped(things, pick(*scene, float(at.x()), float(at.y()), 0, point));
}

} // namespace ilumbra
