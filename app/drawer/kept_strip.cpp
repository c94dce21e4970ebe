#include "app/drawer/kept_strip.h"

#include "app/drawer/motion_chart.h"
#include "app/theme.h"

#include <cmath>
#include <QMouseEvent>
#include <QPainter>
#include <QTimer>

namespace ilumbra {

KeptStrip::KeptStrip(Studio& studio, const MotionChart& chart, QWidget* parent)
    : QWidget(parent), m_studio(studio), m_chart(chart), m_state(studio.session().kept()) {
  setAccessibleName(tr("Frames kept for playing"));
  setFixedHeight(22);
  m_timer = new QTimer(this);
  connect(m_timer, &QTimer::timeout, this, &KeptStrip::look);
  m_timer->start(250);
  connect(&studio, &Studio::viewChanged, this, [this] { update(); });
  connect(&studio, &Studio::documentChanged, this, [this] { update(); });
}

void KeptStrip::look() {
  if (!isVisible()) return;
  const auto state = m_studio.session().kept();
  if (state->change == m_state->change) return;
  m_state = state;
  const auto [first, last] = m_studio.playRange();
  const auto there = int(std::distance(m_state->quality.lower_bound(first), m_state->quality.upper_bound(last)));
  if (m_state->full && !m_told)
    m_studio.tell(tr("%1 MiB hold %2 of %3 frames: make the picture smaller, or play a shorter range")
                      .arg(m_state->limit >> 20)
                      .arg(there)
                      .arg(int(last - first) + 1),
                  true);
  m_told = m_state->full;
  QStringList live;
  for (const std::string& n : m_state->live) live << qs(n);
  setToolTip(m_state->quality.empty()
                 ? tr("No frame is kept yet: render ahead, or go to frames")
                 : tr("%1\nBalanced while they play: %2; all other light is folded together")
                       .arg(spokenValue(), live.isEmpty() ? tr("nothing") : live.join(QStringLiteral(", "))));
  update();
  spokenChanged(this);
}

QString KeptStrip::spokenValue() const {
  const auto [first, last] = m_studio.playRange();
  const auto there = std::distance(m_state->quality.lower_bound(first), m_state->quality.upper_bound(last));
  return tr("%1 of %2 frames kept, %3 of %4 MiB")
      .arg(there)
      .arg(int(last - first) + 1)
      .arg((m_state->bytes + (size_t(1) << 19)) >> 20)
      .arg(m_state->limit >> 20);
}

void KeptStrip::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const auto [first, last] = m_studio.playRange();
  const double left = m_chart.xOf(first), right = m_chart.xOf(last);
  const QRectF band(left, 6, std::max(2.0, right - left), 9);
  const double frame = std::max(1.0, band.width() / std::max(1.0, last - first + 1));
  // All is hatched, and clears where frames are.
  p.save();
  p.setClipRect(band);
  for (double f = first; f <= last; ++f) {
    const auto it = m_state->quality.find(f);
    const double quality = it == m_state->quality.end() ? 0 : double(it->second);
    const QRectF at(left + (f - first) * frame, band.top(), frame, band.height());
    if (quality > 0) p.fillRect(at, QColor(0xb3, 0xa0, 0x7a, int(40 + 130 * quality)));
    if (quality >= 0.8) continue;
    p.save();
    p.setClipRect(at, Qt::IntersectClip);
    p.setPen(QPen(QColor(0x8d, 0x80, 0x68, int(170 * (1 - quality))), 1));
    for (double x = std::floor((at.left() - 12) / 5) * 5; x < at.right(); x += 5)
      p.drawLine(QPointF(x, band.bottom()), QPointF(x + band.height(), band.top()));
    p.restore();
  }
  p.restore();
  p.setPen(theme::tick);
  p.setBrush(Qt::NoBrush);
  p.drawRect(band.adjusted(0.5, 0.5, -0.5, -0.5));
  p.setFont(theme::font(11));
  p.setPen(theme::dim);
  p.drawText(QRectF(12, 0, std::max(0.0, left - 20), height()), Qt::AlignLeft | Qt::AlignVCenter,
             tr("kept for playing"));
  p.drawText(QRectF(right + 12, 0, std::max(0.0, width() - right - 14), height()), Qt::AlignLeft | Qt::AlignVCenter,
             tr("%1 of %2 MiB").arg((m_state->bytes + (size_t(1) << 19)) >> 20).arg(m_state->limit >> 20));
}

void KeptStrip::mousePressEvent(QMouseEvent* e) {
  const auto [first, last] = m_studio.playRange();
  const double left = m_chart.xOf(first), right = m_chart.xOf(last);
  if (e->position().x() < left - 4 || e->position().x() > right + 4) return;
  m_studio.setFrame(std::clamp(
      first + std::round((e->position().x() - left) / std::max(1.0, right - left) * (last - first)), first, last));
}

void KeptStrip::mouseMoveEvent(QMouseEvent* e) {
  if (e->buttons() & Qt::LeftButton) mousePressEvent(e);
}

} // namespace ilumbra
