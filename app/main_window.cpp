#include "app/main_window.h"

#include "app/commands/find_anything.h"
#include "app/commands/place_commands.h"
#include "app/dialogs/import_dialog.h"
#include "app/dialogs/question.h"
#include "app/document_files.h"
#include "app/drawer/lens_page.h"
#include "app/drawer/material_library.h"
#include "app/model_files.h"
#include "app/panels/balance_panel.h"
#include "app/panels/number_row.h"
#include "app/panels/proofs_panel.h"
#include "app/panels/route_view.h"
#include "app/panels/settings_panel.h"
#include "app/panels/things_panel.h"
#include "app/theme.h"
#include "app/viewport/health_overlay.h"
#include "app/viewport/picture_bar.h"
#include "app/viewport/picture_view.h"
#include "core/base/error.h"
#include "core/compile/camera.h"
#include "core/document/file.h"
#include "core/effects/making.h"
#include "core/exchange/export.h"
#include "core/exchange/frames.h"
#include "core/exchange/import.h"
#include "core/exchange/passes.h"
#include "core/geometry/shape.h"
#include "core/placing/framing.h"
#include "core/placing/select.h"
#include "demo/starters.h"

#include <future>
#include <QAction>
#include <QApplication>
#include <QCloseEvent>
#include <QDateTime>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QMenuBar>
#include <QSettings>
#include <QSplitter>
#include <QStackedWidget>
#include <QStatusBar>
#include <QTime>
#include <QToolButton>

