#include "app/drawer/readings_panel.h"

#include "app/drawer/drawer.h"
#include "app/theme.h"
#include "app/viewport/picture_bar.h"
#include "core/display/view.h"
#include "core/image/resample.h"

#include <cmath>
#include <QApplication>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QPainter>
#include <QPointer>
#include <QStyledItemDelegate>
#include <QTimer>
#include <QToolButton>

namespace ilumbra {

namespace {

constexpr int weightRole = Qt::UserRole, mendRole = Qt::UserRole + 1;

QColor colorOf(int weight) {
  return weight == int(Finding::Weight::Broken) ? theme::rose
         : weight == int(Finding::Weight::Weak) ? theme::amber
         : weight < 0                           ? theme::dim
                                                : theme::text;
}

// A sentence, and its mend behind it.
class LineDelegate : public QStyledItemDelegate {
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override { return {200, 21}; }
  void paint(QPainter* p, const QStyleOptionViewItem& o, const QModelIndex& i) const override {
    const QRect r = o.rect;
    if (o.state & QStyle::State_Selected) p->fillRect(r, theme::selected);
    p->setFont(theme::font(12));
    const QString mend = i.data(mendRole).toString();
    const int mendWidth = mend.isEmpty() ? 0 : std::min(p->fontMetrics().horizontalAdvance(mend) + 8, r.width() / 2);
    p->setPen(colorOf(i.data(weightRole).toInt()));
    const int room = r.width() - mendWidth - 20;
    const QString text = p->fontMetrics().elidedText(i.data().toString(), Qt::ElideRight, room);
    p->drawText(r.adjusted(8, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter, text);
    if (mend.isEmpty()) return;
    p->setPen(theme::accent);
    const int at = std::min(8 + p->fontMetrics().horizontalAdvance(text) + 16, r.width() - mendWidth);
    p->drawText(r.adjusted(at, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter,
                p->fontMetrics().elidedText(mend, Qt::ElideRight, r.width() - at));
  }
};

} // namespace

/// The halo from its core outwards, in stops, and below it how the picture's pixels lie from dark to bright.
class HaloChart : public QWidget {
 public:
  using QWidget::QWidget;
  void show(const Readings* now, const Readings* other, const QString& name) {
    m_now = now ? std::optional(*now) : std::nullopt;
    m_other = other ? std::optional(*other) : std::nullopt;
    m_name = name;
    update();
  }

 protected:
  void paintEvent(QPaintEvent*) override {
    QPainter p(this);
    p.setFont(theme::font(10));
    if (!m_now) return;
    const int left = 44, foot = 46;
    const QRectF r(left, 8, width() - left - 12, std::max(24, height() - 8 - foot));
    // Four stops a line, from what is least to what is most.
    double least = -4, most = 4;
    const auto widen = [&](const std::optional<Readings>& of) {
      if (!of || of->halo.empty()) return;
      for (const V2f& q : of->halo.front().profile) {
        least = std::min(least, std::max(-12.0, double(q.y)));
        most = std::max(most, double(q.y));
      }
    };
    widen(m_now);
    widen(m_other);
    least = 4 * std::floor(least / 4);
    most = 4 * std::ceil(most / 4);
    const auto y = [&](double stops) {
      return r.bottom() - (std::max(stops, least) - least) / (most - least) * r.height();
    };
    for (double s = least; s <= most; s += 4) {
      p.setPen(s == 0 ? theme::tick : theme::line);
      p.drawLine(QPointF(r.left(), y(s)), QPointF(r.right(), y(s)));
      p.setPen(theme::dim);
      p.drawText(QRectF(0, y(s) - 8, left - 6, 16), Qt::AlignRight | Qt::AlignVCenter,
                 s == 0 ? QObject::tr("white") : QString::number(s));
    }
    constexpr double out = 0.2;
    p.setRenderHint(QPainter::Antialiasing);
    const auto line = [&](const Readings& of, const QPen& pen) {
      if (of.halo.empty()) return;
      QPolygonF path;
      for (const V2f& q : of.halo.front().profile)
        path << QPointF(r.left() + std::min(1.0, double(q.x) / out) * r.width(), y(double(q.y)));
      p.setPen(pen);
      p.drawPolyline(path);
    };
    if (m_other) {
      line(*m_other, QPen(theme::dim, 1.25, Qt::DashLine));
      p.setPen(theme::dim);
      p.drawText(r.adjusted(0, 2, -4, 0), Qt::AlignRight | Qt::AlignTop, QObject::tr("dashed: %1").arg(m_name));
    }
    line(*m_now, QPen(theme::accent, 1.5));
    p.setRenderHint(QPainter::Antialiasing, false);
    p.setPen(theme::dim);
    p.drawText(QRectF(r.left(), r.bottom() + 1, r.width(), 14), Qt::AlignLeft | Qt::AlignVCenter,
               m_now->halo.empty() ? QObject::tr("nothing stands out that could have a halo")
                                   : QObject::tr("stops, from the core outwards to 20 % of the height"));
    // The histogram: what is beyond white in the tone of light.
    const QRectF h(r.left(), r.bottom() + 18, r.width(), foot - 22);
    double tallest = 1e-6;
    for (const double v : m_now->histogram) tallest = std::max(tallest, v);
    const size_t n = m_now->histogram.size();
    for (size_t k = 0; k < n; ++k) {
      const double w = h.width() / double(n), high = std::sqrt(m_now->histogram[k] / tallest) * h.height();
      const bool above = int(k) + Readings::lowest >= 0;
      p.fillRect(QRectF(h.left() + double(k) * w, h.bottom() - high, w - 1, high),
                 above ? QColor(0xe3, 0xc9, 0x8f) : QColor(0x74, 0x68, 0x54));
    }
    p.setPen(theme::line);
    p.drawLine(h.bottomLeft(), h.bottomRight());
    p.setPen(theme::dim);
    p.drawText(QRectF(0, h.top(), left - 6, h.height()), Qt::AlignRight | Qt::AlignVCenter, QObject::tr("pixels"));
  }

