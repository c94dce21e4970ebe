#include "app/viewport/picture_view.h"

#include "app/viewport/which_lamp.h"

#include "app/viewport/health_overlay.h"
#include "app/viewport/pixel_note.h"

#include "app/theme.h"
#include "core/base/error.h"
#include "core/compile/camera.h"
#include "core/compile/part.h"
#include "core/document/units.h"
#include "core/geometry/shape.h"
#include "core/placing/beams.h"
#include "core/placing/drawing.h"
#include "core/placing/framing.h"
#include "core/placing/lens_handles.h"
#include "core/placing/motion_handles.h"
#include "core/placing/zone_lines.h"
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

PictureView::PictureView(Studio& studio, QWidget* parent) : QWidget(parent), m_studio(studio) {
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  m_note = new PixelNote(studio, this);
  m_health = new HealthOverlay(studio, this);
  m_lamp = new WhichLamp(studio, this);
  connect(m_lamp, &WhichLamp::changed, this, qOverload<>(&QWidget::update));
  connect(&studio, &Studio::patternShown, this, [this](const QImage& image, const QString& name) {
    m_pattern = image;
    m_patternName = name;
    update();
  });
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

PictureView::~PictureView() { m_tool.reset(); } // it uses the view to its end

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
  return {r.left() + double(at.x) / s.number("width") * r.width(),
          r.top() + double(at.y) / s.number("height") * r.height()};
}

std::vector<Handle> PictureView::handles() const {
  const Document& doc = m_studio.doc();
  const Node *n = m_studio.selection().size() == 1 ? m_studio.currentNode() : nullptr, *camera = activeCamera(doc);
  const bool lamp = n && n->kind->family() == "light";
  const Compare compare = m_studio.view().compare;
  if (m_studio.selection().empty() || !camera || (m_tool && !m_tool->showsPoints()) || m_studio.picking().active() ||
      compare == Compare::SideBySide || m_studio.view().left)
    return {};
  const Camera seenBy = *this->camera();
  std::vector<Handle> points;
  const Node* line = drawn();
  if (line && isOutline(*line, m_studio.frame()) && (m_tool || line == n || line->id == n->parent)) {
    if (const ScenePtr scene = m_studio.session().scene()) points = lensHandles(doc, *line, m_studio.frame(), *scene);
    if (m_tool) std::erase_if(points, [](const Handle& h) { return h.fresh || !h.id.starts_with("point "); });
    return points;
  }
  if (line && isDrawn(*line)) {
    points = pointHandles(doc, *line, m_studio.frame(), seenBy, m_placing.onto == Placing::Onto::Surface);
    if (m_tool) std::erase_if(points, [](const Handle& h) { return h.fresh; });
  }
  if (m_tool) return points;
  // Of how it moves, before its own: what ends a way lies before what stands in its middle.
  if (n && n->id != camera->id && !m_studio.view().playing)
    for (Handle& h : motionHandles(doc, *n, m_studio.frame(), seenBy)) points.push_back(std::move(h));
  if (lamp) {
    std::vector<Handle> own = handlesOf(doc, *n, m_studio.frame(), seenBy);
    std::move(own.begin(), own.end(), std::back_inserter(points));
    return points;
  }
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
  if (n && !placing.empty())
    for (auto& zone : zoneLines(doc, *n, m_studio.frame(), seenBy)) placing.front().lines.push_back(std::move(zone));
  std::move(placing.begin(), placing.end(), std::back_inserter(points));
  return points;
}

const Node* PictureView::drawn() const {
  const Node* n = m_studio.selection().size() == 1 ? m_studio.currentNode() : nullptr;
  if (n && n->kind->id.ends_with(".point")) n = m_studio.doc().find(n->parent);
  // Of a lens stage the last shape that is drawn.
  if (n && n->kind->family() == "lens")
    if (const auto it = n->children.find("areas"); it != n->children.end())
      for (auto area = it->second.rbegin(); area != it->second.rend(); ++area)
        if (const Node* a = m_studio.doc().find(*area); a && isOutline(*a, m_studio.frame())) return a;
  return n && (isDrawn(*n) || isOutline(*n, m_studio.frame())) ? n : nullptr;
}

