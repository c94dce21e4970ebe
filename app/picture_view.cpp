#include "app/picture_view.h"

#include "app/health_overlay.h"
#include "app/pixel_note.h"

#include "app/theme.h"
#include "core/base/error.h"
#include "core/document/units.h"
#include "core/geometry/shape.h"
#include "core/render/part.h"
#include "core/session/drawing.h"
#include "core/session/framing.h"
#include "core/session/lens_handles.h"

#include <QDateTime>
#include <QDragEnterEvent>
#include <QKeyEvent>
#include <QMimeData>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QWheelEvent>
#include <cmath>

namespace ilumbra {

PictureView::PictureView(Studio& studio, QWidget* parent) : QWidget(parent), m_studio(studio) {
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  m_note = new PixelNote(studio, this);
  m_health = new HealthOverlay(studio, this);
  connect(m_health, &HealthOverlay::changed, this, qOverload<>(&QWidget::update));
  setAcceptDrops(true);
  setAccessibleName(tr("Picture"));
  connect(&studio, &Studio::imageArrived, this, &PictureView::arrived);
  connect(&studio, &Studio::selectionChanged, this, [this] { update(); });
  connect(&studio, &Studio::viewChanged, this, [this] { update(); });
  connect(&studio, &Studio::pickingChanged, this, [this] {
    setCursor(m_studio.picking().active() ? Qt::PointingHandCursor : Qt::ArrowCursor);
    update();
  });
}

void PictureView::arrived() {
  const auto& image = m_studio.image();
  m_keepAlive = image;
  const auto wrap = [](const std::vector<uint8_t>& rgba, int w, int h) {
    return rgba.empty() ? QImage() : QImage(rgba.data(), w, h, w * 4, QImage::Format_RGBX8888);
  };
  m_image = wrap(image->rgba, image->width, image->height);
  m_other = wrap(image->otherRgba, image->otherWidth, image->otherHeight);
  update();
}

QRectF PictureView::pictureRect() const {
  const Params s = settingsOf(m_studio.doc());
  const double aspect = s.number("width") / s.number("height");
  const bool side = m_studio.view().compare == Compare::SideBySide && !m_other.isNull();
  const double wide = side ? 2 * aspect : aspect;
  double w = width(), h = w / wide;
  if (h > height()) {
    h = height();
    w = h * wide;
  }
  const QRectF all((width() - w) / 2, (height() - h) / 2, w, h);
  return side ? QRectF(all.left(), all.top(), w / 2 - 2, h) : all;
}

QPointF PictureView::fromPicture(const V2f& at) const {
  const QRectF r = pictureRect();
  const Params s = settingsOf(m_studio.doc());
  return {r.left() + double(at.x) / s.number("width") * r.width(), r.top() + double(at.y) / s.number("height") * r.height()};
}

std::vector<Handle> PictureView::handles() const {
  const Document& doc = m_studio.doc();
  const Node *n = m_studio.selection().size() == 1 ? m_studio.currentNode() : nullptr, *camera = activeCamera(doc);
  const bool lamp = n && n->kind->family() == "light";
  const Compare compare = m_studio.view().compare;
  if (m_studio.selection().empty() || !camera || (m_tool != Tool::Pick && m_tool != Tool::Draw) || m_studio.picking().active() || compare == Compare::SideBySide || m_studio.view().left) return {};
  const Params s = settingsOf(doc);
  const Camera seenBy(doc, *camera, m_studio.frame(), int(s.number("width")), int(s.number("height")));
  std::vector<Handle> points;
  if (const Node* line = drawn()) {
    points = pointHandles(doc, *line, m_studio.frame(), seenBy, m_placing.onto == Placing::Onto::Surface);
    if (m_tool == Tool::Draw) std::erase_if(points, [](const Handle& h) { return h.fresh; });
  }
  if (m_tool == Tool::Draw) return points;
  if (lamp) return handlesOf(doc, *n, m_studio.frame(), seenBy);
  if (n && (n->kind->family() == "lens" || n->kind->family() == "area")) {
    const ScenePtr scene = m_studio.session().scene();
    return scene ? lensHandles(doc, *n, m_studio.frame(), *scene) : std::vector<Handle>();
  }
  if (n && n->kind->family() == "air" && !n->kind->param("position")) {
    // A beam's own; of haze those of the shape that it fills.
    const ScenePtr scene = m_studio.session().scene();
    if (n->kind->param("fills")) {
      const NodeId shape = Params(*n, m_studio.frame()).reference("fills").target;
      return shape ? placingHandles(doc, {shape}, m_studio.frame(), seenBy, m_placing) : std::vector<Handle>();
    }
    return scene ? airHandles(*n, m_studio.frame(), *scene) : std::vector<Handle>();
  }
  if (m_studio.isSelected(camera->id)) return {}; // it would move with what is dragged
  std::vector<Handle> placing = placingHandles(doc, m_studio.selection(), m_studio.frame(), seenBy, m_placing);
  std::move(placing.begin(), placing.end(), std::back_inserter(points));
  return points;
}

const Node* PictureView::drawn() const {
  const Node* n = m_studio.selection().size() == 1 ? m_studio.currentNode() : nullptr;
  if (n && n->kind->id.ends_with(".point")) n = m_studio.doc().find(n->parent);
  return n && isDrawn(*n) ? n : nullptr;
}

void PictureView::drawAt(const QPointF& at, bool sharp) {
  const Node *line = drawn(), *camera = activeCamera(m_studio.doc());
  if (!line || !camera) {
    setTool(Tool::Pick);
    return m_studio.tell(tr("Select a path or a turned form to draw its points"), true);
  }
  const QPointF to = toPicture(at);
  const Params s = settingsOf(m_studio.doc());
  const Camera seenBy(m_studio.doc(), *camera, m_studio.frame(), int(s.number("width")), int(s.number("height")));
  std::optional<Seen> onto;
  if (const ScenePtr scene = m_studio.session().scene()) onto = lookAt(*scene, float(to.x()), float(to.y()), treeOf(m_studio.doc(), line->id));
  m_studio.edit(tr("Draw a point of %1").arg(qs(line->name)), [&, id = line->id](const Document& d) { return drawPoint(d, id, m_studio.frame(), seenBy, {float(to.x()), float(to.y())}, onto, sharp); });
  update();
}

bool PictureView::openAt(const QPointF& at, const QPointF* corner) {
  const ScenePtr scene = m_studio.session().scene();
  if (!scene) return m_studio.tell(tr("There is no picture to find an opening in yet"), true), false;
  const QPointF from = toPicture(at);
  std::vector<std::string> told;
  try {
    FoundOpening opening;
    if (corner) {
      const QPointF to = toPicture(*corner);
      opening = drawnOpening(*scene, {float(from.x()), float(from.y())}, {float(to.x()), float(to.y())});
    } else {
      opening = findOpening(*scene, {float(from.x()), float(from.y())});
    }
    if (!m_studio.edit(tr("Beam through an opening"), [&](const Document& d) { return openBeam(d, *scene, opening, m_beam, &told); }, m_gesture)) return false;
  } catch (const Error& e) {
    return m_studio.tell(qs(std::string(e.what())), true), false;
  }
  m_studio.select({m_beam.beam});
  QStringList lines;
  for (const std::string& t : told) lines << qs(t);
  m_studio.tell(lines.join(QStringLiteral("; ")));
  return true;
}

void PictureView::setPlacing(const Placing& placing) {
  m_placing = placing;
  update();
}

// Lines that bound what shines are whole, those that only point are dotted; all on a dark edge, so that they read on anything.
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
    if (!h.param.empty() && n.kind->param(h.param)) text += QStringLiteral("  ") + qs(formatValue(m_studio.doc(), *n.kind->param(h.param), Params(n, m_studio.frame()).constant(h.param)));
    else if (m_drag == Drag::Handle && !m_typed.isEmpty()) text += QStringLiteral("  %1_ %2").arg(m_typed, qs(h.unit));
    else if (m_drag == Drag::Handle && h.amount) text += QStringLiteral("  %1 %2").arg(m_amount, 0, 'f', h.unit == "°" ? 1 : 3).arg(qs(h.unit));
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

void PictureView::dragHandle(const QPointF& at) {
  if (!m_typed.isEmpty()) return; // what was typed holds
  // What was taken hold of beside its middle stays beside it.
  const QPointF to = toPicture(at - m_press + fromPicture(m_held.at));
  const Handle& h = m_held;
  std::optional<Seen> onto;
  if (const ScenePtr scene = m_studio.session().scene()) {
    // Onto other things, not onto what is dragged itself.
    std::vector<NodeId> own;
    for (const NodeId id : m_studio.selection())
      for (const NodeId part : treeOf(m_studio.doc(), id)) own.push_back(part);
    onto = lookAt(*scene, float(to.x()), float(to.y()), own);
  }
  if (h.amount) m_amount = h.amount({float(to.x()), float(to.y())});
  const Document before = m_studio.doc();
  m_studio.edit(tr("Drag %1").arg(qs(h.label).toLower()), [&](const Document& d) { return h.drag(d, {float(to.x()), float(to.y())}, onto); }, m_gesture);
  m_dragged |= !(m_studio.doc() == before);
  update();
}

// While a handle is held, a number sets how far: each key shows at once, Return lets go.
bool PictureView::typeAmount(const QKeyEvent& e) {
  if (m_drag != Drag::Handle || !m_held.enter) return false;
  if (e.key() == Qt::Key_Return || e.key() == Qt::Key_Enter) {
    if (m_typed.isEmpty()) return false;
    m_drag = Drag::None;
    m_typed.clear();
    update();
    return true;
  }
  if (e.key() == Qt::Key_Backspace) m_typed.chop(1);
  else if (!e.text().isEmpty() && QStringLiteral("0123456789.-").contains(e.text())) m_typed += e.text();
  else return false;
  bool number = false;
  const double amount = m_typed.toDouble(&number);
  if (number) {
    m_amount = amount;
    m_studio.edit(qs(m_held.label), [&](const Document&) { return m_held.enter(amount); }, m_gesture);
    m_dragged = true;
  }
  update();
  return true;
}

void PictureView::takeMarquee(const QRectF& frame) {
  const ScenePtr scene = m_studio.session().scene();
  if (!scene) return;
  std::vector<NodeId> things = m_studio.selection();
  for (const Node* n : m_studio.doc().inOrder()) {
    if ((n->kind->family() != "object" && n->kind->family() != "light") || n->kind->id == "object.group") continue;
    QRectF box;
    if (!m_studio.isSelected(n->id) && !isLocked(m_studio.doc(), *n) && seenBox(*scene, n->id, pictureRect(), box) && frame.contains(box)) things.push_back(n->id);
  }
  m_studio.select(things);
}

QPointF PictureView::toPicture(const QPointF& at) const {
  const QRectF r = pictureRect();
  const Params s = settingsOf(m_studio.doc());
  return {(at.x() - r.left()) / r.width() * s.number("width"), (at.y() - r.top()) / r.height() * s.number("height")};
}

void PictureView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), QColor(0x14, 0x14, 0x14));
  const QRectF r = pictureRect();
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  // Qt filters bilinearly: taken down in one go a halo would sparkle, so first to the next power of two.
  const auto draw = [&](const QImage& image, const QRectF& where) {
    if (image.isNull()) return p.fillRect(where, QColor(0x0c, 0x0c, 0x0c));
    const double shrink = image.width() / (where.width() * devicePixelRatioF());
    if (shrink > 1.05) p.drawImage(where.topLeft(), image.scaled((where.size() * devicePixelRatioF()).toSize(), Qt::IgnoreAspectRatio, Qt::SmoothTransformation));
    else p.drawImage(where, image);
  };
  const Studio::View& v = m_studio.view();
  if (v.compare == Compare::SideBySide && !m_other.isNull()) {
    draw(m_image, r);
    const QRectF right = r.translated(r.width() + 4, 0);
    draw(m_other, right);
    p.setPen(theme::text);
    p.setFont(theme::font(11));
    const auto proof = m_studio.proof(v.proof), left = m_studio.proof(v.left);
    p.drawText(r.adjusted(10, 8, -10, -8), Qt::AlignLeft | Qt::AlignBottom, left ? qs(left->name) : tr("Live"));
    p.drawText(right.adjusted(10, 8, -10, -8), Qt::AlignLeft | Qt::AlignBottom, proof ? qs(proof->name) : QString());
  } else if (v.compare == Compare::Wipe && !m_other.isNull()) {
    draw(m_image, r);
    const double x = r.left() + m_wipe * r.width();
    p.save();
    p.setClipRect(QRectF(x, r.top(), r.right() - x, r.height()));
    draw(m_other, r);
    p.restore();
    p.fillRect(QRectF(x - 0.5, r.top(), 1.5, r.height()), theme::text);
    p.setBrush(theme::desk);
    p.setPen(theme::text);
    p.drawEllipse(QPointF(x, r.center().y()), 7, 7);
    p.setFont(theme::font(11));
    const auto proof = m_studio.proof(v.proof), left = m_studio.proof(v.left);
    p.drawText(QRectF(r.left() + 10, r.bottom() - 28, x - r.left() - 20, 20), Qt::AlignLeft | Qt::AlignVCenter, left ? qs(left->name) : tr("Live"));
    p.drawText(QRectF(x + 10, r.bottom() - 28, r.right() - x - 20, 20), Qt::AlignRight | Qt::AlignVCenter, proof ? qs(proof->name) : QString());
  } else {
    draw(m_image, r);
  }
  if (m_health->on())
    if (const ScenePtr scene = m_studio.session().scene()) {
      const Params s = settingsOf(m_studio.doc());
      const double kx = r.width() / s.number("width"), ky = r.height() / s.number("height");
      m_health->draw(p, r, [&](const V3f& world, QPointF& at) {
        float x, y;
        if (!scene->camera.project(world, x, y)) return false;
        at = {r.left() + double(x) * kx, r.top() + double(y) * ky};
        return true;
      });
    }
  drawOutlines(p, r);
  drawHandles(p);
  if (!m_marquee.isNull()) {
    p.setPen(QPen(theme::accent, 1, Qt::DashLine));
    p.setBrush(QColor(0x74, 0xc6, 0xae, 26));
    p.drawRect(m_marquee);
  }
  // The region that is rendered.
  const QRectF region = m_drag == Drag::Region ? m_regionDrawn
                                                : QRectF(v.region.x, v.region.y, v.region.width, v.region.height);
  if (region.width() > 0) {
    const Params s = settingsOf(m_studio.doc());
    const double kx = r.width() / s.number("width"), ky = r.height() / s.number("height");
    p.setPen(QPen(theme::accent, 1, Qt::DashLine));
    p.setBrush(Qt::NoBrush);
    p.drawRect(QRectF(r.left() + region.x() * kx, r.top() + region.y() * ky, region.width() * kx, region.height() * ky));
  }
  if (m_corner && !m_image.isNull()) {
    // At a quarter of the size: does it still read?
    const QSizeF small = r.size() * 0.25;
    const QRectF where(r.right() - small.width() - 12, r.bottom() - small.height() - 12, small.width(), small.height());
    p.setPen(theme::tick);
    p.setBrush(Qt::NoBrush);
    draw(m_image, where);
    p.drawRect(where.adjusted(-1, -1, 0, 0));
  }
  if (v.stopsOverlay || v.pass == ShownPass::AirDepth) {
    // What the colours stand for, in stops from white.
    const auto& scale = stopsScale();
    const double w = std::min(26.0, (r.width() - 40) / double(scale.size()));
    double x = r.left() + 14;
    p.setFont(theme::font(10));
    p.fillRect(QRectF(x - 6, r.top() + 8, w * double(scale.size()) + 12, 34), QColor(20, 20, 20, 200));
    for (const StopsColour& c : scale) {
      p.fillRect(QRectF(x, r.top() + 12, w - 2, 12), QColor(c.r, c.g, c.b));
      p.setPen(theme::text);
      p.drawText(QRectF(x - 6, r.top() + 25, w + 10, 14), Qt::AlignCenter, v.pass == ShownPass::AirDepth ? (c.stops < 0 ? QStringLiteral("1/%1").arg(1 << -c.stops) : QString::number(1 << c.stops)) : c.stops > 0 ? QStringLiteral("+%1").arg(c.stops) : QString::number(c.stops));
      x += w;
    }
    if (v.pass == ShownPass::AirDepth) p.drawText(QRectF(r.left() + 8, r.top() + 44, 300, 15), Qt::AlignLeft, tr("optical depth of the air: 1 lets a third through"));
  }
  if (v.clipping && !v.stopsOverlay && m_studio.image()) {
    const auto& image = *m_studio.image();
    const QString texts[] = {tr("white %1 %").arg(100 * image.clippedWhite, 0, 'f', 1), tr("one channel"), tr("black %1 %").arg(100 * image.clippedBlack, 0, 'f', 1)};
    p.setFont(theme::font(11));
    double x = r.left() + 16;
    double w = 12;
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
  if (m_asked.x() >= 0) {
    const Params size = settingsOf(m_studio.doc());
    const QPointF at(r.left() + (m_asked.x() + 0.5) / size.number("width") * r.width(), r.top() + (m_asked.y() + 0.5) / size.number("height") * r.height());
    p.setRenderHint(QPainter::Antialiasing);
    p.setBrush(Qt::NoBrush);
    for (const auto& [color, width] : {std::pair{QColor(0, 0, 0, 160), 3.0}, std::pair{theme::text, 1.2}}) {
      p.setPen(QPen(color, width));
      p.drawEllipse(at, 6, 6);
    }
  }
  drawMessage(p);
  if (hasFocus()) {
    p.setPen(QPen(theme::accent, 1));
    p.setBrush(Qt::NoBrush);
    p.drawLine(0, height() - 1, width(), height() - 1);
  }
}

