#include "app/panels/route_view.h"

#include "app/theme.h"

#include <cmath>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>

namespace ilumbra {
namespace {

// Half the band's height for a share of the light: it falls by the same amount a stop, and is gone at 8 stops.
double halfBand(double share, double full) {
  if (share <= 0) return 0;
  return std::max(1.0, full * (1 + std::log2(std::min(1.0, share)) / 8));
}

} // namespace

RouteView::RouteView(Studio& studio, QWidget* parent) : QWidget(parent), m_studio(studio) {
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setAccessibleName(tr("Route"));
  setFixedHeight(106);
  connect(&studio, &Studio::imageArrived, this, [this] {
    update();
    spokenChanged(this);
  });
  connect(&studio, &Studio::selectionChanged, this, [this] { update(); });
  connect(&studio, &Studio::documentChanged, this, [this] { update(); });
}

void RouteView::setFolded(bool folded) {
  m_folded = folded;
  setFixedHeight(folded ? 24 : 106);
  update();
}

std::vector<std::string> RouteView::mends() const {
  std::vector<std::string> out;
  const auto& image = m_studio.image();
  if (image && image->route)
    for (const Finding& f : image->route->findings)
      for (const Mend& m : f.mends) out.push_back(m.text);
  return out;
}

bool RouteView::applyMendAt(size_t n) {
  const auto& image = m_studio.image();
  if (!image || !image->route) return false;
  for (const Finding& f : image->route->findings)
    for (const Mend& m : f.mends)
      if (n-- == 0) return m_studio.edit(qs(m.text), [&](const Document& d) { return applyMend(d, m); });
  return false;
}

static QColor toneOf(Finding::Weight w) {
  return w == Finding::Weight::Broken ? theme::rose : w == Finding::Weight::Weak ? theme::amber : theme::dim;
}

namespace {

// Where the band of a route's light lies: the tops stay on one line, so that what is lost falls.
struct Band {
  static constexpr double left = 10, ceiling = 26, full = 25; ///< the first station, the top, half of the height
  double right, floor;
  std::vector<double> half; ///< of the height at each station
  Band(const Route& route, int width, int height) : right(width - 14), floor(height - 4) {
    for (const Station& s : route.stations) half.push_back(halfBand(s.share, full));
  }
  size_t stations() const { return half.size(); }
  double x(size_t station) const { return left + (right - left) * double(station) / double(stations()); }
  double edge(size_t station) const { return ceiling + 2 * half[station]; }
};

// In the warm of light, paler where less is left.
void drawBand(QPainter& p, const Band& b) {
  QPainterPath band;
  band.moveTo(b.left, b.ceiling);
  band.lineTo(b.right, b.ceiling);
  band.lineTo(b.right, b.edge(b.stations() - 1));
  for (size_t i = b.stations() - 1; i > 0; --i) {
    const double at = b.x(i), before = at - 46;
    band.lineTo(at, b.edge(i));
    band.cubicTo(at - 22, b.edge(i), before + 22, b.edge(i - 1), before, b.edge(i - 1));
  }
  band.lineTo(b.left, b.edge(0));
  band.closeSubpath();
  QLinearGradient fade(b.left, 0, b.right, 0);
  fade.setColorAt(0, QColor(0x8d, 0x80, 0x66));
  fade.setColorAt(1, QColor(0x62, 0x5a, 0x4b));
  p.fillPath(band, fade);
}

// What falls away before a station, darker, down to the floor.
void drawLosses(QPainter& p, const Band& b) {
  for (size_t i = 1; i < b.stations(); ++i) {
    const double lost = b.edge(i - 1) - b.edge(i);
    if (lost < 1.5) continue;
    const double at = b.x(i), from = at - 46;
    QPainterPath drop;
    drop.moveTo(from, b.edge(i - 1) - lost);
    drop.cubicTo(from + 22, b.edge(i - 1) - lost, at - 16, b.edge(i) + 4, at - 6, b.floor);
    drop.lineTo(at - 6 - std::min(lost, 34.0), b.floor);
    drop.cubicTo(at - 22 - std::min(lost, 34.0), b.edge(i - 1) + 6, from + 8, b.edge(i - 1), from - 18, b.edge(i - 1));
    drop.closeSubpath();
    QLinearGradient dark(0, b.ceiling, 0, b.floor);
    dark.setColorAt(0, QColor(0x4a, 0x45, 0x3c));
    dark.setColorAt(1, QColor(0x2b, 0x2a, 0x28));
    p.fillPath(drop, dark);
  }
}

// How many stops the band's height stands for.
void drawScale(QPainter& p, const Band& b) {
  p.setPen(theme::faint);
  p.setFont(theme::font(9));
  for (int s = 0; s <= 8; s += 2) {
    const double y = b.ceiling + 2 * b.full * (1 - s / 8.0);
    p.drawLine(QPointF(b.right + 2, y), QPointF(b.right + (s % 4 ? 4 : 7), y));
  }
  p.drawText(QRectF(b.right - 96, b.ceiling + 2 * b.full + 1, 104, 12), Qt::AlignRight,
             RouteView::tr("8 stops down is no light"));
}

QString lossText(const Station& s) {
  QString lost;
  for (size_t k = 0; k < std::min<size_t>(2, s.losses.size()); ++k)
    if (s.losses[k].share > 0.005)
      lost += (k ? QStringLiteral(", ") : QString()) +
              (s.losses[k].thing ? RouteView::tr("%1 takes %2 %") : RouteView::tr("%2 % %1"))
                  .arg(qs(s.losses[k].by))
                  .arg(100 * s.losses[k].share, 0, 'f', 0);
  return lost;
}

} // namespace

void RouteView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(rect(), theme::panel);
  p.fillRect(0, 0, width(), 1, QColor(0x15, 0x15, 0x15));
  m_links.clear();
  m_whole.clear();
  const auto& image = m_studio.image();
  const Node* n = m_studio.doc().find(m_studio.effect());
  p.setFont(theme::font(12));
  if (!n || !image || !image->route || image->route->effect != n->id) {
    p.setPen(theme::dim);
    p.drawText(rect().adjusted(16, 0, -16, 0), Qt::AlignVCenter | Qt::AlignLeft,
               n ? tr("Measuring the route of %1…").arg(qs(n->name))
                 : tr("The route of an effect's light is shown here, measured, as soon as there is one. Add a glow "
                      "under Effects."));
    return;
  }
  if (n->kind->param("on") && !Params(*n, m_studio.frame()).flag("on")) return drawOff(p, *n);
  const Route& route = *image->route;
  if (m_folded) return drawLine(p, *n, route);
  const Band band(route, width(), height());
  drawLosses(p, band);
  drawBand(p, band);
  drawScale(p, band);
  for (size_t i = 0; i < band.stations(); ++i)
    drawStation(p, route, i, QRectF(band.x(i) + 6, 4, band.right / double(band.stations()) - 14, 16), band.edge(i),
                band.ceiling);
  drawFindings(p, route, band.left + 6, band.right);
}