void PictureView::setPlacing(const Placing& placing) {
  m_placing = placing;
  update();
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
  m_studio.edit(
      tr("Drag %1").arg(qs(h.label).toLower()),
      [&](const Document& d) {
        return h.drag(d, {float(to.x()), float(to.y())}, onto);
      },
      m_gesture);
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
  if (e.key() == Qt::Key_Backspace)
    m_typed.chop(1);
  else if (!e.text().isEmpty() && QStringLiteral("0123456789.-").contains(e.text()))
    m_typed += e.text();
  else
    return false;
  bool number = false;
  const double amount = m_typed.toDouble(&number);
  if (number) {
    m_amount = amount;
    m_studio.edit(
        qs(m_held.label), [&](const Document&) { return m_held.enter(amount); }, m_gesture);
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
    if ((n->kind->family() != "object" && n->kind->family() != "light") || isGroup(*n)) continue;
    QRectF box;
    if (!m_studio.isSelected(n->id) && !isLocked(m_studio.doc(), *n) && seenBox(*scene, n->id, pictureRect(), box) &&
        frame.contains(box))
      things.push_back(n->id);
  }
  m_studio.select(things);
}

QPointF PictureView::toPicture(const QPointF& at) const {
  const QRectF r = pictureRect();
  const Params s = settingsOf(m_studio.doc());
  return {(at.x() - r.left()) / r.width() * s.number("width"), (at.y() - r.top()) / r.height() * s.number("height")};
}

void PictureView::setWipe(double share) {
  m_wipe = std::clamp(share, 0.0, 1.0);
  update();
  Q_EMIT wiped();
}

bool PictureView::setTool(const QString& id) {
  const std::vector<ViewportToolKind> all = viewportTools();
  const auto kind = std::find_if(all.begin(), all.end(), [&](const ViewportToolKind& k) { return k.id == id; });
  if (kind != all.end() && kind->prepare && !kind->prepare(*this)) return false;
  m_drag = Drag::None;
  m_tool.reset();
  m_toolId = kind == all.end() ? QString() : id;
  if (kind != all.end()) m_tool = kind->make(*this);
  if (m_tool && !m_tool->hint().isEmpty()) m_studio.tell(m_tool->hint());
  setCursor(m_tool ? Qt::CrossCursor : Qt::ArrowCursor);
  update();
  Q_EMIT toolChanged();
  return true;
}

std::optional<Camera> PictureView::camera() const {
  const Document& doc = m_studio.doc();
  const Node* n = activeCamera(doc);
  if (!n) return {};
  const Params s = settingsOf(doc);
  return cameraOf(doc, *n, m_studio.frame(), int(s.number("width")), int(s.number("height")));
}

QString PictureView::spokenValue() const {
  const auto& image = m_studio.image();
  const Node* camera = activeCamera(m_studio.doc());
  if (!camera || !image) return tr("nothing is seen yet");
  QStringList words{tr("through %1").arg(qs(camera->name)),
                    image->draft ? tr("a draft") : tr("%n sample(s)", nullptr, int(image->samples))};
  if (!image->error.empty()) words << qs(image->error);
  QStringList names;
  for (const NodeId id : m_studio.selection())
    if (const Node* n = m_studio.doc().find(id)) names << qs(n->name);
  if (!names.isEmpty()) words << tr("selected: %1").arg(names.join(QStringLiteral(", ")));
  return words.join(QStringLiteral("; "));
}

void PictureView::setCorner(bool on) {
  m_corner = on;
  update();
}

void PictureView::pickAt(const QPointF& at, Qt::KeyboardModifiers keys) {
  const bool extend = keys & Qt::ShiftModifier;
  for (const EdgeMark& m : m_edgeMarks)
    if (m.where.contains(at)) return m_studio.offer(m.thing);
  const ScenePtr scene = m_studio.session().scene();
  if (!scene || !pictureRect().contains(at)) return;
  const QPointF px = toPicture(at);
  if (m_studio.offerPlace(px)) return;
  // A second click at the same place goes for what lies behind.
  m_pickDepth = (at - m_lastPick).manhattanLength() < 4 ? m_pickDepth + 1 : 0;
  m_lastPick = at;
  V3f point;
  // Locked things are looked through.
  const auto free = [&](int& depth) {
    NodeId id;
    while ((id = pick(*scene, float(px.x()), float(px.y()), depth, point, &m_pickedIndex)) && m_studio.doc().find(id) &&
           isLocked(m_studio.doc(), *m_studio.doc().find(id)))
      ++depth;
    return id;
  };
  NodeId id = free(m_pickDepth);
  if (!id && m_pickDepth > 0) {
    m_pickDepth = 0;
    id = free(m_pickDepth);
  }
  m_picked = id;
  if (id)
    m_studio.offer(id, extend, keys & Qt::AltModifier ? pickedCopy(id) : 0);
  else if (!extend && !m_studio.picking().active())
    m_studio.select({});
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
    else
      things.push_back(id);
  }
  const Box3f box = boundsOf(*scene, m_studio.doc(), things);
  if (box.isEmpty()) return m_studio.tell(tr("What is selected has no place to frame"), true);
  m_studio.edit(tr("Frame the selection"), [&](const Document& doc) { return frameBox(doc, camera->id, box); });
}

} // namespace ilumbra