void PictureView::drawMessage(QPainter& p) {
  QString text;
  const auto& image = m_studio.image();
  if (m_studio.picking().active()) {
    const Node* e = m_studio.doc().find(m_studio.picking().effect);
    text = tr("Click what goes into %1 of %2 · with Alt only that copy · Esc leaves").arg(m_studio.picking().role, e ? qs(e->name) : QString());
  } else if (m_tool == Tool::Draw) {
    const Node* line = drawn();
    text = line ? tr("Press where the next point of %1 is to be · Return ends it").arg(qs(line->name)) : tr("Select a path or a turned form to draw");
  } else if (m_tool == Tool::Region && m_studio.view().region.width == 0) {
    text = tr("Drag the part that is to be rendered · Esc leaves");
  } else if (image && !image->error.empty()) {
    text = qs(image->error);
  } else if (!activeCamera(m_studio.doc())) {
    text = tr("Nothing is seen yet: add an effect, or start from a finished scene (File, Starters)");
  } else if (m_image.isNull()) {
    text = tr("The first picture is on its way");
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
    if (!scene.camera.project({c & 1 ? b.max.x : b.min.x, c & 2 ? b.max.y : b.min.y, c & 4 ? b.max.z : b.min.z}, x, y)) continue;
    const QRectF point(QPointF(r.left() + double(x) * kx, r.top() + double(y) * ky), QSizeF(0.01, 0.01));
    box = any ? box.united(point) : point;
    any = true;
  }
  return any;
}