void RouteView::drawOff(QPainter& p, const Node& effect) {
  p.setPen(theme::dim);
  const QString text = tr("%1 is off: none of its light is in the picture.").arg(qs(effect.name));
  const int w = p.fontMetrics().horizontalAdvance(text);
  p.drawText(rect().adjusted(16, 0, -16, 0), Qt::AlignVCenter | Qt::AlignLeft, text);
  p.setPen(theme::accent);
  const Mend on{"Switch it on", {{effect.name + ".on", "on"}}};
  const QRect where(24 + w, height() / 2 - 9, p.fontMetrics().horizontalAdvance(qs(on.text)) + 10, 18);
  p.drawText(where, Qt::AlignVCenter | Qt::AlignLeft, qs(on.text));
  m_links.push_back({where, on, 0});
}

// Folded: one line of words.
void RouteView::drawLine(QPainter& p, const Node& effect, const Route& route) {
  QString line = qs(effect.name) + QStringLiteral(": ");
  for (size_t i = 0; i < route.stations.size(); ++i)
    line += (i ? QStringLiteral("  →  ") : QString()) + qs(route.stations[i].reading);
  p.setPen(route.findings.empty() ? theme::dim : toneOf(route.findings.front().weight));
  if (!route.findings.empty()) line += QStringLiteral("   ") + qs(route.findings.front().text);
  p.drawText(rect().adjusted(16, 0, -16, 0), Qt::AlignVCenter | Qt::AlignLeft,
             p.fontMetrics().elidedText(line, Qt::ElideRight, width() - 32));
}

// `head`: where its label stands; the band ends at `edge` there.
void RouteView::drawStation(QPainter& p, const Route& route, size_t index, const QRectF& head, double edge,
                            double ceiling) {
  const Station& s = route.stations[index];
  const double at = head.left(), w = head.width();
  const auto worst = std::find_if(route.findings.begin(), route.findings.end(), [&](const Finding& f) {
    return f.role == s.role && f.weight != Finding::Weight::Note;
  });
  const QColor name = worst == route.findings.end() ? theme::text : toneOf(worst->weight);
  // Words stand on the band where it is wide enough for them, else on the ground beside it: its edge never runs through
  // them.
  const auto words = [&](const QRectF& where, const QString& text, const QColor& on, const QColor& beside) {
    const QString cut = p.fontMetrics().elidedText(text, Qt::ElideRight, int(where.width()));
    if (cut != text) m_whole.push_back({where.toRect(), text});
    const bool onBand = edge >= where.bottom();
    if (!onBand && edge > where.top() - 1)
      p.fillRect(QRectF(where.left() - 3, where.top(),
                        std::min(where.width(), double(p.fontMetrics().horizontalAdvance(cut))) + 6, where.height()),
                 theme::panel);
    p.setPen(onBand ? on : beside);
    p.drawText(where, Qt::AlignLeft | Qt::AlignVCenter, cut);
  };
  const QColor pale(0xe4, 0xdc, 0xcc);
  p.setFont(theme::font(11));
  p.setPen(theme::dim);
  p.drawText(head, Qt::AlignLeft | Qt::AlignVCenter, qs(s.label));
  p.setFont(theme::font(12, 600));
  words(QRectF(at, ceiling + 3, w, 17), qs(s.name), name, name);
  p.setFont(theme::font(11));
  words(QRectF(at, ceiling + 20, w, 15), qs(s.reading), pale, theme::dim);
  if (s.losses.empty() || s.losses.front().share <= 0.005) return;
  const QRect where(int(at), int(ceiling) + 36, int(w), 15);
  words(where, lossText(s), pale, theme::dim);
  if (s.losses.front().thing) m_links.push_back({where, {}, s.losses.front().thing});
}

