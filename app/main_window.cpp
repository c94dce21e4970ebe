#include "app/main_window.h"

#include "app/commands/menus.h"
#include "app/dialogs/outcomes.h"
#include "app/document_files.h"
#include "app/drawer/balance_panel.h"
#include "app/drawer/drawer.h"
#include "app/drawer/proofs_panel.h"
#include "app/drawer/queue_panel.h"
#include "app/model_files.h"
#include "app/panels/lens_page.h"
#include "app/panels/number_row.h"
#include "app/panels/route_view.h"
#include "app/panels/settings_panel.h"
#include "app/panels/status_line.h"
#include "app/panels/things_panel.h"
#include "app/picture_files.h"
#include "app/theme.h"
#include "app/viewport/picture_bar.h"
#include "app/viewport/picture_view.h"
#include "core/document/edit.h"
#include "core/document/file.h"
#include "core/effects/kept_effect.h"
#include "core/effects/making.h"
#include "core/geometry/shape.h"
#include "core/placing/framing.h"
#include "demo/starters.h"

#include <QAction>
#include <QApplication>
#include <QCloseEvent>
#include <QDateTime>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QMenuBar>
#include <QSettings>
#include <QSplitter>
#include <QStackedWidget>
#include <QToolButton>

namespace ilumbra {
namespace {

QSplitter* column(Qt::Orientation way, std::initializer_list<QWidget*> parts, QWidget* parent) {
  auto* s = new QSplitter(way, parent);
  for (QWidget* w : parts) s->addWidget(w);
  s->setHandleWidth(1);
  s->setChildrenCollapsible(false);
  return s;
}

QVBoxLayout* bareColumn(QWidget* in) {
  auto* c = new QVBoxLayout(in);
  c->setContentsMargins(0, 0, 0, 0);
  c->setSpacing(0);
  return c;
}

} // namespace

MainWindow::MainWindow(Studio& studio, QWidget* parent) : QMainWindow(parent), m_studio(studio), m_commands(this) {
  resize(1280, 800);
  setMinimumSize(900, 560);
  m_files = new DocumentFiles(studio, this);
  m_models = new ModelFiles(studio, this);
  m_pictures = new PictureFiles(studio, *m_files, this);
  makeLeft();
  makeMiddle();
  makeRight();
  auto* columns = column(Qt::Horizontal, {m_left, m_middle, m_right}, this);
  columns->setSizes({212, 776, 292});
  columns->setStretchFactor(0, 0);
  columns->setStretchFactor(1, 1);
  columns->setStretchFactor(2, 0);
  setCentralWidget(columns);
  m_status = new StatusLine(studio, *m_models, *m_pictures, this);
  setStatusBar(m_status);
  for (const auto add : {addFileCommands, addEditCommands, addSceneCommands, addLensCommands, addLightCommands,
                         addPlaceCommands, addPictureCommands, addWindowCommands, addHelpCommands})
    add(*this);
  makeMenus();
  connectParts();
  qApp->installEventFilter(this);
  const QSettings s;
  if (s.contains(QStringLiteral("window/geometry")))
    restoreGeometry(s.value(QStringLiteral("window/geometry")).toByteArray());
  showTitle();
  m_picture->setFocus();
}

MainWindow::~MainWindow() = default;

void MainWindow::makeLeft() {
  m_effects = new ThingsPanel(m_studio, ThingsPanel::What::Effects, this);
  m_scene = new ThingsPanel(m_studio, ThingsPanel::What::Scene, this);
  m_left = column(Qt::Vertical, {m_effects, m_scene}, this);
  m_left->setSizes({560, 190});
  m_left->setMinimumWidth(160);
}

void MainWindow::makeMiddle() {
  m_picture = new PictureView(m_studio, this);
  m_bar = new PictureBar(m_studio, *m_picture, this);
  m_route = new RouteView(m_studio, this);
  auto* top = new QWidget(this);
  QVBoxLayout* c = bareColumn(top);
  c->addWidget(m_bar);
  c->addWidget(m_picture, 1);
  c->addWidget(m_route);
  m_drawer = new Drawer(m_studio, this);
  m_middle = column(Qt::Vertical, {top, m_drawer}, this);
  m_middle->setSizes({590, 150});
  m_middle->setStretchFactor(0, 1);
  m_middle->setStretchFactor(1, 0);
  // What the person has set stays, unless the drawer was folded.
  connect(m_drawer, &Drawer::foldChanged, this, [this](bool folded) {
    const int high = folded ? Drawer::foldedHeight : 150;
    if (folded || m_middle->sizes().value(1) < 60) m_middle->setSizes({m_middle->height() - high, high});
  });
}

void MainWindow::makeRight() {
  m_settings = new SettingsPanel(m_studio, this);
  m_lens = new LensPage(m_studio, this);
  m_right = new QWidget(this);
  QVBoxLayout* c = bareColumn(m_right);
  auto* heads = new QHBoxLayout;
  heads->setContentsMargins(4, 3, 4, 0);
  m_settingsTab = flatButton(m_right, tr("Settings"), tr("Parameters of the selection"), "tab");
  m_lensTab = flatButton(m_right, tr("Lens"), tr("The lens stack"), "tab");
  for (QToolButton* b : {m_settingsTab, m_lensTab}) {
    b->setCheckable(true);
    heads->addWidget(b);
  }
  heads->addStretch(1);
  connect(m_settingsTab, &QToolButton::clicked, this, [this] { showRight(Right::Settings); });
  connect(m_lensTab, &QToolButton::clicked, this, [this] { showRight(Right::Lens); });
  c->addLayout(heads);
  m_pages = new QStackedWidget(m_right);
  m_pages->addWidget(m_settings);
  m_pages->addWidget(m_lens);
  c->addWidget(m_pages, 1);
  m_right->setMinimumWidth(250);
  showRight(Right::Settings);
}

void MainWindow::connectParts() {
  connect(&m_studio, &Studio::documentChanged, this, &MainWindow::showTitle);
  connect(&m_studio, &Studio::fileChanged, this, &MainWindow::showTitle);
  // In an empty scene the starters have the room; else the things.
  connect(&m_studio, &Studio::documentChanged, this, &MainWindow::shareLeft);
  connect(m_picture, &PictureView::fileDropped, this, [this](const QString& path) {
    if (!path.endsWith(QStringLiteral(".ilum"))) return importFile(path);
    m_files->whenFree([this, path] { openFile(path); });
  });
  const auto drop = [this](const std::vector<NodeId>& things, NodeId onto) { dropOn(this, m_studio, things, onto); };
  connect(m_picture, &PictureView::thingsDropped, this, drop, Qt::QueuedConnection);
  for (ThingsPanel* p : {m_effects, m_scene}) {
    connect(p, &ThingsPanel::thingsDropped, this, drop);
    connect(p, &ThingsPanel::addRequested, this, &MainWindow::addThing);
    connect(p, &ThingsPanel::importRequested, this, [this] { m_commands.run(QStringLiteral("file.import")); });
    connect(p, &ThingsPanel::starterRequested, this, &MainWindow::openStarter);
  }
}

void MainWindow::makeMenus() {
  auto* word = new QLabel(QStringLiteral("Ilumbra"), this);
  word->setFont(theme::font(13, 700));
  word->setStyleSheet(QStringLiteral("color: #74c6ae; padding: 0 6px 2px 10px"));
  menuBar()->setCornerWidget(word, Qt::TopLeftCorner);
  m_fileName = new QLabel(this);
  m_fileName->setStyleSheet(QStringLiteral("color: #9a968f; padding: 4px 12px 0 0"));
  // The corner is laid out once: room for the longest text.
  m_fileName->setMinimumWidth(300);
  m_fileName->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  menuBar()->setCornerWidget(m_fileName, Qt::TopRightCorner);
  QMenu* menu = nullptr;
  QString name;
  for (const Command& c : m_commands.all()) {
    if (c.menu.isEmpty()) continue;
    if (c.menu != name) {
      name = c.menu;
      menu = menuBar()->addMenu(name);
      connect(menu, &QMenu::aboutToShow, this, [this, name] {
        for (const Command& k : m_commands.all())
          if (k.menu == name) m_commands.action(k.id)->setEnabled(!k.enabled || k.enabled());
        if (QAction* u = m_commands.action(QStringLiteral("edit.undo")))
          u->setText(m_studio.history().canUndo() ? tr("Undo: %1").arg(qs(m_studio.history().undoLabel()))
                                                  : tr("Undo"));
        if (QAction* r = m_commands.action(QStringLiteral("edit.redo")))
          r->setText(m_studio.history().canRedo() ? tr("Redo: %1").arg(qs(m_studio.history().redoLabel()))
                                                  : tr("Redo"));
      });
      // Disabled entries must not swallow their keys once the menu has closed.
      connect(menu, &QMenu::aboutToHide, this, [this, name] {
        for (const Command& k : m_commands.all())
          if (k.menu == name) m_commands.action(k.id)->setEnabled(true);
      });
      if (c.id == QStringLiteral("file.new")) {
        QMenu* starters = menu->addMenu(tr("Starters"));
        for (const Starter& s : allStarters()) {
          QAction* a = starters->addAction(qs(s.label));
          a->setToolTip(qs(s.teaches));
          connect(a, &QAction::triggered, this, [this, n = qs(s.name)] { openStarter(n); });
        }
      }
    }
    if (c.separatorBefore && !menu->isEmpty()) menu->addSeparator();
    menu->addAction(m_commands.action(c.id));
    if (c.id == QStringLiteral("file.open")) {
      m_recent = menu->addMenu(tr("Recent"));
      connect(m_recent, &QMenu::aboutToShow, this, &MainWindow::refreshRecent);
      refreshRecent();
    }
  }
}

void MainWindow::refreshRecent() {
  m_recent->clear();
  for (const QString& f : QSettings().value(QStringLiteral("recent")).toStringList()) {
    QAction* a = m_recent->addAction(QFileInfo(f).fileName());
    a->setToolTip(f);
    connect(a, &QAction::triggered, this, [this, f] { m_files->whenFree([this, f] { openFile(f); }); });
  }
  m_recent->setEnabled(!m_recent->isEmpty());
}

void MainWindow::shareLeft() {
  const int state = m_studio.doc().nodes().size() <= 1 ? 1 : 2;
  if (state == m_leftState) return;
  m_leftState = state;
  const int all = std::max(300, m_left->height());
  m_left->setSizes(state == 1 ? QList<int>{all * 3 / 4, all / 4} : QList<int>{190, all - 190});
}

void MainWindow::showRight(Right page) {
  m_pages->setCurrentIndex(int(page));
  m_settingsTab->setChecked(page == Right::Settings);
  m_lensTab->setChecked(page == Right::Lens);
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
  const bool kept = !k && kind.endsWith(QStringLiteral(".ilum")); // an effect of the library
  if (!k && !kept) return;
  NodeId made = 0;
  std::vector<std::string> told;
  const QString name = kept ? QFileInfo(kind).completeBaseName() : qs(k->label);
  const bool ok = m_studio.edit(tr("Add %1").arg(name), [&](const Document& d) {
    if (kept) return addKeptEffect(d, readDocument(m_studio.kinds(), id), m_studio.selection(), &made, &told);
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
  showRight(Right::Settings);
  QStringList lines;
  for (const std::string& t : told) lines << qs(t);
  if (!lines.isEmpty()) m_studio.tell(lines.join(QStringLiteral("; ")));
}

ProofsPanel& MainWindow::proofs() { return *m_drawer->findChild<ProofsPanel*>(); }
BalancePanel& MainWindow::balance() { return *m_drawer->findChild<BalancePanel*>(); }
QueuePanel& MainWindow::queue() { return *m_drawer->findChild<QueuePanel*>(); }
QString MainWindow::lastTold() const { return m_status->lastTold(); }
void MainWindow::showDrawer(const QString& page) { m_drawer->showPage(page); }

void MainWindow::fold(const QString& part, bool folded) {
  if (part == QStringLiteral("left")) m_left->setVisible(!folded);
  if (part == QStringLiteral("right")) m_right->setVisible(!folded);
  if (part == QStringLiteral("route")) m_route->setFolded(folded);
  if (part == QStringLiteral("drawer")) m_drawer->setFolded(folded);
}

bool MainWindow::folded(const QString& part) const {
  if (part == QStringLiteral("left")) return !m_left->isVisible();
  if (part == QStringLiteral("right")) return !m_right->isVisible();
  if (part == QStringLiteral("route")) return m_route->folded();
  return m_drawer->folded();
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

bool MainWindow::eventFilter(QObject* o, QEvent* e) {
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
