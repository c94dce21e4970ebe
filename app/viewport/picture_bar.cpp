#include "app/viewport/picture_bar.h"

#include "app/theme.h"
#include "app/viewport/picture_view.h"
#include "core/compile/camera.h"
#include "core/display/view.h"
#include "core/document/units.h"

#include <cmath>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QTimer>
#include <QToolButton>

namespace ilumbra {

// By ShownPass.
static const char* const passNames[] = {QT_TR_NOOP("Light"),           QT_TR_NOOP("Over chequers"),
                                        QT_TR_NOOP("Alpha"),           QT_TR_NOOP("Depth"),
                                        QT_TR_NOOP("Normal"),          QT_TR_NOOP("Albedo"),
                                        QT_TR_NOOP("Identity"),        QT_TR_NOOP("Air: optical depth"),
                                        QT_TR_NOOP("Own light"),       QT_TR_NOOP("Direct light"),
                                        QT_TR_NOOP("Bounced light"),   QT_TR_NOOP("Caustics"),
                                        QT_TR_NOOP("Seen in mirrors"), QT_TR_NOOP("Seen through clear things")};

QToolButton* flatButton(QWidget* parent, const QString& text, const QString& help, const char* cls) {
  auto* b = new QToolButton(parent);
  b->setText(text);
  b->setToolTip(help);
  b->setProperty("class", cls);
  b->setFocusPolicy(Qt::TabFocus);
  return b;
}

void fitText(QToolButton* button, const QString& whole, int widest) {
  const QString fits = button->fontMetrics().elidedText(whole, Qt::ElideRight, widest);
  button->setText(fits);
  if (fits != whole && !button->toolTip().startsWith(whole))
    button->setToolTip(button->toolTip().isEmpty() ? whole : whole + '\n' + button->toolTip());
}

PictureBar::PictureBar(Studio& studio, PictureView& view, QWidget* parent)
    : QWidget(parent), m_studio(studio), m_view(view) {
  setAutoFillBackground(true);
  QPalette pal = palette();
  pal.setColor(QPalette::Window, theme::desk);
  setPalette(pal);
  setFixedHeight(34);
  setMinimumWidth(0);
  setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(6, 0, 6, 0);
  row->setSpacing(0);
  addModes(row);
  row->addStretch(1);
  addSwitches(row);
  addPlayback(row);
  m_timer = new QTimer(this);
  m_timer->setTimerType(Qt::PreciseTimer);
  connect(m_timer, &QTimer::timeout, this, &PictureBar::followClock);
  // How many of the frames come in time is told.
  connect(&studio, &Studio::imageArrived, this, [this] {
    if (!playing()) return;
    ++m_shown;
    if (m_counting.elapsed() < 1000) return;
    const double rate = settingsOf(m_studio.doc()).number("rate"),
                 got = 1000.0 * m_shown / double(m_counting.restart());
    m_shown = 0;
    m_play->setText(tr("Stop %1/s").arg(int(std::min(got, rate) + 0.5)));
    m_play->setToolTip(got > 0.95 * rate ? tr("Every frame is shown, %1 a second").arg(rate)
                                         : tr("%1 of %2 frames a second are shown, the others are left out: render "
                                              "ahead in the Motion drawer")
                                               .arg(int(got + 0.5))
                                               .arg(rate));
  });
  connect(&studio, &Studio::documentChanged, this, &PictureBar::refresh);
  connect(&studio, &Studio::viewChanged, this, &PictureBar::refresh);
  connect(&m_view, &PictureView::toolChanged, this, &PictureBar::refresh);
  refresh();
}

// Whose camera, and what the picture is put beside.
void PictureBar::addModes(QHBoxLayout* row) {
  m_camera = flatButton(this, "", tr("The camera that takes the picture"));
  connect(m_camera, &QToolButton::clicked, this, &PictureBar::cameraMenu);
  row->addWidget(m_camera);
  const std::pair<const char*, const char*> modes[] = {
      {QT_TR_NOOP("Picture"), QT_TR_NOOP("The live picture alone")},
      {QT_TR_NOOP("Wipe"), QT_TR_NOOP("Live picture and proof, with an edge to drag")},
      {QT_TR_NOOP("Side by side"), QT_TR_NOOP("Live picture and proof beside each other")},
      {QT_TR_NOOP("Difference"), QT_TR_NOOP("What live picture and proof do not share")}};
  for (int i = 0; i < 4; ++i) {
    auto* b = flatButton(this, tr(modes[i].first), tr(modes[i].second), "tab");
    b->setCheckable(true);
    connect(b, &QToolButton::clicked, this, [this, i] {
      Studio::View v = m_studio.view();
      v.compare = Compare(i);
      if (i && !m_studio.proof(v.proof)) {
        if (m_studio.proofs().empty()) {
          m_studio.tell(tr("Keep a proof first: there is nothing to compare with"), true);
          v.compare = Compare::None;
        } else {
          v.proof = m_studio.proofs().back()->number;
        }
      }
      m_studio.setView(v);
    });
    m_modes.push_back(b);
    row->addWidget(b);
  }
}

QToolButton* PictureBar::addButton(QHBoxLayout* row, const QString& text, const QString& help, bool checkable) {
  QToolButton* b = flatButton(this, text, help);
  b->setCheckable(checkable);
  row->addWidget(b);
  return b;
}

// How it is shown.
void PictureBar::addSwitches(QHBoxLayout* row) {
  m_pass = addButton(row, tr("Light"), tr("What of the film is shown"), false);
  connect(m_pass, &QToolButton::clicked, this, [this] {
    QMenu m(this);
    for (int i = 0; i < int(std::size(passNames)); ++i) {
      if (i == int(ShownPass::Alpha) || i == int(ShownPass::Emission)) m.addSeparator();
      QAction* a = m.addAction(tr(passNames[i]));
      a->setCheckable(true);
      a->setChecked(int(m_studio.view().pass) == i);
      a->setData(i);
    }
    if (const QAction* a = m.exec(m_pass->mapToGlobal(QPoint(0, height())))) {
      Studio::View v = m_studio.view();
      v.pass = ShownPass(a->data().toInt());
      m_studio.setView(v);
    }
  });
  const auto toggle = [this](QToolButton* b, bool Studio::View::*member, bool inverse = false) {
    connect(b, &QToolButton::clicked, this, [this, b, member, inverse] {
      Studio::View v = m_studio.view();
      v.*member = b->isChecked() != inverse;
      m_studio.setView(v);
    });
  };
  m_stops = addButton(row, tr("Stops"), tr("False colour by stops above and below white"), true);
  toggle(m_stops, &Studio::View::stopsOverlay);
  m_clips =
      addButton(row, tr("Clips"), tr("Stripes over what the display cannot show: white, single channels, black"), true);
  toggle(m_clips, &Studio::View::clipping);
  m_region = addButton(row, tr("Region"), tr("Renders only a part of the picture: drag it"), true);
  connect(m_region, &QToolButton::clicked, this,
          [this] { m_view.setTool(m_region->isChecked() ? QStringLiteral("region") : QString()); });
  m_lens = addButton(row, tr("Lens"), tr("Off: the picture without its lens stages"), true);
  toggle(m_lens, &Studio::View::withLens);
  m_raw = addButton(row, tr("Raw"), tr("The picture as it was sampled, without denoising"), true);
  toggle(m_raw, &Studio::View::raw);
  m_pause = addButton(row, tr("Pause"), tr("Stops refining; edits still show"), true);
  toggle(m_pause, &Studio::View::paused);
  m_exposure =
      addButton(row, "", tr("Brightens the view alone; the camera's own exposure is among its parameters"), false);
  connect(m_exposure, &QToolButton::clicked, this, &PictureBar::exposureMenu);
  m_display = addButton(row, "", tr("How scene light is shown"), false);
  connect(m_display, &QToolButton::clicked, this, [this] {
    QMenu m(this);
    const QString now = qs(settingsOf(m_studio.doc()).text("view"));
    for (const std::string& name : m_studio.doc().settings().kind->param("view")->choices) {
      QAction* a = m.addAction(qs(name));
      a->setCheckable(true);
      a->setChecked(qs(name) == now);
    }
    if (const QAction* a = m.exec(m_display->mapToGlobal(QPoint(0, height()))))
      m_studio.edit(tr("Change the display view"), [&](const Document& d) {
        return setValue(d, d.settings().id, "view", Constant(a->text().toStdString()));
      });
  });
}

// Frames, and what does not fit.
void PictureBar::addPlayback(QHBoxLayout* row) {
  m_frame = new QLineEdit(this);
  m_frame->setFixedWidth(46);
  m_frame->setAlignment(Qt::AlignRight);
  m_frame->setToolTip(tr("The frame that is shown"));
  m_frame->setAccessibleName(tr("Frame"));
  connect(m_frame, &QLineEdit::editingFinished, this, [this] {
    if (!m_frame->isModified()) return;
    m_frame->setModified(false);
    m_studio.edit(tr("Go to frame %1").arg(m_frame->text()), [&](const Document& d) {
      const Node& s = d.settings();
      return setValue(d, s.id, "frame", parseValue(d, *s.kind->param("frame"), m_frame->text().toStdString()));
    });
    refresh();
  });
  row->addSpacing(4);
  row->addWidget(m_frame);
  m_play = addButton(row, tr("Play"), tr("Plays the frames of the document's range"), true);
  connect(m_play, &QToolButton::clicked, this, [this] { play(m_play->isChecked()); });
  m_more = flatButton(this, tr("more"), tr("What does not fit in the bar"));
  connect(m_more, &QToolButton::clicked, this, &PictureBar::moreMenu);
  row->addWidget(m_more);
  m_keep = flatButton(this, tr("Keep"), tr("Keeps the picture as a proof"), "accent");
  row->addWidget(m_keep);
  connect(m_keep, &QToolButton::clicked, this, [this] { m_studio.keep(); });
}

void PictureBar::resizeEvent(QResizeEvent*) { fit(); }

void PictureBar::fit() {
  // What does not fit is found under "more", the least used first.
  QToolButton* const byUse[] = {m_display,  m_clips, m_lens, m_pass,  m_region,
                                m_exposure, m_stops, m_raw,  m_pause, m_camera};
  m_more->setVisible(true);
  const int gap = std::max(0, layout()->spacing());
  int need = 28 + m_frame->width() + gap;
  for (QToolButton* b : findChildren<QToolButton*>(QString(), Qt::FindDirectChildrenOnly))
    need += b->sizeHint().width() + gap;
  m_hidden.clear();
  for (QToolButton* b : byUse) {
    const bool fits = need <= width();
    b->setVisible(fits);
    if (fits) continue;
    need -= b->sizeHint().width() + gap;
    m_hidden.push_back(b);
  }
  m_more->setVisible(!m_hidden.empty());
}

void PictureBar::moreMenu() {
  QMenu m(this);
  for (QToolButton* b : m_hidden) {
    QAction* a = m.addAction(b == m_exposure  ? tr("View exposure %1").arg(b->text())
                             : b == m_display ? tr("Display view: %1").arg(b->text())
                             : b == m_pass    ? tr("Shows: %1").arg(b->text())
                                              : b->text());
    a->setToolTip(b->toolTip());
    a->setCheckable(b->isCheckable());
    a->setChecked(b->isChecked());
    connect(
        a, &QAction::triggered, b, [b] { b->click(); }, Qt::QueuedConnection);
  }
  m.exec(m_more->mapToGlobal(QPoint(0, height())));
}
void PictureBar::refresh() {
  const Document& doc = m_studio.doc();
  const Node* camera = activeCamera(doc);
  QString text = tr("No camera");
  if (camera)
    text = QStringLiteral("%1 · %2 mm")
               .arg(qs(camera->name))
               .arg(Params(*camera, m_studio.frame()).number("focal_length"), 0, 'g', 3);
  m_camera->setText(m_camera->fontMetrics().elidedText(text, Qt::ElideMiddle, 118));
  m_camera->setToolTip(tr("%1: the camera that takes the picture").arg(text));
  const Studio::View& v = m_studio.view();
  for (int i = 0; i < 4; ++i) m_modes[size_t(i)]->setChecked(int(v.compare) == i);
  m_pass->setText(tr(passNames[int(v.pass)]));
  m_stops->setChecked(v.stopsOverlay);
  m_clips->setChecked(v.clipping);
  m_region->setChecked(m_view.tool() == QStringLiteral("region"));
  m_lens->setChecked(v.withLens);
  m_raw->setChecked(v.raw);
  m_pause->setChecked(v.paused);
  m_exposure->setText(QStringLiteral("%1%2").arg(v.stops >= 0 ? "+" : "−").arg(std::abs(v.stops), 0, 'f', 1));
  m_display->setText(qs(settingsOf(doc).text("view")));
  if (!m_frame->hasFocus()) m_frame->setText(QString::number(m_studio.frame()));
  m_play->setChecked(v.playing);
  if (v.playing != m_play->text().startsWith(tr("Stop"))) {
    m_play->setText(v.playing ? tr("Stop") : tr("Play"));
    m_play->setToolTip(tr("Plays the frames of the document's range"));
  }
  fit();
}

void PictureBar::cameraMenu() {
  QMenu m(this);
  const Node* now = activeCamera(m_studio.doc());
  for (const Node* c : m_studio.doc().family("camera")) {
    QAction* a = m.addAction(qs(c->name));
    a->setCheckable(true);
    a->setChecked(c == now);
    a->setData(uint(c->id));
  }
  if (now) {
    m.addSeparator();
    QAction* s = m.addAction(tr("Show its settings"));
    connect(s, &QAction::triggered, this, [this, id = now->id] { m_studio.select({id}); });
  } else {
    m.addAction(tr("There is no camera"))->setEnabled(false);
  }
  const QAction* a = m.exec(m_camera->mapToGlobal(QPoint(0, height())));
  if (!a || !a->data().isValid()) return;
  const NodeId id = a->data().toUInt();
  m_studio.edit(tr("Look through %1").arg(a->text()), [&](const Document& d) {
    return setValue(d, d.settings().id, "camera", Constant(Reference{id, nullptr}));
  });
}

void PictureBar::exposureMenu() {
  QMenu m(this);
  for (const double s : {4.0, 2.0, 1.0, 0.0, -1.0, -2.0, -4.0, -8.0}) {
    QAction* a = m.addAction(tr("%1%2 stops").arg(s > 0 ? "+" : s < 0 ? "−" : "").arg(std::abs(s)));
    a->setData(s);
    a->setCheckable(true);
    a->setChecked(s == m_studio.view().stops);
  }
  if (const QAction* a = m.exec(m_exposure->mapToGlobal(QPoint(0, height())))) {
    Studio::View v = m_studio.view();
    v.stops = a->data().toDouble();
    m_studio.setView(v);
  }
}

bool PictureBar::playing() const { return m_studio.view().playing; }

void PictureBar::play(bool on) {
  Studio::View v = m_studio.view();
  if (v.playing == on) return;
  v.playing = on;
  if (on) {
    const auto [first, last] = m_studio.playRange();
    m_playedFrom = m_studio.frame() >= first && m_studio.frame() <= last ? m_studio.frame() : first;
    m_clock.start();
    m_counting.start();
    m_shown = 0;
    m_timer->start(std::max(4, int(500 / std::max(1.0, settingsOf(m_studio.doc()).number("rate")))));
  } else {
    m_timer->stop();
  }
  m_studio.setView(v);
}

void PictureBar::followClock() {
  const auto [first, last] = m_studio.playRange();
  const double rate = settingsOf(m_studio.doc()).number("rate"), span = last - first + 1;
  const double gone = m_playedFrom - first + std::floor(double(m_clock.elapsed()) / 1000 * rate);
  double at = std::fmod(gone, span);
  if (m_studio.view().toAndFro && span > 1) {
    // The frames at the ends are shown once.
    at = std::fmod(gone, 2 * span - 2);
    if (at >= span) at = 2 * span - 2 - at;
  }
  if (first + at != m_studio.frame()) m_studio.setFrame(first + at);
}

void PictureBar::stepFrame(int by) {
  const auto [first, last] = m_studio.playRange();
  double f = m_studio.frame() + by;
  if (f > last) f = first;
  if (f < first) f = last;
  m_studio.setFrame(f);
}

} // namespace ilumbra
