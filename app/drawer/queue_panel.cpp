#include "app/drawer/queue_panel.h"

#include "app/dialogs/delivery_dialog.h"
#include "app/dialogs/question.h"
#include "app/drawer/drawer.h"
#include "app/theme.h"
#include "app/viewport/picture_bar.h"
#include "core/base/files.h"

#include <QDesktopServices>
#include <QDir>
#include <QFileInfo>
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
#include <QUrl>

namespace ilumbra {
namespace {

using State = QueueEntry::State;

constexpr int numberRole = Qt::UserRole, filesRole = Qt::UserRole + 1, stateRole = Qt::UserRole + 2,
              shareRole = Qt::UserRole + 3, troubleRole = Qt::UserRole + 4, tellsRole = Qt::UserRole + 5;

QString timeLeft(double seconds) {
  if (seconds < 0) return {};
  if (seconds < 90) return QueuePanel::tr("%1 s left").arg(int(seconds));
  if (seconds < 5400) return QueuePanel::tr("%1 min left").arg(int(seconds / 60 + 0.5));
  return QueuePanel::tr("%1 h left").arg(seconds / 3600, 0, 'f', 1);
}

QString rangeText(const QueueEntry& e) {
  const std::vector<double> frames = e.job.frames();
  const Params p = e.job.params();
  const QString what = qs(p.text("what"));
  if (e.job.isStrip()) return QueuePanel::tr("%n value(s) of %1", nullptr, int(frames.size())).arg(qs(p.text("of")));
  if (frames.size() < 2) return QueuePanel::tr("frame %1").arg(frames.front());
  const QString range =
      p.number("step") > 1
          ? QueuePanel::tr("frames %1 to %2, every %3").arg(frames.front()).arg(frames.back()).arg(p.number("step"))
          : QueuePanel::tr("frames %1 to %2").arg(frames.front()).arg(frames.back());
  return what == QStringLiteral("frames") ? range : QStringLiteral("%1, %2").arg(what, range);
}

QString filesText(const QueueEntry& e) {
  QStringList out;
  for (const std::string& n : e.files) out << QFileInfo(qs(n)).fileName();
  return out.join(QStringLiteral(", "));
}

QString stateText(const std::vector<QueueEntry>& all, const QueueEntry& e, bool paused) {
  const QString done = QueuePanel::tr("%1 of %2").arg(e.progress.done).arg(e.progress.total);
  switch (e.state) {
  case State::Waiting:
    return e.progress.done ? QueuePanel::tr("waits · %1").arg(done)
           : paused        ? QueuePanel::tr("waits for Start")
                           : QueuePanel::tr("waits");
  case State::Running: {
    if (e.progress.doing == DeliveryProgress::Doing::Movie) return QueuePanel::tr("movie · %1").arg(done);
    if (e.progress.doing == DeliveryProgress::Doing::Sheet) return QueuePanel::tr("contact sheet");
    const QString left = timeLeft(secondsLeft(all, e));
    return left.isEmpty() ? done : QStringLiteral("%1 · %2").arg(done, left);
  }
  case State::Paused:
    return QueuePanel::tr("paused · %1").arg(done);
  case State::Held:
    return QueuePanel::tr("held · %1").arg(done);
  case State::Done:
    return e.seconds >= 90 ? QueuePanel::tr("done in %1 min").arg(int(e.seconds / 60 + 0.5))
                           : QueuePanel::tr("done in %1 s").arg(int(e.seconds + 0.5));
  case State::Failed:
    return QueuePanel::tr("failed · %1").arg(done);
  case State::Cancelled:
    return QueuePanel::tr("cancelled · %1").arg(done);
  }
  return {};
}

// A delivery: what it is, a band of light as far as its frames are there, and beyond that the hatching of what is
// missing; what went wrong below.
class DeliveryDelegate : public QStyledItemDelegate {
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex& i) const override {
    const bool tells = !i.data(troubleRole).toString().isEmpty() || !i.data(tellsRole).toString().isEmpty();
    return {300, tells ? 58 : 40};
  }
  void paint(QPainter* p, const QStyleOptionViewItem& o, const QModelIndex& i) const override {
    const QRect r = o.rect;
    const bool chosen = o.state & QStyle::State_Selected;
    if (chosen) p->fillRect(r, theme::selected);
    if (chosen && (o.state & QStyle::State_HasFocus))
      p->fillRect(QRect(r.left(), r.top(), 2, r.height()), theme::accent);
    const int names = std::min(300, r.width() * 2 / 5), states = 150;
    const auto line = [&](int x, int y, int width, const QString& text, const QColor& color, double size, int weight) {
      p->setFont(theme::font(size, weight));
      p->setPen(color);
      p->drawText(QRect(x, y, width, 18), Qt::AlignLeft | Qt::AlignVCenter,
                  p->fontMetrics().elidedText(text, Qt::ElideMiddle, width));
    };
    line(r.left() + 12, r.top() + 2, names - 16, i.data().toString(), theme::text, 12.5, 600);
    line(r.left() + 12, r.top() + 19, names - 16, i.data(filesRole).toString(), theme::dim, 11.5, 500);
    const QRectF band(r.left() + names + 0.5, r.top() + 11.5, r.width() - names - states - 16, 17);
    const double share = i.data(shareRole).toDouble();
    const QRectF missing = band.adjusted(band.width() * share, 0, 0, 0);
    if (share < 1) {
      p->save();
      p->setClipRect(missing);
      p->setPen(QPen(QColor(0x5d, 0x55, 0x47), 1));
      for (double x = band.left() - 20; x < band.right(); x += 6)
        p->drawLine(QPointF(x, band.bottom()), QPointF(x + band.height(), band.top()));
      p->restore();
    }
    if (share > 0) {
      QLinearGradient light(band.topLeft(), band.bottomLeft());
      light.setColorAt(0, QColor(0xb3, 0xa0, 0x7a));
      light.setColorAt(0.5, QColor(0x96, 0x86, 0x69));
      light.setColorAt(1, QColor(0x74, 0x68, 0x54));
      p->fillRect(QRectF(band.left(), band.top(), band.width() * share, band.height()), light);
    }
    p->setPen(theme::tick);
    p->setBrush(Qt::NoBrush);
    p->drawRect(band);
    const QString trouble = i.data(troubleRole).toString(), tells = i.data(tellsRole).toString();
    line(int(band.right()) + 12, r.top() + 11, states, i.data(stateRole).toString(),
         trouble.isEmpty() ? theme::text : theme::rose, 12, 500);
    if (!trouble.isEmpty())
      line(r.left() + 12, r.top() + 38, r.width() - 24, trouble, theme::rose, 11.5, 500);
    else if (!tells.isEmpty())
      line(r.left() + 12, r.top() + 38, r.width() - 24, tells, theme::amber, 11.5, 500);
  }
};

} // namespace

