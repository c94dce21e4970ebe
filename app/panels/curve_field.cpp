#include "app/panels/curve_field.h"

#include "app/panels/param_row.h"
#include "app/theme.h"
#include "core/document/drawn_curve.h"
#include "core/document/units.h"

#include <cmath>
#include <QContextMenuEvent>
#include <QKeyEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QVBoxLayout>

namespace ilumbra {

namespace {
constexpr int fieldHeight = 126, captionHeight = 16, margin = 6, reach = 8;
}

CurveField::CurveField(Studio& studio, NodeId owner, std::string slot, QWidget* parent)
    : QWidget(parent), m_studio(studio), m_owner(owner), m_slot(std::move(slot)) {
  setObjectName(QStringLiteral("curve ") + qs(m_slot));
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName(qs(studio.doc().find(owner)->kind->slot(m_slot)->label));
  setToolTip(tr("Press to add a point, drag to move it, double-click to take it away.\nKeys: arrows move it, Page Up "
                "and Page Down choose, Insert adds, Delete takes away"));
  m_rows = new QVBoxLayout(this);
  m_rows->setContentsMargins(0, fieldHeight + captionHeight + 2, 0, 4);
  m_rows->setSpacing(0);
  connect(&studio, &Studio::documentChanged, this, &CurveField::refresh);
  refresh();
}

const Kind& CurveField::pointKind() const {
  return *m_studio.kinds()->find(m_studio.doc().find(m_owner)->kind->slot(m_slot)->accepts.front());
}

std::vector<CurveField::Point> CurveField::points() const {
  std::vector<Point> out;
  if (!m_studio.doc().find(m_owner)) return out; // this page is about to go
  const Node& owner = *m_studio.doc().find(m_owner);
  if (const auto it = owner.children.find(m_slot); it != owner.children.end())
    for (const NodeId id : it->second) {
      const Params p(*m_studio.doc().find(id), m_studio.frame());
      out.push_back({id, p.number("at"), p.number("value")});
    }
  std::stable_sort(out.begin(), out.end(), [](const Point& a, const Point& b) { return a.at < b.at; });
  return out;
}

// What the parameter is usually set within, and as far as its points reach.
CurveField::Axis CurveField::axis(const char* param) const {
  Axis a{pointKind().param(param), 0, 0};
  a.from = a.def->softMin;
  a.to = a.def->softMax;
  for (const Point& p : points()) {
    const double v = std::string_view(param) == "at" ? p.at : p.value;
    a.from = std::min(a.from, v);
    a.to = std::max(a.to, v);
  }
  return a;
}

// In steps of a thousandth of what the axis usually spans: what is dragged should read like a choice.
double CurveField::valueOf(const Axis& a, double share) const {
  const double v = a.from + (a.to - a.from) * std::clamp(share, 0.0, 1.0),
               step = std::pow(10, std::floor(std::log10(a.def->softMax - a.def->softMin)) - 3);
  return std::clamp(std::round(v / step) * step, a.def->hardMin, a.def->hardMax);
}

QRect CurveField::field() const {
  return {margin, margin, std::max(8, width() - 2 * margin), fieldHeight - 2 * margin};
}

QPoint CurveField::placeOf(double at, double value) const {
  const Axis x = axis("at"), y = axis("value");
  const QRect f = field();
  return {f.left() + int(std::lround((at - x.from) / (x.to - x.from) * f.width())),
          f.bottom() - int(std::lround((value - y.from) / (y.to - y.from) * f.height()))};
}

NodeId CurveField::pointAt(const QPoint& place) const {
  NodeId nearest = 0;
  double best = reach * reach + 1;
  for (const Point& p : points()) {
    const QPoint d = placeOf(p.at, p.value) - place;
    if (const double r = double(d.x()) * d.x() + double(d.y()) * d.y(); r < best) {
      best = r;
      nearest = p.id;
    }
  }
  return nearest;
}

void CurveField::refresh() {
  const std::vector<Point> all = points();
  if (m_chosen && std::none_of(all.begin(), all.end(), [&](const Point& p) { return p.id == m_chosen; })) choose(0);
  update();
}

bool CurveField::reveal(NodeId point) {
  const std::vector<Point> all = points();
  if (std::none_of(all.begin(), all.end(), [&](const Point& p) { return p.id == point; })) return false;
  choose(point);
  return true;
}

void CurveField::choose(NodeId point) {
  if (point == m_chosen) return;
  m_chosen = point;
  while (QLayoutItem* item = m_rows->takeAt(0)) {
    if (QWidget* w = item->widget()) {
      w->hide();
      w->deleteLater(); // it may have sent what led here
    }
    delete item;
  }
  if (point)
    for (const ParamDef& d : pointKind().params) {
      ParamRow* row = makeParamRow(m_studio, {point, d.name, 0, {}}, this);
      m_rows->addWidget(row);
      row->show();
    }
  updateGeometry();
  update();
}

NodeId CurveField::add(double at, double value, uint64_t gesture) {
  const std::vector<Point> before = points();
  const Axis x = axis("at");
  const DrawnCurve curve(m_studio.doc(), *m_studio.doc().find(m_owner), m_slot, m_studio.frame());
  NodeId made = 0;
  const Kind& kind = pointKind();
  m_studio.edit(
      tr("Add a point"),
      [&](const Document& d) {
        Document out = d;
        const auto one = [&](double px, double py) {
          NodeId id = 0;
          out = addNode(out, kind.id, kind.label, {m_owner, m_slot, size_t(-1)}, &id);
          out = setValue(setValue(out, id, "at", Constant(px)), id, "value", Constant(py));
          return id;
        };
        // The first point comes with the ends, so that it bends the curve instead of lifting all of it.
        if (before.empty())
          for (const double end : {x.from, x.to})
            if (std::abs(at - end) > 0.02 * (x.to - x.from)) one(end, curve.at(end));
        made = one(at, value);
        return out;
      },
      gesture);
  choose(made);
  return made;
}

void CurveField::put(NodeId point, double at, double value, uint64_t gesture) {
  m_studio.edit(
      tr("Move a point of %1").arg(qs(m_studio.doc().find(m_owner)->kind->slot(m_slot)->label)),
      [&](const Document& d) {
        return setNow(setNow(d, {point, "at", 0, {}}, Constant(at)), {point, "value", 0, {}}, Constant(value));
      },
      gesture);
}

void CurveField::take(NodeId point) {
  if (!point) return;
  m_studio.edit(tr("Take a point away"), [&](const Document& d) { return removeNode(d, point); });
}

QString CurveField::spokenValue() const {
  const std::vector<Point> all = points();
  QString text = tr("%n point(s)", nullptr, int(all.size()));
  for (const Point& p : all)
    if (p.id == m_chosen) text += tr(", the chosen one at %1: %2").arg(p.at, 0, 'g', 3).arg(p.value, 0, 'g', 3);
  return text;
}

void CurveField::straighten() {
  const std::vector<Point> all = points();
  if (all.empty()) return;
  m_studio.edit(tr("Take the curve away"), [&](const Document& d) {
    Document out = d;
    for (const Point& p : all) out = removeNode(out, p.id);
    return out;
  });
}

void CurveField::paintEvent(QPaintEvent*) {
  if (!m_studio.doc().find(m_owner)) return;
  QPainter p(this);
  const QRect f = field();
  const Axis x = axis("at"), y = axis("value");
  const DrawnCurve curve(m_studio.doc(), *m_studio.doc().find(m_owner), m_slot, m_studio.frame());
  p.fillRect(f.adjusted(-margin, -margin, margin, margin), theme::desk);
  // Ruled like the lines of numbers: ticks along two sides, and a line where an axis is zero.
  p.setPen(theme::tick);
  for (int i = 0; i <= 10; ++i) {
    const int tick = i % 5 == 0 ? 4 : 2, px = f.left() + f.width() * i / 10, py = f.bottom() - f.height() * i / 10;
    p.drawLine(px, f.bottom() + margin - tick, px, f.bottom() + margin);
    p.drawLine(f.left() - margin, py, f.left() - margin + tick, py);
  }
  p.setPen(theme::line);
  if (x.from < 0 && x.to > 0) p.drawLine(placeOf(0, y.from), placeOf(0, y.to));
  if (y.from < 0 && y.to > 0) p.drawLine(placeOf(x.from, 0), placeOf(x.to, 0));
  p.setFont(theme::font(9));
  p.setPen(theme::faint);
  const auto end = [](const Axis& a, double v) { return qs(formatNumber(*a.def, v, v == a.to)); };
  const QRect caption(0, fieldHeight, width(), captionHeight);
  p.drawText(caption, Qt::AlignLeft | Qt::AlignVCenter,
             tr("Up: %1, %2 to %3").arg(qs(y.def->label).toLower(), end(y, y.from), end(y, y.to)));
  p.drawText(caption, Qt::AlignRight | Qt::AlignVCenter,
             tr("across: %1, %2 to %3").arg(qs(x.def->label).toLower(), end(x, x.from), end(x, x.to)));
  p.setRenderHint(QPainter::Antialiasing);
  p.setClipRect(f.adjusted(-margin, -margin, margin, margin));
  QPainterPath path;
  const int steps = std::max(2, f.width());
  for (int i = 0; i <= steps; ++i) {
    const double at = x.from + (x.to - x.from) * i / steps, v = curve.at(at);
    const QPointF to(f.left() + double(f.width()) * i / steps,
                     f.bottom() - (v - y.from) / (y.to - y.from) * f.height());
    if (i == 0)
      path.moveTo(to);
    else
      path.lineTo(to);
  }
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(curve.empty() ? theme::dim : theme::accent, 1.5));
  p.drawPath(path);
  for (const Point& point : points()) {
    const QPoint c = placeOf(point.at, point.value);
    const bool is = point.id == m_chosen;
    p.fillRect(QRectF(c.x() - 1.5, c.y() - (is ? 7 : 5), 3, is ? 14 : 10), is && hasFocus() ? theme::text
                                                                           : is             ? theme::accent
                                                                                            : theme::dim);
  }
  if (hasFocus()) {
    p.setRenderHint(QPainter::Antialiasing, false);
    p.setPen(theme::tick);
    p.drawRect(f.adjusted(-margin, -margin, margin - 1, margin - 1));
  }
}

