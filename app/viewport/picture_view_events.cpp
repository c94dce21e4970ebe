#include "app/viewport/picture_view.h"

#include "app/theme.h"
#include "app/viewport/health_overlay.h"
#include "app/viewport/pixel_note.h"
#include "core/base/error.h"
#include "core/compile/camera.h"
#include "core/compile/part.h"
#include "core/document/units.h"
#include "core/geometry/shape.h"
#include "core/placing/drawing.h"
#include "core/placing/framing.h"
#include "core/placing/lens_handles.h"

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
  const QRectF r = pictureRect();
  if (e->button() == Qt::LeftButton && m_studio.view().compare == Compare::Wipe && !m_other.isNull() &&
      std::abs(e->position().x() - (r.left() + m_wipe * r.width())) < 9) {
    m_drag = Drag::Wipe;
    return;
  }
  if (e->button() == Qt::LeftButton && m_tool == Tool::Ask) {
    m_drag = Drag::Ask;
    askAt(e->position());
    return;
  }
  if (e->button() == Qt::LeftButton && m_tool == Tool::Focus) return focusAt(e->position());
  if (e->button() == Qt::LeftButton && m_tool == Tool::Draw)
    return drawAt(e->position(), e->modifiers() & Qt::ShiftModifier);
  if (e->button() == Qt::LeftButton && m_tool == Tool::Region) {
    m_drag = Drag::Region;
    m_regionDrawn = QRectF(toPicture(e->position()), QSizeF(0, 0));
    return;
  }
  m_gesture = m_studio.newGesture();
  if (e->button() == Qt::LeftButton && m_tool == Tool::Opening) {
    if (e->modifiers() & Qt::ShiftModifier) {
      m_drag = Drag::Rectangle;
      m_marquee = QRectF(m_press, QSizeF(0, 0));
    } else if (openAt(e->position())) {
      m_drag = Drag::Reach;
    }
    return;
  }
  if (e->button() == Qt::LeftButton && e->modifiers() == Qt::NoModifier)
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
  if (e->button() == Qt::LeftButton)
    m_drag = e->modifiers() & Qt::ControlModifier                               ? Drag::Pan
             : e->modifiers() & Qt::AltModifier && !m_studio.picking().active() ? Drag::Dolly
                                                                                : Drag::Pending;
  if (e->button() == Qt::MiddleButton) m_drag = Drag::Pan;
  if (e->button() == Qt::RightButton) m_drag = Drag::Dolly;
}

