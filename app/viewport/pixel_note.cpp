#include "app/viewport/pixel_note.h"

#include "app/theme.h"
#include "app/viewport/picture_bar.h"
#include "core/base/colorspace.h"
#include "core/base/error.h"

#include <QGridLayout>
#include <QLabel>
#include <QPointer>
#include <QToolButton>
#include <QVBoxLayout>

namespace ilumbra {

PixelNote::PixelNote(Studio& studio, QWidget* parent) : QFrame(parent), m_studio(studio) {
  setAutoFillBackground(true);
  QPalette pal = palette();
  pal.setColor(QPalette::Window, theme::raised);
  setPalette(pal);
  m_column = new QVBoxLayout(this);
  m_column->setContentsMargins(10, 8, 10, 8);
  setAccessibleName(tr("Reading of a pixel"));
  hide();
}

void PixelNote::ask(int x, int y, const QPoint& at) {
  m_at = at;
  m_answered = false;
  const uint64_t number = ++m_asked;
  m_studio.session().run([self = QPointer<PixelNote>(this), send = m_studio.sender(), number, x,
                          y](const Session::State* s, const std::string&) {
    if (!s) return;
    try {
      const PixelReading r = askPixel(s->doc, currentFrame(s->doc), s->rendering.scene(), s->rendering.film(),
                                      s->groupScales, s->developed, x, y);
      send([self, number, r, x, y] {
        // An answer to an older question is of no use any more.
        if (self && self->m_asked == number) self->show(r, x, y);
      });
    } catch (const Error&) {
      // Outside the picture there is nothing to read.
    }
  });
}

void PixelNote::show(const PixelReading& r, int x, int y) {
  m_reading = r;
  m_answered = true;
  delete m_body;
  m_body = new QWidget(this);
  auto* grid = new QGridLayout(m_body);
  grid->setContentsMargins(0, 0, 0, 0);
  grid->setHorizontalSpacing(14);
  grid->setVerticalSpacing(1);
  int row = 0;
  const auto line = [&](const QString& left, const QString& right, bool strong = false) {
    auto* a = new QLabel(left, m_body);
    auto* b = new QLabel(right, m_body);
    a->setStyleSheet(strong ? QStringLiteral("color: #e9e4db") : QStringLiteral("color: #9a968f"));
    b->setAlignment(Qt::AlignRight);
    grid->addWidget(a, row, 0);
    grid->addWidget(b, row++, 1);
  };
  const auto head = [&](const QString& text) {
    auto* l = new QLabel(text, m_body);
    l->setFont(theme::font(11, 600));
    l->setStyleSheet(QStringLiteral("color: #b5b0a7; padding: 5px 0 1px 0"));
    grid->addWidget(l, row++, 0, 1, 2);
  };
  const Color c = rec709FromAcescg(r.value);
  line(tr("Pixel %1, %2").arg(x).arg(y),
       r.luminance > 0 ? tr("%1%2 stops from middle grey")
                             .arg(r.stops >= 0 ? QStringLiteral("+") : QStringLiteral("−"))
                             .arg(std::abs(r.stops), 0, 'f', 1)
                       : tr("black"),
       true);
  line(
      tr("Red, green, blue"),
      QStringLiteral("%1  %2  %3").arg(double(c.x), 0, 'g', 3).arg(double(c.y), 0, 'g', 3).arg(double(c.z), 0, 'g', 3));
  line(tr("Luminance before the lens"), tr("%1 cd/m²").arg(r.candelas, 0, 'g', 3));
  if (r.depth > 0) line(tr("Distance"), tr("%1 m").arg(double(r.depth), 0, 'f', 2));
  Contributor::As as = Contributor::As::Stage;
  bool first = true;
  int shown = 0;
  for (const Contributor& k : r.contributors) {
    const bool seen = k.as == Contributor::As::Seen;
    if (first || seen != (as == Contributor::As::Seen)) {
      head(seen ? tr("What is seen there") : tr("Where its light comes from"));
      shown = 0;
    }
    first = false;
    as = k.as;
    if (++shown > 6 || k.share < 0.0005) continue;
    auto* b = flatButton(m_body, qs(k.name), tr("Goes to %1").arg(qs(k.name)), "accent");
    b->setStyleSheet(QStringLiteral("QToolButton { padding: 0; font-weight: 500; border: none; }"));
    b->setFixedHeight(18);
    const NodeId node = k.node;
    connect(
        b, &QToolButton::clicked, this,
        [this, node] {
          if (m_studio.doc().find(node)) m_studio.select({node});
        },
        Qt::QueuedConnection);
    auto* share = new QLabel(tr("%1 %").arg(100 * k.share, 0, 'f', k.share < 0.0995 ? 1 : 0), m_body);
    share->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    grid->addWidget(b, row, 0, Qt::AlignLeft | Qt::AlignVCenter);
    grid->addWidget(share, row++, 1);
  }
  m_column->addWidget(m_body);
  m_body->show();
  m_column->activate();
  resize(sizeHint());
  // Beside the pointer, inside the picture.
  const QSize room = parentWidget()->size();
  QPoint p = m_at + QPoint(16, 12);
  if (p.x() + width() > room.width()) p.setX(std::max(0, m_at.x() - 16 - width()));
  if (p.y() + height() > room.height()) p.setY(std::max(0, room.height() - height()));
  move(p);
  QFrame::show();
  raise();
}

} // namespace ilumbra
