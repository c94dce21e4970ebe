#include "app/viewport/picture_view.h"

#include "app/viewport/which_lamp.h"

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

// Qt filters bilinearly: taken down in one go a halo would sparkle, so first to the next power of two.
static void drawImage(QPainter& p, const QImage& image, const QRectF& where) {
  if (image.isNull()) return p.fillRect(where, QColor(0x0c, 0x0c, 0x0c));
  const qreal dense = p.device()->devicePixelRatioF();
  if (image.width() / (where.width() * dense) > 1.05)
    p.drawImage(where.topLeft(),
                image.scaled((where.size() * dense).toSize(), Qt::IgnoreAspectRatio, Qt::SmoothTransformation));
  else
    p.drawImage(where, image);
}

void PictureView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), QColor(0x14, 0x14, 0x14));
  const QRectF r = pictureRect();
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  drawPicture(p, r);
  if (m_lamp->on() && !m_lamp->image().isNull()) drawImage(p, m_lamp->image(), r);
  if (!m_pattern.isNull()) {
    p.fillRect(r, QColor(0x12, 0x12, 0x12, 0xd8)); // what it is not on stays to be guessed
    drawImage(p, m_pattern, r);
  }
  if (const ScenePtr scene = m_health->on() ? m_studio.session().scene() : nullptr)
    m_health->draw(p, r, [&](const V3f& world, QPointF& at) {
      float x, y;
      if (!scene->camera.project(world, x, y)) return false;
      at = fromPicture({x, y});
      return true;
    });
  drawOutlines(p, r);
  drawMotion(p);
  drawHandles(p);
  if (!m_marquee.isNull()) drawMarquee(p, m_marquee);
  drawOverlays(p, r);
  if (m_tool) m_tool->draw(p);
  drawMessage(p);
  if (hasFocus()) {
    p.setPen(QPen(theme::accent, 1));
    p.setBrush(Qt::NoBrush);
    p.drawLine(0, height() - 1, width(), height() - 1);
  }
}

void PictureView::drawMarquee(QPainter& p, const QRectF& frame) const {
  p.setPen(QPen(theme::accent, 1, Qt::DashLine));
  p.setBrush(QColor(0x74, 0xc6, 0xae, 26));
  p.drawRect(frame);
}

// The picture, and what it is compared with.
void PictureView::drawPicture(QPainter& p, const QRectF& r) {
  drawImage(p, m_image, r);
  const Studio::View& v = m_studio.view();
  if (m_other.isNull() || (v.compare != Compare::SideBySide && v.compare != Compare::Wipe)) return;
  const auto proof = m_studio.proof(v.proof), left = m_studio.proof(v.left);
  const QString name = left ? qs(left->name) : tr("Live"), other = proof ? qs(proof->name) : QString();
  p.setFont(theme::font(11));
  if (v.compare == Compare::SideBySide) {
    const QRectF right = r.translated(r.width() + 4, 0);
    drawImage(p, m_other, right);
    p.setPen(theme::text);
    p.drawText(r.adjusted(10, 8, -10, -8), Qt::AlignLeft | Qt::AlignBottom, name);
    p.drawText(right.adjusted(10, 8, -10, -8), Qt::AlignLeft | Qt::AlignBottom, other);
    return;
  }
  const double x = r.left() + m_wipe * r.width();
  p.save();
  p.setClipRect(QRectF(x, r.top(), r.right() - x, r.height()));
  drawImage(p, m_other, r);
  p.restore();
  p.fillRect(QRectF(x - 0.5, r.top(), 1.5, r.height()), theme::text);
  p.setBrush(theme::desk);
  p.setPen(theme::text);
  p.drawEllipse(QPointF(x, r.center().y()), 7, 7);
  p.drawText(QRectF(r.left() + 10, r.bottom() - 28, x - r.left() - 20, 20), Qt::AlignLeft | Qt::AlignVCenter, name);
  p.drawText(QRectF(x + 10, r.bottom() - 28, r.right() - x - 20, 20), Qt::AlignRight | Qt::AlignVCenter, other);
}