void PictureView::mouseMoveEvent(QMouseEvent* e) {
  const QPointF by = e->position() - m_last;
  const QPointF at = toPicture(e->position());
  m_studio.session().setPointer(pictureRect().contains(e->position()) ? int(at.x()) : -1, int(at.y()));
  if (m_drag == Drag::Handle) {
    if (m_dragged || (e->position() - m_press).manhattanLength() >= 3) dragHandle(e->position());
    return;
  }
  if (m_drag == Drag::None) {
    const QRectF r = pictureRect();
    std::string hovered;
    for (const Handle& h : handles())
      if (hovered.empty() && (fromPicture(h.at) - e->position()).manhattanLength() <= 10) hovered = h.id;
    if (hovered != m_hovered) {
      m_hovered = hovered;
      update();
    }
    if (m_studio.view().compare == Compare::Wipe && !m_other.isNull() &&
        std::abs(e->position().x() - (r.left() + m_wipe * r.width())) < 9)
      setCursor(Qt::SplitHCursor);
    else
      setCursor(m_tool != Tool::Pick          ? Qt::CrossCursor
                : !hovered.empty()            ? Qt::SizeAllCursor
                : m_studio.picking().active() ? Qt::PointingHandCursor
                                              : Qt::ArrowCursor);
    return;
  }
  if (m_drag == Drag::Wipe) {
    const QRectF r = pictureRect();
    setWipe((e->position().x() - r.left()) / r.width());
    return;
  }
  if (m_drag == Drag::Ask) {
    askAt(e->position());
    return;
  }
  if (m_drag == Drag::Region) {
    m_regionDrawn = QRectF(toPicture(m_press), toPicture(e->position())).normalized();
    update();
    return;
  }
  if (m_drag == Drag::Pending) {
    if ((e->position() - m_press).manhattanLength() < 5) return;
    m_drag = m_extends ? Drag::Marquee : Drag::Orbit;
  }
  if (m_drag == Drag::Reach) {
    const Node* camera = activeCamera(m_studio.doc());
    if (!camera || (e->position() - m_press).manhattanLength() < 5) return;
    const Params s = settingsOf(m_studio.doc());
    const Camera seenBy =
        cameraOf(m_studio.doc(), *camera, m_studio.frame(), int(s.number("width")), int(s.number("height")));
    const double reach =
        std::clamp(std::round(reachAt(m_beam, seenBy, {float(at.x()), float(at.y())}) * 100) / 100, 0.05, 1e4);
    m_studio.edit(
        tr("Beam through an opening"),
        [&](const Document& d) {
          return setNow(d, {m_beam.beam, "reach", 0, {}}, Constant(reach));
        },
        m_gesture);
    update();
    return;
  }
  if (m_drag == Drag::Marquee || m_drag == Drag::Rectangle) {
    m_marquee = QRectF(m_press, e->position()).normalized();
    return update();
  }
  m_last = e->position();
  moveCamera(m_drag, by);
}

void PictureView::mouseReleaseEvent(QMouseEvent* e) {
  const Drag was = std::exchange(m_drag, Drag::None);
  if (was == Drag::Handle) {
    // A handle that was only clicked was in the way of what lies there.
    if (!m_dragged && m_typed.isEmpty()) pickAt(e->position(), Qt::NoModifier);
    m_typed.clear();
    update();
  }
  if (was == Drag::Reach) {
    setTool(Tool::Pick);
    m_studio.tell(tr("The beam reaches %1 m")
                      .arg(Params(*m_studio.doc().find(m_beam.beam), m_studio.frame()).number("reach"), 0, 'f', 2));
  }
  if (was == Drag::Rectangle) {
    const QPointF corner = e->position();
    m_marquee = QRectF();
    if (openAt(m_press, &corner)) setTool(Tool::Pick);
    update();
  }
  if (was == Drag::Marquee) {
    takeMarquee(m_marquee);
    m_marquee = QRectF();
    update();
  }
  if (was == Drag::Pending) pickAt(e->position(), e->modifiers());
  if (was == Drag::Region) {
    const Params s = settingsOf(m_studio.doc());
    const QRectF r = m_regionDrawn.intersected(QRectF(0, 0, s.number("width"), s.number("height")));
    Studio::View v = m_studio.view();
    v.region =
        r.width() >= 4 && r.height() >= 4 ? Region{int(r.x()), int(r.y()), int(r.width()), int(r.height())} : Region{};
    m_studio.setView(v);
  }
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
  if (typeAmount(*e)) return;
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
  case Qt::Key_Backspace:
    if (const Node* line = m_tool == Tool::Draw ? drawn() : nullptr) {
      m_studio.edit(tr("Take back a point of %1").arg(qs(line->name)),
                    [id = line->id](const Document& d) { return undrawPoint(d, id); });
      return update();
    }
    return QWidget::keyPressEvent(e);
  case Qt::Key_Return:
  case Qt::Key_Enter:
    if (m_tool == Tool::Draw) return setTool(Tool::Pick);
    return QWidget::keyPressEvent(e);
  case Qt::Key_Escape:
    if (m_drag == Drag::Reach) {
      m_drag = Drag::None;
      m_studio.undo();
      return update();
    }
    if (m_drag == Drag::Handle) { // as it was
      m_drag = Drag::None;
      m_typed.clear();
      if (m_dragged) m_studio.undo();
      return update();
    }
    if (m_studio.picking().active()) return m_studio.setPicking({});
    if (m_tool != Tool::Pick) return setTool(Tool::Pick);
    return m_studio.select({});
  default:
    QWidget::keyPressEvent(e);
  }
}