 private:
  std::optional<Readings> m_now, m_other;
  QString m_name;
};

ReadingsPanel::ReadingsPanel(Studio& studio, QWidget* parent) : QWidget(parent), m_studio(studio) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(8, 2, 8, 4);
  auto* left = new QVBoxLayout;
  left->setSpacing(0);
  auto* head = new QHBoxLayout;
  m_verdict = new QLabel(tr("The picture is read once there is one"), this);
  m_verdict->setFont(theme::font(13, 600));
  m_verdict->setContentsMargins(8, 0, 0, 2);
  head->addWidget(m_verdict);
  left->addLayout(head);
  m_list = new QListWidget(this);
  m_list->setItemDelegate(new LineDelegate(m_list));
  m_list->setAccessibleName(tr("Readings"));
  m_list->setToolTip(tr("Worst first. Press a mend, or Return, to take it; it is one step of undo"));
  m_list->setFrameShape(QFrame::NoFrame);
  left->addWidget(m_list, 1);
  row->addLayout(left, 3);
  auto* right = new QVBoxLayout;
  right->setSpacing(0);
  auto* bar = new QHBoxLayout;
  m_head = new QLabel(this);
  m_head->setStyleSheet(QStringLiteral("color: #b5b0a7"));
  bar->addWidget(m_head, 1, Qt::AlignRight);
  m_more = flatButton(this, tr("compare…"), tr("With the readings of a proof"), "accent");
  bar->addWidget(m_more);
  right->addLayout(bar);
  m_chart = new HaloChart(this);
  right->addWidget(m_chart, 1);
  row->addLayout(right, 2);
  m_timer = new QTimer(this);
  m_timer->setSingleShot(true);
  m_timer->setInterval(400);
  connect(m_timer, &QTimer::timeout, this, &ReadingsPanel::look);
  connect(&studio, &Studio::imageArrived, this, [this] {
    if (isVisible() && !m_timer->isActive()) m_timer->start();
  });
  connect(&studio, &Studio::selectionChanged, this, [this] {
    if (isVisible()) m_timer->start();
  });
  connect(&studio, &Studio::viewChanged, this, [this] {
    if (isVisible() && !m_timer->isActive()) m_timer->start();
  });
  connect(&studio, &Studio::proofsChanged, this, [this] {
    if (m_proof && !m_studio.proof(m_proof)) compareWith(0);
  });
  connect(m_more, &QToolButton::clicked, this, &ReadingsPanel::more);
  connect(m_list, &QListWidget::itemClicked, this, [this](QListWidgetItem* i) {
    // A press on the mend itself.
    const QRect r = m_list->visualItemRect(i);
    const QString mend = i->data(mendRole).toString();
    if (!mend.isEmpty() && m_list->viewport()->mapFromGlobal(QCursor::pos()).x() > r.width() / 3)
      mendAt(m_list->row(i));
  });
  connect(m_list, &QListWidget::itemActivated, this, [this](QListWidgetItem* i) { mendAt(m_list->row(i)); });
}

void ReadingsPanel::showEvent(QShowEvent*) { look(); }

void ReadingsPanel::compareWith(int proof) {
  m_proof = proof;
  m_of.reset();
  look();
}

void ReadingsPanel::more() {
  QMenu m(this);
  QAction* none = m.addAction(tr("With nothing"));
  none->setCheckable(true);
  none->setChecked(!m_proof);
  connect(none, &QAction::triggered, this, [this] { compareWith(0); });
  for (const auto& p : m_studio.proofs()) {
    QAction* a = m.addAction(qs(p->name));
    a->setCheckable(true);
    a->setChecked(p->number == m_proof);
    connect(a, &QAction::triggered, this, [this, number = p->number] { compareWith(number); });
  }
  if (m_studio.proofs().empty()) m.addAction(tr("Keep a picture first: it becomes a proof"))->setEnabled(false);
  m.exec(m_more->mapToGlobal(QPoint(0, m_more->height())));
}

void ReadingsPanel::look() {
  const auto image = m_studio.image();
  if (!isVisible() || !image || !image->linear || image->liveWidth <= 0 || m_studio.view().playing) return;
  const Node* node = m_studio.currentNode();
  const NodeId effect = node && node->kind->family() == "effect" ? node->id : 0;
  const Region region = m_studio.view().region;
  if (m_of == image && m_effect == effect && m_region == region) return;
  if (m_studio.works().busy(QStringLiteral("readings"))) {
    m_again = true;
    return;
  }
  m_of = image;
  m_effect = effect;
  m_region = region;
  const auto proof = m_studio.proof(m_proof);
  const ScenePtr scene = m_studio.session().scene();
  const auto views = m_studio.sharedViews();
  m_studio.background(tr("Reading the picture"),
                      [self = QPointer<ReadingsPanel>(this), image, effect, region, proof, scene,
                       views](const CancelFlag&) -> std::function<void()> {
                        const auto read = [&](const Document& doc, const Picture& light, double noise,
                                              const Region& part, const Scene* seen) {
                          const std::string view = settingsOf(doc).text("view");
                          return takeReadings({.doc = doc,
                                               .frame = currentFrame(doc),
                                               .picture = light,
                                               .noise = noise,
                                               .region = part,
                                               .effect = effect && doc.find(effect) ? effect : 0,
                                               .scene = seen,
                                               .shown = [&](const Picture& p) { return views->exact(p, view); }});
                        };
                        const Picture light = image->light();
                        Region part = region;
                        if (part.width && (part.x + part.width > light.width || part.y + part.height > light.height))
                          part = {};
                        Readings now = read(image->doc, light, image->noise, part, scene.get());
                        std::optional<Readings> other;
                        if (proof) other = read(proof->doc, proof->picture(), 0, {}, nullptr);
                        return [self, now = std::move(now), other = std::move(other)] {
                          if (self) self->show(now, other);
                        };
                      },
                      {.lane = QStringLiteral("readings"), .matters = false, .told = false});
}

void ReadingsPanel::show(Readings now, std::optional<Readings> other) {
  m_readings = std::move(now);
  m_verdict->setText(qs(m_readings->verdict));
  m_verdict->setStyleSheet(QStringLiteral("color: %1").arg((m_readings->reads ? theme::text : theme::amber).name()));
  const auto proof = m_studio.proof(m_proof);
  const QString name = proof ? qs(proof->name) : QString();
  const int row = m_list->currentRow();
  m_list->clear();
  const auto line = [&](const QString& text, int weight, const QString& mend) {
    auto* i = new QListWidgetItem(text, m_list);
    i->setData(weightRole, weight);
    i->setData(mendRole, mend);
    i->setToolTip(mend.isEmpty() ? text : text + QStringLiteral("\n") + tr("Mend: %1").arg(mend));
  };
  for (const Finding& f : m_readings->lines)
    line(qs(f.text), int(f.weight), f.mends.empty() ? QString() : qs(f.mends.front().text));
  if (other)
    for (const std::string& s : compareReadings(*m_readings, *other, name.toStdString())) line(qs(s), -1, {});
  m_list->setCurrentRow(std::clamp(row, -1, m_list->count() - 1));
  const Node* effect = m_studio.doc().find(m_effect);
  QString of = effect ? qs(effect->name) : m_region.width ? tr("the region") : tr("the picture");
  if (!name.isEmpty()) of = tr("%1 · compared with %2").arg(of, name);
  m_head->setText(of);
  m_chart->show(&*m_readings, other ? &*other : nullptr, name);
  m_list->setAccessibleDescription(m_verdict->text());
  Q_EMIT read();
  if (std::exchange(m_again, false)) m_timer->start();
}

bool ReadingsPanel::mendAt(int row) {
  if (!m_readings || row < 0 || size_t(row) >= m_readings->lines.size()) return false;
  const Finding f = m_readings->lines[size_t(row)];
  if (f.mends.empty()) return false;
  size_t which = 0;
  if (f.mends.size() > 1 && isVisible() && !QApplication::activePopupWidget()) {
    QMenu m(this);
    for (size_t k = 0; k < f.mends.size(); ++k) m.addAction(qs(f.mends[k].text))->setData(uint(k));
    const QAction* a = m.exec(QCursor::pos());
    if (!a) return false;
    which = a->data().toUInt();
  }
  return m_studio.edit(qs(f.mends[which].text), [&](const Document& d) { return applyMend(d, f.mends[which]); });
}

DrawerPage readingsPage() {
  return {QStringLiteral("readings"),
          ReadingsPanel::tr("Readings"),
          ReadingsPanel::tr("What the picture measures, and whether it reads as light"),
          "Ctrl+Alt+8",
          false,
          [](Studio& studio, QWidget* parent) { return new ReadingsPanel(studio, parent); }};
}

} // namespace ilumbra