QueuePanel::QueuePanel(Studio& studio, QWidget* parent) : QWidget(parent), m_studio(studio) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 2, 0, 2);
  column->setSpacing(0);
  m_list = new QListWidget(this);
  m_list->setItemDelegate(new DeliveryDelegate(m_list));
  m_list->setAccessibleName(tr("Queue"));
  m_list->setContextMenuPolicy(Qt::CustomContextMenu);
  m_list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  m_list->setResizeMode(QListView::Adjust);
  m_list->installEventFilter(this);
  column->addWidget(m_list, 1);
  m_empty = new QLabel(tr("Nothing is rendered here yet. Render and write puts the range of frames, a still or a "
                          "turntable into this queue, as pictures or as a movie. It works in processes of their own, "
                          "beside the window, and goes on when that is closed."),
                       this);
  m_empty->setAlignment(Qt::AlignCenter);
  m_empty->setWordWrap(true);
  m_empty->setStyleSheet(QStringLiteral("color: #9a968f; padding: 8px 40px"));
  column->addWidget(m_empty, 1);
  auto* foot = new QHBoxLayout;
  foot->setContentsMargins(10, 0, 8, 0);
  m_state = new QLabel(this);
  m_state->setStyleSheet(QStringLiteral("color: #9a968f"));
  foot->addWidget(m_state);
  foot->addStretch(1);
  m_log = flatButton(this, tr("Log"), tr("What its worker wrote down, frame by frame"));
  m_folder = flatButton(this, tr("Show files"), tr("Opens the folder that it is written to"));
  m_cancel = flatButton(this, tr("Cancel"), tr("Ends the chosen delivery; frames that are written stay"));
  m_remove =
      flatButton(this, tr("Take out"), tr("Takes the chosen delivery out (Delete); frames that are written stay"));
  m_pause = flatButton(this, tr("Pause it"), tr("Stops the chosen delivery at the frames that are done (Space)"));
  m_clear = flatButton(this, tr("Clear"), tr("Takes out what is done, failed or cancelled"));
  m_start = flatButton(this, tr("Start"), QString(), "accent");
  m_add = flatButton(this, tr("Render and write…"), tr("Puts frames, a still or a turntable into the queue"), "accent");
  for (QToolButton* b : {m_log, m_folder, m_cancel, m_remove, m_pause, m_clear, m_start, m_add}) foot->addWidget(b);
  column->addLayout(foot);
  connect(m_add, &QToolButton::clicked, this, &QueuePanel::addDelivery);
  connect(m_start, &QToolButton::clicked, this, [this] {
    const bool stop = m_running && !m_paused;
    change([stop](const Queue& q) {
      q.setPaused(stop);
      if (!stop) startQueue(q);
    });
  });
  connect(m_pause, &QToolButton::clicked, this, &QueuePanel::pauseChosen);
  connect(m_cancel, &QToolButton::clicked, this, [this] { change([id = chosen()](const Queue& q) { q.cancel(id); }); });
  connect(m_remove, &QToolButton::clicked, this, [this] { change([id = chosen()](const Queue& q) { q.remove(id); }); });
  connect(m_clear, &QToolButton::clicked, this, [this] { change([](const Queue& q) { q.clear(); }); });
  connect(m_log, &QToolButton::clicked, this, &QueuePanel::showLog);
  connect(m_folder, &QToolButton::clicked, this, [this] {
    for (const QueueEntry& e : m_entries)
      if (e.id == chosen() && !e.files.empty())
        QDesktopServices::openUrl(QUrl::fromLocalFile(QFileInfo(qs(e.files.front())).path()));
  });
  connect(m_list, &QListWidget::itemSelectionChanged, this, &QueuePanel::showButtons);
  connect(m_list, &QListWidget::customContextMenuRequested, this, [this](const QPoint& at) {
    if (!m_list->itemAt(at)) return;
    QMenu m(this);
    for (QToolButton* b : {m_pause, m_cancel, m_remove, m_folder, m_log})
      if (b->isVisibleTo(this)) m.addAction(b->text(), b, &QToolButton::click);
    m.addSeparator();
    m.addAction(tr("Earlier"), this, [this] { moveChosen(-1); });
    m.addAction(tr("Later"), this, [this] { moveChosen(1); });
    m.exec(m_list->mapToGlobal(at));
  });
  m_timer = new QTimer(this);
  connect(m_timer, &QTimer::timeout, this, &QueuePanel::look);
  m_timer->start(2500);
  take({}, false, false);
  m_known = false;
  look();
}

