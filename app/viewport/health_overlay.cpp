#include "app/viewport/health_overlay.h"

#include "app/studio.h"
#include "app/theme.h"
#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/scene/geometry.h"

#include <QCoreApplication>
#include <QPainter>
#include <QPointer>
#include <QThreadPool>

namespace ilumbra {
namespace {

// More of a kind than this cannot be told apart in a picture, and would hold up the window.
constexpr size_t mostDrawn = 3000;
const QColor rose(0xe0, 0x7a, 0x86), amber(0xd9, 0xa4, 0x4e);

} // namespace

HealthOverlay::HealthOverlay(Studio& studio, QObject* parent) : QObject(parent), m_studio(studio) {
  connect(&studio, &Studio::selectionChanged, this, &HealthOverlay::refresh);
  connect(&studio, &Studio::imageArrived, this, &HealthOverlay::refresh); // with a scene that may be another
}

HealthOverlay::~HealthOverlay() {
  if (m_cancel) m_cancel->request();
}

void HealthOverlay::setOn(bool on) {
  m_on = on;
  m_entries.clear();
  refresh();
}

void HealthOverlay::refresh() {
  std::vector<Entry> now;
  if (const ScenePtr scene = m_on ? m_studio.session().scene() : nullptr) {
    std::vector<NodeId> wanted;
    for (const NodeId id : m_studio.selection())
      for (const NodeId inside : treeOf(m_studio.doc(), id)) wanted.push_back(inside);
    for (const InstancedObject& i : scene->objects) {
      const NodeId thing = scene->things[i.thing].node;
      if (i.light >= 0 || !i.geometry || i.geometry->shape.sphereRadius > 0 ||
          std::find(wanted.begin(), wanted.end(), thing) == wanted.end())
        continue;
      Entry e{thing, qs(scene->things[i.thing].name), i.geometry, scene->instances[i.firstInstance].toWorld, nullptr,
              {}};
      for (const Entry& known : m_entries)
        if (known.geometry == e.geometry) {
          e.health = known.health;
          e.failed = known.failed;
        }
      now.push_back(std::move(e));
    }
  }
  const bool same = now.size() == m_entries.size() &&
                    std::equal(now.begin(), now.end(), m_entries.begin(), [](const Entry& a, const Entry& b) {
                      return a.thing == b.thing && a.geometry == b.geometry && a.toWorld == b.toWorld;
                    });
  if (same) return;
  m_entries = std::move(now);
  Q_EMIT changed();
  if (m_cancel) m_cancel->request();
  m_cancel = std::make_shared<CancelFlag>();
  std::vector<GeometryPtr> open;
  for (const Entry& e : m_entries)
    if (!e.health && e.failed.isEmpty() && std::find(open.begin(), open.end(), e.geometry) == open.end())
      open.push_back(e.geometry);
  if (open.empty()) return;
  QThreadPool::globalInstance()->start(
      [self = QPointer<HealthOverlay>(this), send = m_studio.sender(), open, cancel = m_cancel] {
        for (const GeometryPtr& g : open) {
          std::shared_ptr<const MeshHealth> found;
          QString failed;
          try {
            found = std::make_shared<const MeshHealth>(examine(g->shape.mesh, true, cancel.get()));
          } catch (const std::exception& e) { // as where there is no memory for it
            if (cancel->requested()) return;
            failed = QString::fromUtf8(e.what());
          }
          send([self, g, found, failed] {
            if (!self) return;
            for (Entry& e : self->m_entries)
              if (e.geometry == g) {
                e.health = found;
                e.failed = failed;
              }
            Q_EMIT self->changed();
          });
        }
      });
}

void HealthOverlay::draw(QPainter& p, const QRectF& frame,
                         const std::function<bool(const V3f&, QPointF&)>& toWidget) const {
  if (!m_on) return;
  p.save();
  p.setClipRect(frame);
  p.setRenderHint(QPainter::Antialiasing);
  QStringList lines;
  int well = 0, looking = 0;
  for (const Entry& e : m_entries) {
    if (!e.failed.isEmpty()) {
      lines << tr("%1: cannot be looked at: %2").arg(e.name, e.failed);
      continue;
    }
    if (!e.health) {
      ++looking;
      continue;
    }
    if (e.health->well() && m_entries.size() > 1)
      ++well;
    else
      lines << QStringLiteral("%1: %2").arg(e.name, qs(summary(*e.health)));
    const auto at = [&](const V3f& v, QPointF& out) { return toWidget(transformPoint(e.toWorld, v), out); };
    const auto faces = [&](const std::vector<MeshHealth::Face>& list, const QColor& colour) {
      QColor fill = colour;
      fill.setAlpha(90);
      p.setBrush(fill);
      p.setPen(QPen(colour, 1));
      for (size_t i = 0; i < list.size() && i < mostDrawn; ++i) {
        QPointF q[3];
        if (at(list[i][0], q[0]) && at(list[i][1], q[1]) && at(list[i][2], q[2])) p.drawPolygon(q, 3);
      }
    };
    const auto edges = [&](const std::vector<MeshHealth::Line>& list, const QColor& colour, Qt::PenStyle style) {
      for (const auto& [width, c] : {std::pair{4.0, QColor(0, 0, 0, 140)}, {2.0, colour}}) {
        p.setPen(QPen(c, width, style));
        for (size_t i = 0; i < list.size() && i < mostDrawn; ++i) {
          QPointF a, b;
          if (at(list[i][0], a) && at(list[i][1], b)) p.drawLine(a, b);
        }
      }
    };
    faces(e.health->flipped, amber);
    faces(e.health->doubled, amber);
    faces(e.health->crossing, rose);
    faces(e.health->empty, amber);
    edges(e.health->crowded, amber, Qt::DashLine);
    edges(e.health->open, rose, Qt::SolidLine);
  }
  constexpr int most = 5;
  if (const int more = lines.size() - most; more > 0) {
    lines = lines.mid(0, most);
    lines << tr("and %n more with something wrong", nullptr, int(more));
  }
  if (well)
    lines << (lines.isEmpty() ? tr("All %1 are closed and well").arg(well) : tr("%1 closed and well").arg(well));
  if (looking) lines << tr("Looking at %1…").arg(looking);
  if (lines.isEmpty()) lines << tr("Select a mesh to see whether it is closed and well");
  p.setFont(theme::font(11));
  const QString text = lines.join(QLatin1Char('\n'));
  const QRectF need =
      p.boundingRect(frame.adjusted(20, 16, -20, -16), Qt::AlignLeft | Qt::AlignBottom | Qt::TextWordWrap, text);
  p.setPen(Qt::NoPen);
  p.setBrush(QColor(0x1b, 0x1b, 0x1b, 225));
  p.drawRoundedRect(need.adjusted(-8, -6, 8, 6), 3, 3);
  p.setPen(theme::text);
  p.drawText(need, Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, text);
  p.restore();
}

void HealthOverlay::mend() {
  std::vector<NodeId> things;
  for (const Entry& e : m_entries)
    if (e.health && !e.health->well() && std::find(things.begin(), things.end(), e.thing) == things.end())
      things.push_back(e.thing);
  if (things.empty())
    return m_studio.tell(m_on ? tr("Nothing of the selection needs mending")
                              : tr("Show what is wrong first: Picture, Mesh health"));
  m_studio.edit(tr("Mend"), [&](const Document& d) {
    Document out = d;
    for (const NodeId id : things)
      if (const Node* n = out.find(id); n && n->kind->slot("modifiers"))
        out = addNode(out, "modifier.mend", "", {id, "modifiers", 0});
    return out;
  });
}

} // namespace ilumbra