// With their mends, worst first, on the floor line.
void RouteView::drawFindings(QPainter& p, const Route& route, double left, double right) {
  double x = left;
  const double y = height() - 21;
  p.setFont(theme::font(11));
  const QFontMetrics fm = p.fontMetrics();
  for (const Finding& f : route.findings) {
    const QString text = qs(f.text) + (f.mends.empty() ? QString() : QStringLiteral("."));
    const double need = fm.horizontalAdvance(text) + 8, reserved = f.mends.empty() ? 0 : 120;
    if (x > left + 1 && x + need > right - 20) break;
    p.fillRect(QRectF(x - 3, y, std::min(need, right - x), 17), theme::panel);
    p.setPen(toneOf(f.weight));
    const QRectF place(x, y, std::max(10.0, right - x), 17);
    const QString cut = fm.elidedText(text, Qt::ElideRight, int(right - x - reserved));
    if (cut != text) m_whole.push_back({place.toRect(), text});
    p.drawText(place, Qt::AlignLeft | Qt::AlignVCenter, cut);
    x += std::min(need, right - (left - 6) - reserved);
    for (const Mend& m : f.mends) {
      const QString label = qs(m.text);
      const int w = fm.horizontalAdvance(label) + 10;
      if (x + w > right) break;
      const QRect where(int(x), int(y), w, 17);
      p.fillRect(where.adjusted(-2, 0, 2, 0), theme::panel);
      const int index = int(m_links.size());
      p.setPen(theme::accent);
      p.drawText(where, Qt::AlignLeft | Qt::AlignVCenter, label);
      if (m_hot == index || (hasFocus() && m_focus == index))
        p.drawLine(where.left(), where.bottom() - 1, where.right() - 10, where.bottom() - 1);
      m_links.push_back({where, m, 0});
      x += w + 6;
    }
    x += 8;
  }
}

QString RouteView::spokenValue() const {
  const auto& image = m_studio.image();
  if (!image || !image->route || image->route->effect != m_studio.effect()) return tr("no route is measured yet");
  QStringList lines;
  for (const Station& s : image->route->stations) {
    QString line = QStringLiteral("%1: %2").arg(qs(s.label), qs(s.name));
    if (!s.reading.empty()) line += QStringLiteral(", ") + qs(s.reading);
    if (const QString lost = lossText(s); !lost.isEmpty()) line += QStringLiteral(", ") + lost;
    lines << line;
  }
  for (const Finding& f : image->route->findings) {
    QStringList mends;
    for (const Mend& m : f.mends) mends << qs(m.text);
    lines << (mends.isEmpty() ? qs(f.text) : tr("%1. To mend it: %2").arg(qs(f.text), mends.join(tr(", or "))));
  }
  return lines.join(QStringLiteral("; "));
}

void RouteView::run(const Link& link) {
  if (link.select) return m_studio.select({link.select});
  const Mend m = link.mend;
  m_studio.edit(qs(m.text), [&](const Document& d) { return applyMend(d, m); });
}

void RouteView::mousePressEvent(QMouseEvent* e) {
  setFocus();
  for (const Link& l : m_links)
    if (l.where.contains(e->pos())) {
      const Link copy = l;
      return run(copy);
    }
}

bool RouteView::event(QEvent* e) {
  if (e->type() == QEvent::ToolTip) {
    auto* help = static_cast<QHelpEvent*>(e);
    for (const auto& [where, text] : m_whole)
      if (where.contains(help->pos())) {
        QToolTip::showText(help->globalPos(), text, this, where);
        return true;
      }
    QToolTip::hideText();
    return true;
  }
  return QWidget::event(e);
}

void RouteView::mouseMoveEvent(QMouseEvent* e) {
  int hot = -1;
  for (size_t i = 0; i < m_links.size(); ++i)
    if (m_links[i].where.contains(e->pos())) hot = int(i);
  setCursor(hot >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
  if (hot != m_hot) {
    m_hot = hot;
    update();
  }
}

void RouteView::keyPressEvent(QKeyEvent* e) {
  const int n = int(m_links.size());
  if (n && (e->key() == Qt::Key_Left || e->key() == Qt::Key_Right)) {
    m_focus = (m_focus + (e->key() == Qt::Key_Right ? 1 : n - 1)) % n;
    return update();
  }
  if (n && (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter || e->key() == Qt::Key_Space)) {
    const Link copy = m_links[size_t(std::clamp(m_focus, 0, n - 1))];
    return run(copy);
  }
  QWidget::keyPressEvent(e);
}

} // namespace ilumbra