static void drawCorners(QPainter& p, const QRectF& frame) {
  const double l = std::min({16.0, frame.width() / 3, frame.height() / 3});
  for (const auto& [corner, dx, dy] : {std::tuple{frame.topLeft(), 1, 1}, {frame.topRight(), -1, 1}, {frame.bottomLeft(), 1, -1}, {frame.bottomRight(), -1, -1}}) {
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
    if (!n || (n->kind->family() != "object" && n->kind->family() != "light" && n->kind->family() != "source")) continue;
    QRectF box;
    if (!seenBox(*scene, id, r, box)) continue;
    p.setPen(QPen(theme::accent, 1.5));
    if (n->kind->family() == "light" && m_studio.selection().size() == 1 && m_tool == Tool::Pick) continue; // it has handles
    if (n->kind->family() == "light" && box.width() < 8) drawLamp(p, box.center());
    else drawCorners(p, box.adjusted(-5, -5, 5, 5));
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
    if (!accepted(def->accepts, n->kind->id) || n->kind->id == "object.group") continue;
    const bool light = n->kind->family() == "light";
    if (!light && n->kind->family() != "object") continue;
    QRectF box;
    const bool ahead = seenBox(*scene, n->id, r, box);
    if (ahead && r.intersects(box)) {
      p.setPen(QPen(theme::accent, 1, Qt::DotLine));
      p.setBrush(Qt::NoBrush);
      if (box.width() < 8) drawLamp(p, box.center());
      else drawCorners(p, box.intersected(r).adjusted(-3, -3, 3, 3));
      continue;
    }
    if (!light) continue;
    // Behind the camera or without a place: in a row at the bottom; else where the way to it leaves the frame.
    const double w = p.fontMetrics().horizontalAdvance(qs(n->name)) + 30;
    QRectF where;
    if (ahead) {
      where = QRectF(std::clamp(box.center().x() - w / 2, r.left() + 4, r.right() - w - 4), std::clamp(box.center().y() - 11, r.top() + 48, r.bottom() - 56), w, 22);
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

void PictureView::setWipe(double share) {
  m_wipe = std::clamp(share, 0.0, 1.0);
  update();
  Q_EMIT wiped();
}

void PictureView::setTool(Tool tool) {
  if (tool == Tool::Region || m_tool == Tool::Region) {
    Studio::View v = m_studio.view();
    if (v.region.width != 0) {
      v.region = {};
      m_studio.setView(v);
    }
    m_regionDrawn = {};
  }
  m_tool = tool;
  m_asked = {-1, -1};
  if (tool != Tool::Ask) m_note->hide();
  if (tool == Tool::Ask) m_studio.tell(tr("Press in the picture to see where its light comes from; Escape ends it"));
  if (tool == Tool::Draw) m_studio.tell(tr("Press where the next point is to be: Shift makes it sharp, Backspace takes it back, Escape ends it"));
  if (tool == Tool::Focus) m_studio.tell(tr("Press on what is to be sharp; Escape ends it"));
  if (tool == Tool::Opening) m_studio.tell(tr("Press on an opening or a face and drag into the room; with Shift draw a rectangle on a wall; Escape ends it"));
  setCursor(tool == Tool::Pick ? Qt::ArrowCursor : Qt::CrossCursor);
  update();
}

void PictureView::askAt(const QPointF& at) {
  const QPointF p = toPicture(at);
  m_asked = {std::floor(p.x()), std::floor(p.y())};
  m_note->ask(int(p.x()), int(p.y()), at.toPoint());
  update();
}

void PictureView::focusAt(const QPointF& at) {
  const ScenePtr scene = m_studio.session().scene();
  const Node* camera = activeCamera(m_studio.doc());
  if (!scene || !camera) return m_studio.tell(tr("There is no picture to focus in yet"), true);
  const QPointF p = toPicture(at);
  V3f point;
  if (!pick(*scene, float(p.x()), float(p.y()), 0, point)) return m_studio.tell(tr("Nothing is there to focus on"), true);
  const float distance = dot(point - scene->camera.position(), scene->camera.forward());
  const NodeId id = camera->id;
  m_studio.edit(tr("Focus by a click"), [&](const Document& d) { return setNow(d, {id, "focus", 0, {}}, Constant(std::clamp(std::round(double(distance) * 1e4) / 1e4, 0.001, 1e6))); });
  if (Params(*m_studio.doc().find(id), m_studio.frame()).number("f_stop") == 0) m_studio.tell(tr("Focused, but the f-stop is 0: everything is sharp"));
}

void PictureView::setCorner(bool on) {
  m_corner = on;
  update();
}

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
  if (e->button() == Qt::LeftButton && m_tool == Tool::Draw) return drawAt(e->position(), e->modifiers() & Qt::ShiftModifier);
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
  if (e->button() == Qt::LeftButton) m_drag = e->modifiers() & Qt::ControlModifier ? Drag::Pan : e->modifiers() & Qt::AltModifier && !m_studio.picking().active() ? Drag::Dolly : Drag::Pending;
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
    if (m_studio.view().compare == Compare::Wipe && !m_other.isNull() && std::abs(e->position().x() - (r.left() + m_wipe * r.width())) < 9) setCursor(Qt::SplitHCursor);
    else setCursor(m_tool != Tool::Pick ? Qt::CrossCursor : !hovered.empty() ? Qt::SizeAllCursor : m_studio.picking().active() ? Qt::PointingHandCursor : Qt::ArrowCursor);
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
    const Camera seenBy(m_studio.doc(), *camera, m_studio.frame(), int(s.number("width")), int(s.number("height")));
    const double reach = std::clamp(std::round(reachAt(m_beam, seenBy, {float(at.x()), float(at.y())}) * 100) / 100, 0.05, 1e4);
    m_studio.edit(tr("Beam through an opening"), [&](const Document& d) { return setNow(d, {m_beam.beam, "reach", 0, {}}, Constant(reach)); }, m_gesture);
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
    m_studio.tell(tr("The beam reaches %1 m").arg(Params(*m_studio.doc().find(m_beam.beam), m_studio.frame()).number("reach"), 0, 'f', 2));
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
    v.region = r.width() >= 4 && r.height() >= 4 ? Region{int(r.x()), int(r.y()), int(r.width()), int(r.height())} : Region{};
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
  case Qt::Key_Left: return move(how, -18, 0);
  case Qt::Key_Right: return move(how, 18, 0);
  case Qt::Key_Up: return move(how, 0, -18);
  case Qt::Key_Down: return move(how, 0, 18);
  case Qt::Key_Plus: return move(Drag::Dolly, 0, -30);
  case Qt::Key_Minus: return move(Drag::Dolly, 0, 30);
  case Qt::Key_Backspace:
    if (const Node* line = m_tool == Tool::Draw ? drawn() : nullptr) {
      m_studio.edit(tr("Take back a point of %1").arg(qs(line->name)), [id = line->id](const Document& d) { return undrawPoint(d, id); });
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
  default: QWidget::keyPressEvent(e);
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
          return setNow(setNow(doc, {id, "position", 0, {}}, Constant(position)), {id, "target", 0, {}}, Constant(target));
        };
        const auto tidy = [](Triple t) {
          for (double& v : t) v = std::round(v * 1e5) / 1e5;
          return t;
        };
        if (how == Drag::Orbit) {
          const double turn = -by.x() * 0.008, lift = by.y() * 0.008;
          const double flat = std::sqrt(x * x + z * z);
          double bearing = std::atan2(x, z) + turn, tilt = std::clamp(std::atan2(y, flat) + lift, -1.55, 1.55);
          return put(tidy({to[0] + d * std::cos(tilt) * std::sin(bearing), to[1] + d * std::sin(tilt), to[2] + d * std::cos(tilt) * std::cos(bearing)}), to);
        }
        if (how == Drag::Pan) {
          const double filmHeight = p.number("film_width") / p.number("focal_length") * settingsOf(doc).number("height") / settingsOf(doc).number("width");
          const double k = d * filmHeight / height;
          const double flat = std::max(1e-9, std::sqrt(x * x + z * z));
          const double sx = z / flat, sz = -x / flat;                           // right
          const double ux = -y * x / (flat * d), uy = flat / d, uz = -y * z / (flat * d); // up
          const double dx = -by.x() * k, dy = by.y() * k;
          const Triple shift{sx * dx + ux * dy, uy * dy, sz * dx + uz * dy};
          return put(tidy({at[0] + shift[0], at[1] + shift[1], at[2] + shift[2]}), tidy({to[0] + shift[0], to[1] + shift[1], to[2] + shift[2]}));
        }
        const double k = std::exp(std::clamp(by.y() * 0.006, -1.0, 1.0));
        if (d * k < 1e-3 || d * k > 1e5) return doc;
        Document out = put(tidy({to[0] + x * k, to[1] + y * k, to[2] + z * k}), to);
        // What was sharp at the point looked at stays sharp.
        const double focus = p.number("focus");
        if (std::abs(focus - d) < 0.02 * d) out = setNow(out, {id, "focus", 0, {}}, Constant(std::clamp(std::round(d * k * 1e4) / 1e4, 0.001, 1e6)));
        return out;
      },
      m_gesture);
}