// What the colours of the stops overlay stand for, in stops from white, or in optical depths.
static void drawStopsScale(QPainter& p, const QRectF& r, bool airDepth) {
  const auto& scale = stopsScale();
  const double w = std::min(26.0, (r.width() - 40) / double(scale.size()));
  double x = r.left() + 14;
  p.setFont(theme::font(10));
  p.fillRect(QRectF(x - 6, r.top() + 8, w * double(scale.size()) + 12, 34), QColor(20, 20, 20, 200));
  for (const StopsColour& c : scale) {
    p.fillRect(QRectF(x, r.top() + 12, w - 2, 12), QColor(c.r, c.g, c.b));
    p.setPen(theme::text);
    p.drawText(QRectF(x - 6, r.top() + 25, w + 10, 14), Qt::AlignCenter,
               airDepth      ? (c.stops < 0 ? QStringLiteral("1/%1").arg(1 << -c.stops) : QString::number(1 << c.stops))
               : c.stops > 0 ? QStringLiteral("+%1").arg(c.stops)
                             : QString::number(c.stops));
    x += w;
  }
  if (airDepth)
    p.drawText(QRectF(r.left() + 8, r.top() + 44, 300, 15), Qt::AlignLeft,
               PictureView::tr("optical depth of the air: 1 lets a third through"));
}

static void drawClipping(QPainter& p, const QRectF& r, const SessionImage& image) {
  const QString texts[] = {PictureView::tr("white %1 %").arg(100 * image.clippedWhite, 0, 'f', 1),
                           PictureView::tr("one channel"),
                           PictureView::tr("black %1 %").arg(100 * image.clippedBlack, 0, 'f', 1)};
  p.setFont(theme::font(11));
  double x = r.left() + 16, w = 12;
  for (const QString& t : texts) w += p.fontMetrics().horizontalAdvance(t) + 32;
  p.fillRect(QRectF(x - 8, r.top() + 8, w, 22), QColor(20, 20, 20, 210));
  for (size_t i = 0; i < 3; ++i) {
    const StopsColour& c = clipColours()[i];
    p.fillRect(QRectF(x, r.top() + 14, 12, 10), QColor(c.r, c.g, c.b));
    p.setPen(theme::text);
    p.drawText(QPointF(x + 17, r.top() + 23), texts[i]);
    x += p.fontMetrics().horizontalAdvance(texts[i]) + 32;
  }
}

void PictureView::drawOverlays(QPainter& p, const QRectF& r) {
  if (m_corner && !m_image.isNull()) {
    // At a quarter of the size: does it still read?
    const QSizeF small = r.size() * 0.25;
    const QRectF where(r.right() - small.width() - 12, r.bottom() - small.height() - 12, small.width(), small.height());
    p.setPen(theme::tick);
    p.setBrush(Qt::NoBrush);
    drawImage(p, m_image, where);
    p.drawRect(where.adjusted(-1, -1, 0, 0));
  }
  const Studio::View& v = m_studio.view();
  const bool airDepth = v.pass == ShownPass::AirDepth;
  if (v.stopsOverlay || airDepth) drawStopsScale(p, r, airDepth);
  if (v.clipping && !v.stopsOverlay && m_studio.image()) drawClipping(p, r, *m_studio.image());
}

