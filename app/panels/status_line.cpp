#include "app/panels/status_line.h"

#include "app/dialogs/import_dialog.h"
#include "app/model_files.h"
#include "app/picture_files.h"
#include "app/theme.h"
#include "app/viewport/picture_bar.h"
#include "core/compile/camera.h"

#include <QEvent>
#include <QFileInfo>
#include <QLabel>
#include <QStatusBar>
#include <QTime>
#include <QToolButton>

namespace ilumbra {

// Milliseconds after a change from which its picture is said to be late.
static constexpr int lateAfter = 600;

StatusLine::StatusLine(Studio& studio, ModelFiles& models, PictureFiles& pictures, QWidget* parent)
    : QStatusBar(parent), m_studio(studio), m_models(models), m_pictures(pictures) {
  m_progress = new QLabel(this);
  m_rate = new QLabel(this);
  m_message = new QLabel(this);
  for (QLabel* l : {m_progress, m_rate, m_message}) l->setStyleSheet(QStringLiteral("color: #9a968f"));
  m_message->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  m_message->installEventFilter(this);
  m_cancel = flatButton(this, tr("Cancel"), tr("Breaks off what is going on"), "accent");
  m_cancel->hide();
  connect(m_cancel, &QToolButton::clicked, &studio, &Studio::cancelBackground);
  m_reload = flatButton(this, QString(), tr("Takes the model anew: materials, places and effects hold"), "accent");
  m_reload->setObjectName(QStringLiteral("reload"));
  m_reload->hide();
  connect(m_reload, &QToolButton::clicked, &models, &ModelFiles::reload);
  setSizeGripEnabled(false);
  setContentsMargins(8, 0, 8, 0);
  addWidget(m_progress);
  addWidget(m_cancel);
  addWidget(m_rate);
  addPermanentWidget(m_message, 1);
  addPermanentWidget(m_reload);
  connect(&models, &ModelFiles::changedOnDisk, this, &StatusLine::offerReload);
  connect(&studio, &Studio::imageArrived, this, [this] {
    m_building &= m_studio.image()->edition == m_before;
    showState();
  });
  m_slow.setSingleShot(true);
  m_slow.setInterval(lateAfter);
  connect(&m_slow, &QTimer::timeout, this, [this] {
    const auto& image = m_studio.image();
    m_building = !image || (image->edition == m_before && image->edition != m_studio.edition());
    if (m_building) showState();
  });
  connect(&studio, &Studio::documentChanged, this, [this] {
    if (m_slow.isActive() || m_building) return;
    m_before = m_studio.image() ? m_studio.image()->edition : 0;
    m_slow.start();
  });
  m_slow.start();
  connect(&studio, &Studio::backgroundChanged, this, &StatusLine::showState);
  // What was said of the document before holds no longer; what is said of this change comes after it.
  connect(&studio, &Studio::documentChanged, this, [this] {
    if (m_says.isEmpty()) return;
    m_says.clear();
    showMessage();
  });
  connect(&studio, &Studio::told, this, [this](const QString& text, bool trouble) {
    m_lastTold = text;
    m_messages.push_back({QTime::currentTime().toString(QStringLiteral("HH:mm:ss")), text});
    if (m_messages.size() > 200) m_messages.erase(m_messages.begin());
    m_says = text;
    m_refused = trouble;
    showMessage();
  });
  showState();
}

void StatusLine::offerReload() {
  const QStringList& files = m_models.changedModels();
  m_reload->setVisible(!files.isEmpty());
  if (files.isEmpty()) return;
  m_reload->setText(files.size() == 1 ? tr("%1 has changed on disk: reload").arg(QFileInfo(files.front()).fileName())
                                      : tr("%n model(s) have changed on disk: reload", nullptr, int(files.size())));
}

static QString timeText(double seconds) {
  if (seconds < 90) return QObject::tr("%1 s").arg(std::ceil(seconds));
  if (seconds < 5400) return QObject::tr("%1 min").arg(std::ceil(seconds / 60));
  return QObject::tr("%1 h").arg(seconds / 3600, 0, 'f', 1);
}

// What had to be made anew.
static QString stageText(Invalidation stage) {
  switch (stage) {
  case Invalidation::Display:
    return QObject::tr("view");
  case Invalidation::Lens:
    return QObject::tr("lens");
  case Invalidation::Mix:
    return QObject::tr("light mixed");
  case Invalidation::Shading:
    return QObject::tr("surfaces");
  case Invalidation::Placement:
    return QObject::tr("places");
  case Invalidation::Geometry:
    return QObject::tr("shapes");
  }
  return {};
}

void StatusLine::showState() {
  const QString work = m_studio.backgroundLabel();
  m_cancel->setVisible(!work.isEmpty());
  const auto& image = m_studio.image();
  QString text;
  if (m_building) {
    text = tr("Building the scene…");
    m_rate->clear();
  } else if (image && image->error.empty()) {
    if (!activeCamera(m_studio.doc()))
      text = tr("No camera");
    else if (image->draft)
      text = tr("Draft");
    else if (image->finished)
      text = image->samples == 1 ? tr("Picture finished")
                                 : tr("Picture finished · %n sample(s)", nullptr, int(image->samples));
    else
      text = tr("Picture %1 / %2 samples · %3 left")
                 .arg(image->samples)
                 .arg(image->target)
                 .arg(timeText(image->secondsLeft));
    if (image->denoised) text += tr(" · denoised");
    if (m_studio.view().paused && !image->finished) text += tr(" · paused");
    if (m_pictures.waits()) text += tr(" · will be exported");
    // Of a picture without a camera there is nothing to trace.
    QString rate = image->raysPerSecond > 0 && activeCamera(m_studio.doc())
                       ? tr("%1 M rays/s").arg(image->raysPerSecond / 1e6, 0, 'f', 1)
                       : QString();
    // For those who want to know what their change cost.
    if (image->change && !m_studio.history().undoLabel().empty()) { // opening a document is no change
      const QString rays =
          image->change->rays ? tr("%1 M rays").arg(double(image->change->rays) / 1e6, 0, 'f', 2) : tr("no rays");
      m_rate->setToolTip(tr("Last change: %1, %2 ms, %3")
                             .arg(stageText(image->change->stage))
                             .arg(std::ceil(image->change->seconds * 1000))
                             .arg(rays));
    }
    m_rate->setText(rate);
  }
  QString trouble;
  if (image && !image->error.empty())
    trouble = qs(image->error);
  else if (image && !image->warnings.empty())
    trouble = image->warnings.size() == 1
                  ? qs(image->warnings.front())
                  : tr("%1 (and %n more)", nullptr, int(image->warnings.size()) - 1).arg(qs(image->warnings.front()));
  if (trouble != m_trouble) {
    m_trouble = trouble;
    showMessage();
  }
  if (!work.isEmpty()) text = work + QStringLiteral("…");
  m_progress->setText(text);
}

// What was said last, or else what is wrong with the picture for as long as it is.
void StatusLine::showMessage() {
  const QString& text = m_says.isEmpty() ? m_trouble : m_says;
  m_message->setText(m_message->fontMetrics().elidedText(text, Qt::ElideRight, std::max(200, window()->width() - 460)));
  m_message->setToolTip(text.isEmpty() ? QString() : tr("%1\n\nA click shows all messages").arg(text));
  m_message->setStyleSheet(m_says.isEmpty() ? QStringLiteral("color: #e3a24a")
                           : m_refused      ? QStringLiteral("color: #e0a0a6")
                                            : QStringLiteral("color: #9a968f"));
}

void StatusLine::showMessages() {
  QStringList lines;
  if (!m_trouble.isEmpty() && m_studio.image())
    for (const std::string& t : m_studio.image()->warnings) lines << tr("Now: %1").arg(qs(t));
  for (auto it = m_messages.rbegin(); it != m_messages.rend(); ++it)
    lines << QStringLiteral("%1  %2").arg(it->first, it->second);
  if (lines.isEmpty()) lines << tr("Nothing was said yet");
  showReport(tr("Messages"), lines, window());
}

bool StatusLine::eventFilter(QObject* o, QEvent* e) {
  if (o != m_message || e->type() != QEvent::MouseButtonRelease) return QStatusBar::eventFilter(o, e);
  showMessages();
  return true;
}

} // namespace ilumbra