void PictureView::pickAt(const QPointF& at, Qt::KeyboardModifiers keys) {
  const bool extend = keys & Qt::ShiftModifier;
  for (const EdgeMark& m : m_edgeMarks)
    if (m.where.contains(at)) return m_studio.offer(m.thing);
  const ScenePtr scene = m_studio.session().scene();
  if (!scene || !pictureRect().contains(at)) return;
  const QPointF px = toPicture(at);
  // A second click at the same place goes for what lies behind.
  m_pickDepth = (at - m_lastPick).manhattanLength() < 4 ? m_pickDepth + 1 : 0;
  m_lastPick = at;
  V3f point;
  // Locked things are looked through.
  const auto free = [&](int& depth) {
    NodeId id;
    while ((id = pick(*scene, float(px.x()), float(px.y()), depth, point, &m_pickedIndex)) && m_studio.doc().find(id) && isLocked(m_studio.doc(), *m_studio.doc().find(id))) ++depth;
    return id;
  };
  NodeId id = free(m_pickDepth);
  if (!id && m_pickDepth > 0) {
    m_pickDepth = 0;
    id = free(m_pickDepth);
  }
  m_picked = id;
  if (id) m_studio.offer(id, extend, keys & Qt::AltModifier ? pickedCopy(id) : 0);
  else if (!extend && !m_studio.picking().active()) m_studio.select({});
}