void CurveField::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton || e->pos().y() > fieldHeight) return;
  setFocus();
  m_gesture = m_studio.newGesture();
  m_dragging = true;
  if (const NodeId point = pointAt(e->pos())) return choose(point);
  const QRect f = field();
  add(valueOf(axis("at"), double(e->pos().x() - f.left()) / f.width()),
      valueOf(axis("value"), double(f.bottom() - e->pos().y()) / f.height()), m_gesture);
}

void CurveField::mouseMoveEvent(QMouseEvent* e) {
  if (!m_dragging || !m_chosen) return;
  const QRect f = field();
  put(m_chosen, valueOf(axis("at"), double(e->pos().x() - f.left()) / f.width()),
      valueOf(axis("value"), double(f.bottom() - e->pos().y()) / f.height()), m_gesture);
}

void CurveField::mouseReleaseEvent(QMouseEvent*) {
  m_dragging = false;
  m_gesture = 0;
}

void CurveField::mouseDoubleClickEvent(QMouseEvent* e) {
  if (e->pos().y() <= fieldHeight) take(pointAt(e->pos()));
}

void CurveField::keyPressEvent(QKeyEvent* e) {
  const std::vector<Point> all = points();
  const auto now = std::find_if(all.begin(), all.end(), [&](const Point& p) { return p.id == m_chosen; });
  const auto step = [&](double right, double up) {
    if (now == all.end()) return;
    const double by = e->modifiers() & Qt::ShiftModifier ? 0.001 : e->modifiers() & Qt::ControlModifier ? 0.1 : 0.01;
    const auto moved = [&](const Axis& a, double v, double way) {
      return way == 0 ? v : valueOf(a, (v - a.from) / (a.to - a.from) + way * by);
    };
    if (!m_gesture) m_gesture = m_studio.newGesture(); // one step of the history until another point is chosen
    put(m_chosen, moved(axis("at"), now->at, right), moved(axis("value"), now->value, up), m_gesture);
  };
  const auto neighbour = [&](bool next) {
    m_gesture = 0;
    if (all.empty()) return;
    if (now == all.end()) return choose(next ? all.front().id : all.back().id);
    if (next && now + 1 != all.end()) choose((now + 1)->id);
    if (!next && now != all.begin()) choose((now - 1)->id);
  };
  switch (e->key()) {
  case Qt::Key_Left:
    return step(-1, 0);
  case Qt::Key_Right:
    return step(1, 0);
  case Qt::Key_Up:
    return step(0, 1);
  case Qt::Key_Down:
    return step(0, -1);
  case Qt::Key_PageUp:
    return neighbour(false);
  case Qt::Key_PageDown:
    return neighbour(true);
  case Qt::Key_Delete:
  case Qt::Key_Backspace:
    m_gesture = 0;
    return take(m_chosen);
  case Qt::Key_Insert: {
    m_gesture = 0;
    const Axis x = axis("at");
    double from = x.from, to = x.to, widest = -1, left = x.from;
    for (size_t i = 0; i <= all.size(); ++i) {
      const double right = i < all.size() ? all[i].at : x.to;
      if (right - left > widest + 1e-9) {
        widest = right - left;
        from = left;
        to = right;
      }
      left = right;
    }
    const double at = 0.5 * (from + to);
    const DrawnCurve curve(m_studio.doc(), *m_studio.doc().find(m_owner), m_slot, m_studio.frame());
    const Axis y = axis("value");
    add(at, std::clamp(curve.at(at), y.def->hardMin, y.def->hardMax), 0);
    return;
  }
  default:
    QWidget::keyPressEvent(e);
  }
}

void CurveField::contextMenuEvent(QContextMenuEvent* e) {
  const NodeId point = pointAt(e->pos());
  QMenu m(this);
  QAction* away = m.addAction(tr("Take this point away"));
  away->setEnabled(point != 0);
  QAction* all = m.addAction(tr("Take the curve away"));
  all->setEnabled(!points().empty());
  const QAction* done = m.exec(e->globalPos());
  if (done == away) take(point);
  if (done == all) straighten();
}

} // namespace ilumbra