void PictureView::drawMessage(QPainter& p) {
  QString text;
  const auto& image = m_studio.image();
  if (m_lamp->on()) {
    text = m_lamp->text();
  } else if (m_studio.picking().active()) {
    const Node *e = m_studio.doc().find(m_studio.picking().effect),
               *panel = m_studio.doc().find(m_studio.picking().panel);
    text = panel ? tr("Click where %1 is to be mirrored · Esc leaves").arg(qs(panel->name))
                 : tr("Click what goes into %1 of %2 · with Alt only that copy · Esc leaves")
                       .arg(m_studio.picking().role, e ? qs(e->name) : QString());
  } else if (m_tool && !m_tool->message().isEmpty()) {
    text = m_tool->message();
  } else if (image && !image->error.empty()) {
    text = qs(image->error);
  } else if (!activeCamera(m_studio.doc())) {
    text = tr("Nothing is seen yet: add an effect, or start from a finished scene (File, Starters)");
  } else if (m_image.isNull()) {
    text = tr("The first picture is on its way");
  } else if (!m_pattern.isNull()) {
    text = tr("%1 by itself, without light").arg(m_patternName);
  }
  if (text.isEmpty()) return;
  p.setFont(theme::font(12, 600));
  const QRect box = p.fontMetrics().boundingRect(text).adjusted(-14, -8, 14, 8);
  QRect where(QPoint(0, 0), box.size());
  where.moveCenter(QPoint(width() / 2, 30));
  p.setPen(Qt::NoPen);
  p.setBrush(QColor(0x1b, 0x1b, 0x1b, 230));
  p.drawRoundedRect(where, 4, 4);
  p.setPen(image && !image->error.empty() ? theme::rose : theme::text);
  p.drawText(where, Qt::AlignCenter, text);
}

bool PictureView::seenBox(const Scene& scene, NodeId id, const QRectF& r, QRectF& box) const {
  const Box3f b = boundsOf(scene, m_studio.doc(), {id});
  if (b.isEmpty()) return false;
  const Params s = settingsOf(m_studio.doc());
  const double kx = r.width() / s.number("width"), ky = r.height() / s.number("height");
  bool any = false;
  for (int c = 0; c < 8; ++c) {
    float x, y;
    if (!scene.camera.project({c & 1 ? b.max.x : b.min.x, c & 2 ? b.max.y : b.min.y, c & 4 ? b.max.z : b.min.z}, x, y))
      continue;
    const QRectF point(QPointF(r.left() + double(x) * kx, r.top() + double(y) * ky), QSizeF(0.01, 0.01));
    box = any ? box.united(point) : point;
    any = true;
  }
  return any;
}

static void drawCorners(QPainter& p, const QRectF& frame) {
  const double l = std::min({16.0, frame.width() / 3, frame.height() / 3});
  for (const auto& [corner, dx, dy] : {std::tuple{frame.topLeft(), 1, 1},
                                       {frame.topRight(), -1, 1},
                                       {frame.bottomLeft(), 1, -1},
                                       {frame.bottomRight(), -1, -1}}) {
    p.drawLine(corner, corner + QPointF(dx * l, 0));
    p.drawLine(corner, corner + QPointF(0, dy * l));
  }
}

static void drawLamp(QPainter& p, const QPointF& at) {
  p.drawEllipse(at, 9, 9);
  p.drawLine(at - QPointF(14, 0), at - QPointF(5, 0));
  p.drawLine(at + QPointF(14, 0), at + QPointF(5, 0));
}

// Selected objects by short strokes at the corners of their box, lights by a ring, all by the scene that was rendered.
void PictureView::drawOutlines(QPainter& p, const QRectF& r) {
  m_edgeMarks.clear();
  const ScenePtr scene = m_studio.session().scene();
  if (!scene) return;
  p.setRenderHint(QPainter::Antialiasing);
  if (m_studio.picking().active()) return drawCandidates(p, r);
  p.setClipRect(r.adjusted(-1, -1, 1, 1));
  p.setBrush(Qt::NoBrush);
  for (const NodeId id : m_studio.selection()) {
    const Node* n = m_studio.doc().find(id);
    if (!n || (n->kind->family() != "object" && n->kind->family() != "light" && n->kind->family() != "source"))
      continue;
    QRectF box;
    if (!seenBox(*scene, id, r, box)) continue;
    p.setPen(QPen(theme::accent, 1.5));
    if (n->kind->family() == "light" && m_studio.selection().size() == 1 && !m_tool) continue; // it has handles
    if (n->kind->family() == "light" && box.width() < 8)
      drawLamp(p, box.center());
    else
      drawCorners(p, box.adjusted(-5, -5, 5, 5));
  }
  p.setClipping(false);
}