namespace ilumbra {

MainWindow::MainWindow(Studio& studio, QWidget* parent) : QMainWindow(parent), m_studio(studio), m_commands(this) {
  resize(1280, 800);
  setMinimumSize(900, 560);

  m_effects = new ThingsPanel(studio, ThingsPanel::What::Effects, this);
  m_scene = new ThingsPanel(studio, ThingsPanel::What::Scene, this);
  m_left = new QSplitter(Qt::Vertical, this);
  m_left->addWidget(m_effects);
  m_left->addWidget(m_scene);
  m_left->setSizes({560, 190});
  m_left->setHandleWidth(1);
  m_left->setChildrenCollapsible(false);
  m_left->setMinimumWidth(160);

  m_picture = new PictureView(studio, this);
  m_bar = new PictureBar(studio, *m_picture, this);
  m_route = new RouteView(studio, this);
  m_proofs = new ProofsPanel(studio, this);
  auto* top = new QWidget(this);
  auto* topColumn = new QVBoxLayout(top);
  topColumn->setContentsMargins(0, 0, 0, 0);
  topColumn->setSpacing(0);
  topColumn->addWidget(m_bar);
  topColumn->addWidget(m_picture, 1);
  topColumn->addWidget(m_route);
  m_drawer = new QWidget(this);
  auto* drawerColumn = new QVBoxLayout(m_drawer);
  drawerColumn->setContentsMargins(0, 0, 0, 0);
  drawerColumn->setSpacing(0);
  auto* tabs = new QHBoxLayout;
  tabs->setContentsMargins(4, 0, 8, 0);
  m_balance = new BalancePanel(studio, this);
  m_drawerPages = new QStackedWidget(m_drawer);
  const auto page = [&](const char* id, const QString& label, const QString& help, QWidget* body) {
    QToolButton* tab = flatButton(m_drawer, label, help, "tab");
    tab->setCheckable(true);
    connect(tab, &QToolButton::clicked, this, [this, id] { showDrawer(QLatin1String(id)); });
    tabs->addWidget(tab);
    m_drawerPages->addWidget(body);
    m_drawerTabs.emplace_back(QLatin1String(id), tab);
  };
  page("proofs", tr("Proofs"), tr("Kept pictures with the documents that made them"), m_proofs);
  page("balance", tr("Balance"), tr("Every light's switch, stops and tint, over the picture as it is"), m_balance);
  m_drawerTabs.front().second->setChecked(true);
  tabs->addStretch(1);
  drawerColumn->addLayout(tabs);
  drawerColumn->addWidget(m_drawerPages, 1);
  m_middle = new QSplitter(Qt::Vertical, this);
  m_middle->addWidget(top);
  m_middle->addWidget(m_drawer);
  m_middle->setSizes({590, 150});
  m_middle->setStretchFactor(0, 1);
  m_middle->setStretchFactor(1, 0);
  m_middle->setHandleWidth(1);
  m_middle->setChildrenCollapsible(false);

  m_settings = new SettingsPanel(studio, this);
  m_lens = new LensPage(studio, this);
  m_right = new QWidget(this);
  auto* rightColumn = new QVBoxLayout(m_right);
  rightColumn->setContentsMargins(0, 0, 0, 0);
  rightColumn->setSpacing(0);
  auto* heads = new QHBoxLayout;
  heads->setContentsMargins(4, 3, 4, 0);
  m_settingsTab = flatButton(m_right, tr("Settings"), tr("Parameters of the selection"), "tab");
  m_lensTab = flatButton(m_right, tr("Lens"), tr("The lens stack"), "tab");
  for (QToolButton* b : {m_settingsTab, m_lensTab}) {
    b->setCheckable(true);
    heads->addWidget(b);
  }
  heads->addStretch(1);
  connect(m_settingsTab, &QToolButton::clicked, this, [this] { showRight(0); });
  connect(m_lensTab, &QToolButton::clicked, this, [this] { showRight(1); });
  rightColumn->addLayout(heads);
  m_pages = new QStackedWidget(m_right);
  m_pages->addWidget(m_settings);
  m_pages->addWidget(m_lens);
  rightColumn->addWidget(m_pages, 1);
  m_right->setMinimumWidth(250);

  m_columns = new QSplitter(Qt::Horizontal, this);
  m_columns->addWidget(m_left);
  m_columns->addWidget(m_middle);
  m_columns->addWidget(m_right);
  m_columns->setSizes({212, 776, 292});
  m_columns->setStretchFactor(0, 0);
  m_columns->setStretchFactor(1, 1);
  m_columns->setStretchFactor(2, 0);
  m_columns->setHandleWidth(1);
  m_columns->setChildrenCollapsible(false);
  setCentralWidget(m_columns);
  showRight(0);

  m_progress = new QLabel(this);
  m_rate = new QLabel(this);
  m_message = new QLabel(this);
  for (QLabel* l : {m_progress, m_rate, m_message}) l->setStyleSheet(QStringLiteral("color: #9a968f"));
  m_message->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  m_message->installEventFilter(this);
  qApp->installEventFilter(this);
  m_cancel = flatButton(this, tr("Cancel"), tr("Breaks off what is going on"), "accent");
  m_cancel->hide();
  connect(m_cancel, &QToolButton::clicked, &studio, &Studio::cancelBackground);
  statusBar()->setSizeGripEnabled(false);
  statusBar()->setContentsMargins(8, 0, 8, 0);
  statusBar()->addWidget(m_progress);
  statusBar()->addWidget(m_cancel);
  statusBar()->addWidget(m_rate);
  statusBar()->addPermanentWidget(m_message, 1);

  m_files = new DocumentFiles(studio, this);
  m_models = new ModelFiles(studio, this);
  m_reload = flatButton(this, QString(), tr("Takes the model anew: materials, places and effects hold"), "accent");
  m_reload->setObjectName(QStringLiteral("reload"));
  m_reload->hide();
  connect(m_reload, &QToolButton::clicked, m_models, &ModelFiles::reload);
  connect(m_models, &ModelFiles::changedOnDisk, this, [this] {
    const QStringList& files = m_models->changedModels();
    m_reload->setVisible(!files.isEmpty());
    if (!files.isEmpty())
      m_reload->setText(files.size() == 1
                            ? tr("%1 has changed on disk: reload").arg(QFileInfo(files.front()).fileName())
                            : tr("%1 models have changed on disk: reload").arg(files.size()));
  });
  statusBar()->addPermanentWidget(m_reload);
  makeCommands();
  makeMenus();

  connect(&studio, &Studio::imageArrived, this, [this] {
    showState();
    if (!m_exportPath.isEmpty() && pictureFinished()) {
      const QString path = std::exchange(m_exportPath, {});
      m_files->setPending({}, {});
      exportPicture(path, false, std::exchange(m_exportDone, {}));
    }
  });
  connect(&studio, &Studio::backgroundChanged, this, &MainWindow::showState);
  connect(&studio, &Studio::documentChanged, this, &MainWindow::showTitle);
  // What was said of the document before holds no longer; what is said of this change comes after it.
  connect(&studio, &Studio::documentChanged, this, [this] {
    if (m_says.isEmpty()) return;
    m_says.clear();
    showMessage();
  });
  connect(&studio, &Studio::fileChanged, this, &MainWindow::showTitle);
  // In an empty scene the starters have the room; else the things.
  connect(&studio, &Studio::documentChanged, this, [this] { shareLeft(); });
  connect(&studio, &Studio::told, this, [this](const QString& text, bool trouble) {
    m_lastTold = text;
    m_messages.push_back({QTime::currentTime().toString(QStringLiteral("HH:mm:ss")), text});
    if (m_messages.size() > 200) m_messages.erase(m_messages.begin());
    m_says = text;
    m_refused = trouble;
    showMessage();
  });
  connect(m_picture, &PictureView::fileDropped, this, [this](const QString& path) {
    if (!path.endsWith(QStringLiteral(".ilum"))) return importFile(path);
    m_files->whenFree([this, path] { openFile(path); });
  });
  for (ThingsPanel* p : {m_effects, m_scene}) {
    connect(p, &ThingsPanel::addRequested, this, &MainWindow::addThing);
    connect(p, &ThingsPanel::importRequested, this, [this] { m_commands.run(QStringLiteral("file.import")); });
    connect(p, &ThingsPanel::starterRequested, this, &MainWindow::openStarter);
  }
  const QSettings s;
  if (s.contains(QStringLiteral("window/geometry")))
    restoreGeometry(s.value(QStringLiteral("window/geometry")).toByteArray());
  showTitle();
  showState();
  m_picture->setFocus();
}

MainWindow::~MainWindow() = default;

void MainWindow::shareLeft() {
  const int state = m_studio.doc().nodes().size() <= 1 ? 1 : 2;
  if (state == m_leftState) return;
  m_leftState = state;
  const int all = std::max(300, m_left->height());
  m_left->setSizes(state == 1 ? QList<int>{all * 3 / 4, all / 4} : QList<int>{190, all - 190});
}

void MainWindow::showRight(int page) {
  m_pages->setCurrentIndex(page);
  m_settingsTab->setChecked(page == 0);
  m_lensTab->setChecked(page == 1);
}

void MainWindow::openFile(const QString& path, std::function<void()> done) { m_files->open(path, std::move(done)); }
void MainWindow::saveFile(const QString& path, std::function<void()> done) { m_files->saveTo(path, std::move(done)); }
void MainWindow::openStarter(const QString& name) {
  m_files->whenFree([this, name] { m_files->openStarter(name); });
}

void MainWindow::importFile(const QString& path, std::function<void()> done) {
  if (!path.endsWith(QStringLiteral(".vdb"), Qt::CaseInsensitive)) return m_models->import(path, std::move(done));
  // Voxels are air; whether they can be read is told when they are compiled.
  NodeId made = 0;
  m_studio.edit(tr("Import %1").arg(QFileInfo(path).fileName()), [&](const Document& d) {
    const Document out = addNode(d, "air.grid", QFileInfo(path).completeBaseName().toStdString(), {}, &made);
    return setValue(out, made, "file", Constant(path.toStdString()));
  });
  if (made) m_studio.select({made});
  if (done) done();
}

void MainWindow::addThing(const QString& kind) {
  const std::string id = kind.toStdString();
  const Kind* k = m_studio.kinds()->find(id);
  if (!k) return;
  NodeId made = 0;
  std::vector<std::string> told;
  const bool ok = m_studio.edit(tr("Add %1").arg(qs(k->label)), [&](const Document& d) {
    if (k->family() == "effect") return addEffect(d, id, m_studio.selection(), &made, &told);
    const ScenePtr scene = m_studio.session().scene();
    if (k->family() == "air") {
      // What is selected takes the places that it fits: the shape that it fills, its light, its opening.
      Document out = addNode(d, id, "", {}, &made);
      for (const NodeId thing : m_studio.selection())
        for (const ParamDef& p : k->params)
          if (const Node* n = d.find(thing); n && !isGroup(*n) && p.type == ParamType::Reference &&
                                             accepted(p.accepts, n->kind->id) &&
                                             !Params(*out.find(made), 0).reference(p.name).target) {
            out = setValue(out, made, p.name, Constant(Reference{thing, nullptr}));
            break;
          }
      return out;
    }
    if (k->family() == "material" || k->family() == "plate" || !scene) return addNode(d, id, "", {}, &made);
    Document out = addFramed(d, *scene, id, &made);
    if (k->family() != "camera") cameraFor(out, &told); // what is added is seen
    return out;
  });
  if (!ok || !made) return;
  m_studio.select({made});
  showRight(0);
  QStringList lines;
  for (const std::string& t : told) lines << qs(t);
  if (!lines.isEmpty()) m_studio.tell(lines.join(QStringLiteral("; ")));
}

void MainWindow::fold(const QString& part, bool folded) {
  if (part == QStringLiteral("left")) m_left->setVisible(!folded);
  if (part == QStringLiteral("right")) m_right->setVisible(!folded);
  if (part == QStringLiteral("route")) m_route->setFolded(folded);
  if (part == QStringLiteral("drawer")) {
    m_drawerPages->setVisible(!folded);
    for (int i = 0; i < int(m_drawerTabs.size()); ++i)
      m_drawerTabs[size_t(i)].second->setChecked(!folded && i == m_drawerPages->currentIndex());
    Studio::View v = m_studio.view();
    v.groups = !folded && m_drawerPages->currentWidget() == m_balance;
    m_studio.setView(v);
    m_drawer->setMaximumHeight(folded ? 32 : QWIDGETSIZE_MAX);
    // What the person has set stays, unless the drawer was folded.
    if (folded || m_middle->sizes().value(1) < 60)
      m_middle->setSizes({m_middle->height() - (folded ? 32 : 150), folded ? 32 : 150});
  }
}

void MainWindow::showDrawer(const QString& page) {
  const bool open = m_drawerPages->isVisible();
  for (int i = 0; i < int(m_drawerTabs.size()); ++i) {
    if (m_drawerTabs[size_t(i)].first != page) continue;
    const bool same = m_drawerPages->currentIndex() == i;
    m_drawerPages->setCurrentIndex(i);
    fold(QStringLiteral("drawer"), open && same);
  }
}

void MainWindow::pictureAlone(bool on) {
  if (m_alone == on) return;
  m_alone = on;
  const std::vector<QWidget*> parts = {m_left, m_right, m_drawer, m_route, m_bar, menuBar(), statusBar()};
  if (on) {
    m_visibleBefore.clear();
    for (QWidget* w : parts) m_visibleBefore.push_back(w->isVisible());
    for (QWidget* w : parts) w->hide();
    m_picture->setFocus();
  } else {
    for (size_t i = 0; i < parts.size(); ++i) parts[i]->setVisible(m_visibleBefore[i]);
  }
}

// The mean of the picture's stops, black apart, becomes middle grey.
void MainWindow::meter() {
  const auto& image = m_studio.image();
  const Node* camera = activeCamera(m_studio.doc());
  if (!image || !image->linear || !camera) return m_studio.tell(tr("There is no picture to meter yet"), true);
  double sum = 0;
  size_t counted = 0;
  for (size_t i = 0; i < image->linear->pixels(); ++i) {
    const float* p = image->linear->rgb.data() + 3 * i;
    const double l = double(luminance({p[0], p[1], p[2]}));
    if (l < 1e-7) continue;
    sum += std::log2(l);
    ++counted;
  }
  if (!counted) return m_studio.tell(tr("The picture is black: there is nothing to meter"), true);
  const double by = std::round((sum / double(counted) - std::log2(0.18)) * 10) / 10;
  const NodeId id = camera->id;
  const double ev = Params(*camera, m_studio.frame()).number("ev100") + by;
  m_studio.edit(tr("Meter the exposure"),
                [&](const Document& d) { return setValue(d, id, "ev100", Constant(std::clamp(ev, -40.0, 40.0))); });
  m_studio.tell(tr("Exposure set to %1 EV").arg(ev, 0, 'f', 1));
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

void MainWindow::showState() {
  const QString work = m_studio.backgroundLabel();
  m_cancel->setVisible(!work.isEmpty());
  const auto& image = m_studio.image();
  QString text;
  if (image && image->error.empty()) {
    if (!activeCamera(m_studio.doc()))
      text = tr("No camera");
    else if (image->draft)
      text = tr("Draft");
    else if (image->finished)
      text = image->samples == 1 ? tr("Picture finished") : tr("Picture finished · %1 samples").arg(image->samples);
    else
      text = tr("Picture %1 / %2 samples · %3 left")
                 .arg(image->samples)
                 .arg(image->target)
                 .arg(timeText(image->secondsLeft));
    if (image->denoised) text += tr(" · denoised");
    if (m_studio.view().paused && !image->finished) text += tr(" · paused");
    if (!m_exportPath.isEmpty()) text += tr(" · will be exported");
    QString rate = image->raysPerSecond > 0 ? tr("%1 M rays/s").arg(image->raysPerSecond / 1e6, 0, 'f', 1) : QString();
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
                  : tr("%1 (and %2 more)").arg(qs(image->warnings.front())).arg(image->warnings.size() - 1);
  if (trouble != m_trouble) {
    m_trouble = trouble;
    showMessage();
  }
  if (!work.isEmpty()) text = work + QStringLiteral("…");
  m_progress->setText(text);
}

// What was said last, or else what is wrong with the picture for as long as it is.
void MainWindow::showMessage() {
  const QString& text = m_says.isEmpty() ? m_trouble : m_says;
  m_message->setText(m_message->fontMetrics().elidedText(text, Qt::ElideRight, std::max(200, width() - 460)));
  m_message->setToolTip(text.isEmpty() ? QString() : tr("%1\n\nA click shows all messages").arg(text));
  m_message->setStyleSheet(m_says.isEmpty() ? QStringLiteral("color: #e3a24a")
                           : m_refused      ? QStringLiteral("color: #e0a0a6")
                                            : QStringLiteral("color: #9a968f"));
}

void MainWindow::showMessages() {
  QStringList lines;
  if (!m_trouble.isEmpty() && m_studio.image())
    for (const std::string& t : m_studio.image()->warnings) lines << tr("Now: %1").arg(qs(t));
  for (auto it = m_messages.rbegin(); it != m_messages.rend(); ++it)
    lines << QStringLiteral("%1  %2").arg(it->first, it->second);
  if (lines.isEmpty()) lines << tr("Nothing was said yet");
  showReport(tr("Messages"), lines, this);
}

bool MainWindow::eventFilter(QObject* o, QEvent* e) {
  if (o == m_message && e->type() == QEvent::MouseButtonRelease) {
    showMessages();
    return true;
  }
  // Escape leaves picking for a role, wherever the keys go.
  if ((e->type() == QEvent::ShortcutOverride || e->type() == QEvent::KeyPress) &&
      static_cast<QKeyEvent*>(e)->key() == Qt::Key_Escape && m_studio.picking().active() &&
      !QApplication::activePopupWidget() && !QApplication::activeModalWidget()) {
    e->accept();
    if (e->type() == QEvent::KeyPress) {
      m_studio.setPicking({});
      m_studio.tell(tr("Picking is over: nothing was put into the role"));
    }
    return true;
  }
  return QMainWindow::eventFilter(o, e);
}

void MainWindow::showTitle() {
  const QString name = m_studio.path().isEmpty() ? tr("untitled") : QFileInfo(m_studio.path()).fileName();
  const bool changed = m_studio.modified();
  m_fileName->setText(
      changed ? tr("%1 · not saved").arg(name)
      : m_studio.path().isEmpty()
          ? name
          : tr("%1 · saved %2").arg(name, QFileInfo(m_studio.path()).lastModified().toString(QStringLiteral("HH:mm"))));
  setWindowTitle(QStringLiteral("%1%2 – Ilumbra").arg(name, changed ? QStringLiteral("*") : QString()));
}

void MainWindow::closeEvent(QCloseEvent* e) {
  // What must be asked or waited for first closes the window later.
  if (!m_leaving) {
    m_asking = true;
    m_files->whenLeaving([this] {
      m_leaving = true;
      if (!m_asking) close();
    });
    m_asking = false;
  }
  e->setAccepted(m_leaving);
  if (m_leaving) QSettings().setValue(QStringLiteral("window/geometry"), saveGeometry());
}

} // namespace ilumbra