void QueuePanel::showEvent(QShowEvent*) { look(); }

int QueuePanel::chosen() const {
  const auto items = m_list->selectedItems();
  return items.isEmpty() ? 0 : items.front()->data(numberRole).toInt();
}

void QueuePanel::look() {
  m_studio.background(tr("Looking at the queue"),
                      [self = QPointer(this)](const CancelFlag&) -> std::function<void()> {
                        const Queue queue;
                        try {
                          std::vector<QueueEntry> all = queue.entries();
                          const bool paused = queue.paused(), running = queue.running();
                          return [self, all = std::move(all), paused, running] {
                            if (self) self->take(all, paused, running);
                          };
                        } catch (const std::exception& e) {
                          return [self, why = QString::fromUtf8(e.what())] {
                            if (self) self->m_state->setText(why);
                          };
                        }
                      },
                      {.lane = QStringLiteral("queue look"), .waits = false, .matters = false, .told = false});
}

void QueuePanel::change(std::function<void(const Queue&)> what) {
  m_studio.background(tr("Changing the queue"),
                      [self = QPointer(this), what = std::move(what)](const CancelFlag&) -> std::function<void()> {
                        what(Queue());
                        return [self] {
                          if (self) self->look();
                        };
                      },
                      {.lane = QStringLiteral("queue"), .waits = true, .matters = false, .told = false});
}