void PictureView::moveCamera(Drag how, const QPointF& by) {
  m_lastPick = {-1000, -1000}; // another view: the next click begins in front
  const Node* camera = activeCamera(m_studio.doc());
  if (!camera || (how != Drag::Orbit && how != Drag::Pan && how != Drag::Dolly)) return;
  const NodeId id = camera->id;
  const QString label = how == Drag::Orbit ? tr("Orbit") : how == Drag::Pan ? tr("Pan") : tr("Dolly");
  const double height = std::max(1.0, pictureRect().height());
  m_studio.edit(
      label,
      [&](const Document& doc) {
        const Node& n = *doc.find(id);
        const Params p(n, currentFrame(doc));
        const Triple at = p.triple("position"), to = p.triple("target");
        double x = at[0] - to[0], y = at[1] - to[1], z = at[2] - to[2];
        const double d = std::max(1e-6, std::sqrt(x * x + y * y + z * z));
        const auto put = [&](const Triple& position, const Triple& target) {
          return setNow(setNow(doc, {id, "position", 0, {}}, Constant(position)), {id, "target", 0, {}},
                        Constant(target));
        };
        const auto tidy = [](Triple t) {
          for (double& v : t) v = std::round(v * 1e5) / 1e5;
          return t;
        };
        if (how == Drag::Orbit) {
          const double turn = -by.x() * 0.008, lift = by.y() * 0.008;
          const double flat = std::sqrt(x * x + z * z);
          double bearing = std::atan2(x, z) + turn, tilt = std::clamp(std::atan2(y, flat) + lift, -1.55, 1.55);
          return put(tidy({to[0] + d * std::cos(tilt) * std::sin(bearing), to[1] + d * std::sin(tilt),
                           to[2] + d * std::cos(tilt) * std::cos(bearing)}),
                     to);
        }
        if (how == Drag::Pan) {
          const double filmHeight = p.number("film_width") / p.number("focal_length") *
                                    settingsOf(doc).number("height") / settingsOf(doc).number("width");
          const double k = d * filmHeight / height;
          const double flat = std::max(1e-9, std::sqrt(x * x + z * z));
          const double sx = z / flat, sz = -x / flat;                                     // right
          const double ux = -y * x / (flat * d), uy = flat / d, uz = -y * z / (flat * d); // up
          const double dx = -by.x() * k, dy = by.y() * k;
          const Triple shift{sx * dx + ux * dy, uy * dy, sz * dx + uz * dy};
          return put(tidy({at[0] + shift[0], at[1] + shift[1], at[2] + shift[2]}),
                     tidy({to[0] + shift[0], to[1] + shift[1], to[2] + shift[2]}));
        }
        const double k = std::exp(std::clamp(by.y() * 0.006, -1.0, 1.0));
        if (d * k < 1e-3 || d * k > 1e5) return doc;
        Document out = put(tidy({to[0] + x * k, to[1] + y * k, to[2] + z * k}), to);
        // What was sharp at the point looked at stays sharp.
        const double focus = p.number("focus");
        if (std::abs(focus - d) < 0.02 * d)
          out = setNow(out, {id, "focus", 0, {}}, Constant(std::clamp(std::round(d * k * 1e4) / 1e4, 0.001, 1e6)));
        return out;
      },
      m_gesture);
}

void PictureView::dragEnterEvent(QDragEnterEvent* e) {
  if (e->mimeData()->hasUrls()) e->acceptProposedAction();
}
void PictureView::dropEvent(QDropEvent* e) {
  for (const QUrl& u : e->mimeData()->urls())
    if (u.isLocalFile()) return Q_EMIT fileDropped(u.toLocalFile());
}

} // namespace ilumbra
