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
  connect(&studio, &Studio::imageArrived, this, [this] { update(); });
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

void RouteView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(rect(), theme::panel);
  p.fillRect(0, 0, width(), 1, QColor(0x15, 0x15, 0x15));
  m_links.clear();
  m_whole.clear();
  const auto& image = m_studio.image();
  const NodeId effect = m_studio.effect();
  const Node* n = m_studio.doc().find(effect);
  p.setFont(theme::font(12));
  if (!n || !image || !image->route || image->route->effect != effect) {
    p.setPen(theme::dim);
    p.drawText(rect().adjusted(16, 0, -16, 0), Qt::AlignVCenter | Qt::AlignLeft,
               n ? tr("Measuring the route of %1…").arg(qs(n->name))
                 : tr("The route of an effect's light is shown here, measured, as soon as there is one. Add a glow "
                      "under Effects."));
    return;
  }
  if (n->kind->param("on") && !Params(*n, m_studio.frame()).flag("on")) {
    p.setPen(theme::dim);
    const QString text = tr("%1 is off: none of its light is in the picture.").arg(qs(n->name));
    const int w = p.fontMetrics().horizontalAdvance(text);
    p.drawText(rect().adjusted(16, 0, -16, 0), Qt::AlignVCenter | Qt::AlignLeft, text);
    p.setPen(theme::accent);
    const Mend on{"Switch it on", {{n->name + ".on", "on"}}};
    const QRect where(24 + w, height() / 2 - 9, p.fontMetrics().horizontalAdvance(qs(on.text)) + 10, 18);
    p.drawText(where, Qt::AlignVCenter | Qt::AlignLeft, qs(on.text));
    m_links.push_back({where, on, 0});
    return;
  }
  const Route& route = *image->route;
  const auto tone = [](Finding::Weight w) {
    return w == Finding::Weight::Broken ? theme::rose : w == Finding::Weight::Weak ? theme::amber : theme::dim;
  };
  if (m_folded) {
    QString line = qs(n->name) + QStringLiteral(": ");
    for (size_t i = 0; i < route.stations.size(); ++i)
      line += (i ? QStringLiteral("  →  ") : QString()) + qs(route.stations[i].reading);
    p.setPen(route.findings.empty() ? theme::dim : tone(route.findings.front().weight));
    if (!route.findings.empty()) line += QStringLiteral("   ") + qs(route.findings.front().text);
    p.drawText(rect().adjusted(16, 0, -16, 0), Qt::AlignVCenter | Qt::AlignLeft,
               p.fontMetrics().elidedText(line, Qt::ElideRight, width() - 32));
    return;
  }
  const int stations = int(route.stations.size());
  const double left = 10, right = width() - 14, top = 22, full = 25, middle = top + 4 + full;
  const auto x = [&](int i) { return left + (right - left) * (i == 0 ? 0 : double(i) / stations); };
  std::vector<double> half;
  for (const Station& s : route.stations) half.push_back(halfBand(s.share, full));
  // The band, in the warm of light, paler where less is left. The tops stay on one line, so that what is lost falls.
  const double ceiling = middle - full;
  QPainterPath band;
  band.moveTo(x(0), ceiling);
  band.lineTo(right, ceiling);
  band.lineTo(right, ceiling + 2 * half.back());
  for (int i = stations - 1; i > 0; --i) {
    const double at = x(i), before = at - 46;
    band.lineTo(at, ceiling + 2 * half[size_t(i)]);
    band.cubicTo(at - 22, ceiling + 2 * half[size_t(i)], before + 22, ceiling + 2 * half[size_t(i) - 1], before,
                 ceiling + 2 * half[size_t(i) - 1]);
  }
  band.lineTo(x(0), ceiling + 2 * half.front());
  band.closeSubpath();
  QLinearGradient fade(x(0), 0, right, 0);
  fade.setColorAt(0, QColor(0x8d, 0x80, 0x66));
  fade.setColorAt(1, QColor(0x62, 0x5a, 0x4b));
  // What falls away before a station, darker, down to the floor.
  const double floor = height() - 4;
  for (int i = 1; i < stations; ++i) {
    const double lost = 2 * (half[size_t(i) - 1] - half[size_t(i)]);
    if (lost < 1.5) continue;
    const double at = x(i), from = at - 46;
    QPainterPath drop;
    drop.moveTo(from, ceiling + 2 * half[size_t(i) - 1] - lost);
    drop.cubicTo(from + 22, ceiling + 2 * half[size_t(i) - 1] - lost, at - 16, ceiling + 2 * half[size_t(i)] + 4,
                 at - 6, floor);
    drop.lineTo(at - 6 - std::min(lost, 34.0), floor);
    drop.cubicTo(at - 22 - std::min(lost, 34.0), ceiling + 2 * half[size_t(i) - 1] + 6, from + 8,
                 ceiling + 2 * half[size_t(i) - 1], from - 18, ceiling + 2 * half[size_t(i) - 1]);
    drop.closeSubpath();
    QLinearGradient dark(0, ceiling, 0, floor);
    dark.setColorAt(0, QColor(0x4a, 0x45, 0x3c));
    dark.setColorAt(1, QColor(0x2b, 0x2a, 0x28));
    p.fillPath(drop, dark);
  }
  p.fillPath(band, fade);
  // The scale: how many stops the band's height stands for.
  p.setPen(theme::faint);
  p.setFont(theme::font(9));
  for (int s = 0; s <= 8; s += 2) {
    const double y = ceiling + 2 * full * (1 - s / 8.0);
    p.drawLine(QPointF(right + 2, y), QPointF(right + (s % 4 ? 4 : 7), y));
  }
  p.drawText(QRectF(right - 96, ceiling + 2 * full + 1, 104, 12), Qt::AlignRight, tr("8 stops down is no light"));
  for (int i = 0; i < stations; ++i) {
    const Station& s = route.stations[size_t(i)];
    const double at = x(i) + 6, w = right / stations - 14;
    const Finding* worst = nullptr;
    for (const Finding& f : route.findings)
      if (f.role == s.role && !worst && f.weight != Finding::Weight::Note) worst = &f;
    p.setFont(theme::font(11));
    p.setPen(theme::dim);
    p.drawText(QRectF(at, 4, w, 16), Qt::AlignLeft | Qt::AlignVCenter, qs(s.label));
    // Words stand on the band where it is wide enough for them, else on the ground beside it: its edge never runs
    // through them.
    const double edge = ceiling + 2 * half[size_t(i)];
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
    p.setFont(theme::font(12, 600));
    words(QRectF(at, ceiling + 3, w, 17), qs(s.name), worst ? tone(worst->weight) : theme::text,
          worst ? tone(worst->weight) : theme::text);
    p.setFont(theme::font(11));
    words(QRectF(at, ceiling + 20, w, 15), qs(s.reading), QColor(0xe4, 0xdc, 0xcc), theme::dim);
    if (!s.losses.empty() && s.losses.front().share > 0.005) {
      QString lost;
      for (size_t k = 0; k < std::min<size_t>(2, s.losses.size()); ++k)
        if (s.losses[k].share > 0.005)
          lost += (k ? QStringLiteral(", ") : QString()) + (s.losses[k].thing ? tr("%1 takes %2 %") : tr("%2 % %1"))
                                                               .arg(qs(s.losses[k].by))
                                                               .arg(100 * s.losses[k].share, 0, 'f', 0);
      const QRect where(int(at), int(ceiling) + 36, int(w), 15);
      words(where, lost, QColor(0xe4, 0xdc, 0xcc), theme::dim);
      if (s.losses.front().thing) m_links.push_back({where, {}, s.losses.front().thing});
    }
  }
  // Findings with their mends, worst first, on the floor line.
  double fx = x(0) + 6;
  const double fy = height() - 21;
  p.setFont(theme::font(11));
  const QFontMetrics fm = p.fontMetrics();
  for (const Finding& f : route.findings) {
    const QString text = qs(f.text) + (f.mends.empty() ? QString() : QStringLiteral("."));
    double need = fm.horizontalAdvance(text) + 8;
    if (fx > x(0) + 7 && fx + need > right - 20) break;
    p.fillRect(QRectF(fx - 3, fy, std::min(need, right - fx), 17), theme::panel);
    p.setPen(tone(f.weight));
    const QString cut = fm.elidedText(text, Qt::ElideRight, int(right - fx - (f.mends.empty() ? 0 : 120)));
    if (cut != text) m_whole.push_back({QRectF(fx, fy, std::max(10.0, right - fx), 17).toRect(), text});
    p.drawText(QRectF(fx, fy, std::max(10.0, right - fx), 17), Qt::AlignLeft | Qt::AlignVCenter, cut);
    fx += std::min(need, right - x(0) - (f.mends.empty() ? 0 : 120));
    for (const Mend& m : f.mends) {
      const QString label = qs(m.text);
      const int w = fm.horizontalAdvance(label) + 10;
      if (fx + w > right) break;
      const QRect where(int(fx), int(fy), w, 17);
      p.fillRect(where.adjusted(-2, 0, 2, 0), theme::panel);
      const int index = int(m_links.size());
      p.setPen(theme::accent);
      p.drawText(where, Qt::AlignLeft | Qt::AlignVCenter, label);
      if (m_hot == index || (hasFocus() && m_focus == index))
        p.drawLine(where.left(), where.bottom() - 1, where.right() - 10, where.bottom() - 1);
      m_links.push_back({where, m, 0});
      fx += w + 6;
    }
    fx += 8;
  }
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