void QueuePanel::take(std::vector<QueueEntry> entries, bool paused, bool running) {
  // What has come to its end meanwhile is told, wherever one looks.
  if (m_known)
    for (const QueueEntry& e : entries) {
      const auto before =
          std::find_if(m_entries.begin(), m_entries.end(), [&](const QueueEntry& b) { return b.id == e.id; });
      if (before == m_entries.end() || before->state == e.state) continue;
      if (e.state == State::Done) m_studio.tell(tr("%1 is written: %2").arg(qs(e.name), filesText(e)));
      if (e.state == State::Held || e.state == State::Failed)
        m_studio.tell(tr("The queue: %1: %2").arg(qs(e.name), qs(e.why)), true);
    }
  m_known = true;
  const int keep = chosen();
  m_entries = std::move(entries);
  m_paused = paused;
  m_running = running;
  const QSignalBlocker quiet(m_list);
  while (m_list->count() > int(m_entries.size())) delete m_list->takeItem(m_list->count() - 1);
  while (m_list->count() < int(m_entries.size())) m_list->addItem(new QListWidgetItem);
  for (size_t i = 0; i < m_entries.size(); ++i) {
    const QueueEntry& e = m_entries[i];
    QListWidgetItem* item = m_list->item(int(i));
    const QString title = QStringLiteral("%1 · %2").arg(qs(e.name), rangeText(e)),
                  state = stateText(m_entries, e, !m_running);
    item->setText(title);
    item->setData(numberRole, e.id);
    item->setData(filesRole, filesText(e));
    item->setData(stateRole, state);
    item->setData(shareRole, e.progress.share);
    item->setData(troubleRole, qs(e.why));
    item->setData(tellsRole, e.told.empty() ? QString() : qs(e.told.back()));
    QStringList tip{qs(e.job.params().text("output"))};
    for (const std::string& t : e.told) tip << qs(t);
    if (!e.why.empty()) tip << qs(e.why);
    item->setToolTip(tip.join(QLatin1Char('\n')));
    item->setData(Qt::AccessibleTextRole, QStringLiteral("%1, %2, %3").arg(title, filesText(e), state));
    if (e.id == keep) m_list->setCurrentItem(item);
  }
  const bool any = !m_entries.empty();
  m_list->setVisible(any);
  m_empty->setVisible(!any);
  if (any && !m_list->currentItem()) m_list->setCurrentRow(0);
  m_timer->setInterval(m_running && isVisible() ? 700 : 2500);
  showButtons();
  Q_EMIT looked();
}

void QueuePanel::showButtons() {
  const auto e =
      std::find_if(m_entries.begin(), m_entries.end(), [&](const QueueEntry& b) { return b.id == chosen(); });
  const bool one = e != m_entries.end();
  for (QToolButton* b : {m_log, m_folder, m_remove}) b->setVisible(one);
  m_cancel->setVisible(one && !e->over());
  const bool stopped = one && (e->state == State::Paused || e->state == State::Failed || e->state == State::Cancelled);
  m_pause->setVisible(one && e->state != State::Done);
  m_pause->setText(stopped ? tr("Go on with it") : tr("Pause it"));
  bool waits = false, over = false;
  for (const QueueEntry& q : m_entries) {
    waits = waits || q.state == State::Waiting || q.state == State::Running || q.state == State::Held;
    over = over || q.over();
  }
  m_clear->setVisible(over);
  const bool works = m_running && !m_paused;
  m_start->setVisible(waits);
  m_start->setText(works ? tr("Pause all") : tr("Start"));
  m_start->setToolTip(works ? tr("The queue stops at the frames that are done") : tr("Works on what waits, in order"));
  const QString left = timeLeft(secondsLeft(m_entries));
  m_state->setText(m_entries.empty() ? QString()
                   : !waits          ? tr("nothing waits")
                   : works           ? (left.isEmpty() ? tr("at work, beside the window") : tr("%1 for all").arg(left))
                                     : tr("stands still"));
}