// Everything that would do for the role at hand: outlined where it is seen; lights outside the frame stand at its edge.
void PictureView::drawCandidates(QPainter& p, const QRectF& r) {
  const ScenePtr scene = m_studio.session().scene();
  const Node* effect = m_studio.doc().find(m_studio.picking().effect);
  const ParamDef* def = effect ? effect->kind->param(m_studio.picking().role.toStdString()) : nullptr;
  if (!def) return;
  p.setFont(theme::font(11));
  double across = r.left() + 14;
  for (const Node* n : m_studio.doc().inOrder()) {
    if (!accepted(def->accepts, n->kind->id) || isGroup(*n)) continue;
    const bool light = n->kind->family() == "light";
    if (!light && n->kind->family() != "object") continue;
    QRectF box;
    const bool ahead = seenBox(*scene, n->id, r, box);
    if (ahead && r.intersects(box)) {
      p.setPen(QPen(theme::accent, 1, Qt::DotLine));
      p.setBrush(Qt::NoBrush);
      if (box.width() < 8)
        drawLamp(p, box.center());
      else
        drawCorners(p, box.intersected(r).adjusted(-3, -3, 3, 3));
      continue;
    }
    if (!light) continue;
    // Behind the camera or without a place: in a row at the bottom; else where the way to it leaves the frame.
    const double w = p.fontMetrics().horizontalAdvance(qs(n->name)) + 30;
    QRectF where;
    if (ahead) {
      where = QRectF(std::clamp(box.center().x() - w / 2, r.left() + 4, r.right() - w - 4),
                     std::clamp(box.center().y() - 11, r.top() + 48, r.bottom() - 56), w, 22);
    } else {
      where = QRectF(across, r.bottom() - 30, w, 22);
      across += w + 8;
    }
    p.setPen(Qt::NoPen);
    p.setBrush(QColor(0x1b, 0x1b, 0x1b, 220));
    p.drawRoundedRect(where, 4, 4);
    p.setPen(QPen(theme::accent, 1.2));
    p.setBrush(Qt::NoBrush);
    p.drawEllipse(QPointF(where.left() + 13, where.center().y()), 5, 5);
    p.setPen(theme::text);
    p.drawText(where.adjusted(24, 0, -4, 0), Qt::AlignLeft | Qt::AlignVCenter, qs(n->name));
    m_edgeMarks.push_back({where, n->id});
  }
}

QRectF PictureView::edgeMark(NodeId light) const {
  for (const EdgeMark& m : m_edgeMarks)
    if (m.thing == light) return m.where;
  return {};
}

void PictureView::drawMotion(QPainter& p) {
  if (m_studio.view().playing || m_studio.selection().size() != 1) return;
  const NodeId thing = m_studio.current();
  const Document still = atFrame(m_studio.doc(), 0);
  if (!m_motionOf || m_motionOf->second != thing || !(m_motionOf->first == still)) {
    m_motion = motionPath(still, thing);
    m_motionOf = {still, thing};
  }
  const std::optional<Camera> eye = camera();
  const Node* n = m_studio.doc().find(thing);
  if (m_motion.stops.empty() || !eye || !n || n->kind->family() == "camera") return;
  p.save();
  p.setClipRect(pictureRect());
  p.setRenderHint(QPainter::Antialiasing);
  const double rate = settingsOf(still).number("rate");
  std::vector<std::pair<QPointF, const MotionPath::Stop*>> seen;
  QPainterPath line;
  bool pen = false;
  for (const MotionPath::Stop& s : m_motion.stops) {
    float x, y;
    if (!eye->project(s.place, x, y)) {
      pen = false;
      continue;
    }
    const QPointF at = fromPicture({x, y});
    pen ? line.lineTo(at) : line.moveTo(at);
    pen = true;
    seen.emplace_back(at, &s);
  }
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(QColor(0, 0, 0, 120), 2.4));
  p.drawPath(line);
  p.setPen(QPen(QColor(0xd8, 0xc3, 0x96), 1));
  p.drawPath(line);
  for (size_t i = 0; i < seen.size(); ++i) {
    const auto& [at, stop] = seen[i];
    const bool second = std::fmod(stop->frame, rate) == 0;
    if (!stop->key && !second) continue;
    // Across the way.
    const QPointF to = seen[std::min(i + 1, seen.size() - 1)].first - seen[i ? i - 1 : 0].first;
    const double length = std::hypot(to.x(), to.y());
    if (!(length > 1e-6)) continue;
    const QPointF across = QPointF(-to.y(), to.x()) / length * (stop->key ? 6 : 3);
    p.setPen(QPen(stop->key ? theme::text : QColor(0xd8, 0xc3, 0x96), stop->key ? 2 : 1));
    p.drawLine(at - across, at + across);
  }
  p.restore();
}