uint32_t PictureView::pickedCopy(NodeId of) const {
  const ScenePtr scene = m_studio.session().scene();
  const Node *thing = m_studio.doc().find(m_picked), *up = thing;
  while (up && up->id != of) up = m_studio.doc().find(up->parent);
  if (!scene || !up) return 0;
  bool copies = false;
  const uint32_t number = copyNumber(m_studio.doc(), *thing, of, m_pickedIndex, [&](const Node& n) {
    const auto it = scene->ownCopies.find(n.id);
    copies |= it != scene->ownCopies.end();
    return it == scene->ownCopies.end() ? size_t(0) : size_t(it->second);
  });
  return copies ? number : 0;
}

void PictureView::frameSelection() {
  const ScenePtr scene = m_studio.session().scene();
  const Node* camera = activeCamera(m_studio.doc());
  if (!scene || !camera) return m_studio.tell(tr("There is no camera to frame with"), true);
  std::vector<NodeId> things;
  for (const NodeId id : m_studio.selection()) {
    const Node* n = m_studio.doc().find(id);
    if (n->kind->family() == "effect")
      for (const NodeId f : roleOf(m_studio.doc(), *n, "from")) things.push_back(f);
    else things.push_back(id);
  }
  const Box3f box = boundsOf(*scene, m_studio.doc(), things);
  if (box.isEmpty()) return m_studio.tell(tr("What is selected has no place to frame"), true);
  m_studio.edit(tr("Frame the selection"), [&](const Document& doc) { return frameBox(doc, camera->id, box); });
}

void PictureView::dragEnterEvent(QDragEnterEvent* e) {
  if (e->mimeData()->hasUrls()) e->acceptProposedAction();
}
void PictureView::dropEvent(QDropEvent* e) {
  for (const QUrl& u : e->mimeData()->urls())
    if (u.isLocalFile()) return Q_EMIT fileDropped(u.toLocalFile());
}

} // namespace ilumbra