void QueuePanel::pauseChosen() {
  for (const QueueEntry& e : m_entries)
    if (e.id == chosen()) {
      const bool goOn = e.state == State::Paused || e.state == State::Failed || e.state == State::Cancelled;
      change([id = e.id, goOn](const Queue& q) {
        goOn ? q.resume(id) : q.pause(id);
        if (goOn) startQueue(q);
      });
    }
}

void QueuePanel::moveChosen(int by) {
  const int place = m_list->currentRow() + by;
  if (place < 0 || place >= m_list->count()) return;
  change([id = chosen(), place](const Queue& q) { q.move(id, place); });
}

void QueuePanel::showLog() {
  std::string text;
  try {
    text = readFile(Queue().entryFolder(chosen()) + "/log.txt", size_t(4) << 20);
  } catch (const std::exception&) {
  }
  QStringList lines = qs(text).split(QLatin1Char('\n'), Qt::SkipEmptyParts);
  constexpr int most = 24;
  if (lines.size() > most) lines = QStringList{tr("…")} + lines.mid(lines.size() - most);
  tellInWindow(this, tr("Log"), lines.isEmpty() ? tr("Nothing yet.") : lines.join(QLatin1Char('\n')));
}

void QueuePanel::addDelivery() {
  const QString path = m_studio.path();
  const QString folder = path.isEmpty() ? QDir::homePath() : QFileInfo(path).absolutePath();
  DeliveryDialog dialog(m_studio.doc(), path, folder, this);
  if (dialog.exec() != QDialog::Accepted) return;
  const bool start = dialog.start();
  m_studio.background(tr("Putting it into the queue"),
                      [self = QPointer(this), &studio = m_studio, doc = m_studio.doc(), path, job = dialog.job(),
                       start](const CancelFlag&) -> std::function<void()> {
                        const Queue queue;
                        const int id = queue.add(doc, path.toStdString(), job);
                        if (start) {
                          queue.setPaused(false);
                          startQueue(queue);
                        }
                        return [self, &studio, id, start] {
                          studio.tell(start ? tr("It is rendered beside the window, as entry %1 of the queue").arg(id)
                                            : tr("It waits as entry %1 of the queue").arg(id));
                          if (self) self->look();
                        };
                      },
                      {.lane = QStringLiteral("queue"), .waits = true});
}

bool QueuePanel::eventFilter(QObject* o, QEvent* e) {
  if (o == m_list && e->type() == QEvent::KeyPress && chosen()) {
    auto* k = static_cast<QKeyEvent*>(e);
    if (k->key() == Qt::Key_Delete) return m_remove->click(), true;
    if (k->key() == Qt::Key_Space) return pauseChosen(), true;
    if (k->modifiers() & Qt::AltModifier && (k->key() == Qt::Key_Up || k->key() == Qt::Key_Down))
      return moveChosen(k->key() == Qt::Key_Up ? -1 : 1), true;
  }
  return QWidget::eventFilter(o, e);
}

DrawerPage queuePage() {
  return {QStringLiteral("queue"),
          QueuePanel::tr("Queue"),
          QueuePanel::tr("What is rendered and written, beside the window"),
          "Ctrl+Shift+Q",
          false,
          [](Studio& studio, QWidget* parent) { return new QueuePanel(studio, parent); }};
}

} // namespace ilumbra