// Lines that bound what shines are whole, those that only point are dotted; all on a dark edge, so that they read on
// anything.
void PictureView::drawHandles(QPainter& p) {
  const std::vector<Handle> all = handles();
  if (all.empty()) return;
  p.save();
  p.setClipRect(pictureRect().adjusted(-1, -1, 1, 1));
  p.setRenderHint(QPainter::Antialiasing);
  p.setBrush(Qt::NoBrush);
  const std::string held = m_drag == Drag::Handle ? m_held.id : m_hovered;
  for (const Handle& h : all)
    for (const auto& line : h.lines) {
      QPolygonF points;
      for (const V2f& v : line) points << fromPicture(v);
      p.setPen(QPen(QColor(0, 0, 0, 130), 2.6));
      p.drawPolyline(points);
      p.setPen(QPen(h.id == held ? theme::text : theme::accent, 1, h.area ? Qt::SolidLine : Qt::DotLine));
      p.drawPolyline(points);
    }
  for (const Handle& h : all) {
    const QPointF at = fromPicture(h.at);
    const double r = h.id == held ? 5.5 : 4;
    p.setPen(h.fresh && h.id != held ? QPen(theme::accent, 1.2) : QPen(QColor(0, 0, 0, 170), 1.5));
    p.setBrush(h.id == held ? theme::text : h.fresh ? QColor(0, 0, 0, 90) : theme::accent);
    p.drawPolygon(QPolygonF({at + QPointF(0, -r), at + QPointF(r, 0), at + QPointF(0, r), at + QPointF(-r, 0)}));
    if (h.mark.empty() || h.id == held) continue;
    p.setFont(theme::font(11, 600));
    for (const QPointF& shadow : {QPointF(1, 1), QPointF(0, 0)}) {
      p.setPen(shadow.isNull() ? theme::text : QColor(0, 0, 0, 190));
      p.drawText(at + QPointF(8, 4) + shadow, qs(h.mark));
    }
  }
  for (const Handle& h : all) {
    if (h.id != held) continue;
    const Node& n = *m_studio.currentNode();
    QString text = qs(h.label);
    if (!h.value.empty())
      text += QStringLiteral("  ") + qs(h.value);
    else if (!h.param.empty() && n.kind->param(h.param))
      text += QStringLiteral("  ") +
              qs(formatValue(m_studio.doc(), *n.kind->param(h.param), Params(n, m_studio.frame()).constant(h.param)));
    else if (m_drag == Drag::Handle && !m_typed.isEmpty())
      text += QStringLiteral("  %1_ %2").arg(m_typed, qs(h.unit));
    else if (m_drag == Drag::Handle && h.amount)
      text += QStringLiteral("  %1 %2").arg(m_amount, 0, 'f', h.unit == "°" ? 1 : 3).arg(qs(h.unit));
    p.setFont(theme::font(11));
    QRectF where(fromPicture(h.at) + QPointF(12, -26), QSizeF(p.fontMetrics().horizontalAdvance(text) + 14, 20));
    where.moveLeft(std::min(where.left(), pictureRect().right() - where.width() - 4));
    where.moveTop(std::max(where.top(), pictureRect().top() + 4));
    p.setPen(Qt::NoPen);
    p.setBrush(QColor(0x1b, 0x1b, 0x1b, 225));
    p.drawRoundedRect(where, 3, 3);
    p.setPen(theme::text);
    p.drawText(where, Qt::AlignCenter, text);
    break;
  }
  p.restore();
}

} // namespace ilumbra
