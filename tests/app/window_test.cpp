// The real window under the offscreen platform, driven by real events.
#include "app/commands/find_anything.h"
#include "app/dialogs/material_library.h"
#include "app/dialogs/recovery.h"
#include "app/drawer/balance_panel.h"
#include "app/drawer/proofs_panel.h"
#include "app/main_window.h"
#include "app/model_files.h"
#include "app/panels/lens_page.h"
#include "app/panels/material_gallery.h"
#include "app/panels/number_row.h"
#include "app/panels/route_view.h"
#include "app/panels/settings_panel.h"
#include "app/panels/status_line.h"
#include "app/panels/swatch_list.h"
#include "app/panels/things_panel.h"
#include "app/picture_files.h"
#include "app/theme.h"
#include "app/viewport/picture_bar.h"
#include "app/viewport/picture_view.h"
#include "app/viewport/pixel_note.h"
#include "app/viewport/thing_drag.h"
#include "core/base/files.h"
#include "core/compile/balance.h"
#include "core/document/difference.h"
#include "core/document/transplant.h"
#include "core/exchange/picture_file.h"
#include "core/lens/queries.h"
#include "core/surface/presets.h"
#include "demo/starters.h"
#include "tests/app/open.h"

#include <filesystem>
#include <fstream>
#include <QApplication>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QRegularExpression>
#include <QSettings>
#include <QStandardPaths>
#include <QTest>
#include <QToolButton>
#include <QTreeWidget>

using namespace ilumbra;
using namespace ilumbra::test;
namespace fs = std::filesystem;

TEST_CASE("The main job: open, add a glow, drag a value, undo, keep two proofs, wipe, save, reopen, compare equal",
          "[app][main-job]") {
  Open o;
  MainWindow& w = *o.window;
  // Add a glow to the brass moon, which gives no light yet.
  o.studio->select({o.id("Brass moon")});
  w.commands().run("scene.add.effect.glow");
  REQUIRE(o.doc().findByName("Brass moon glow"));
  CHECK(o.studio->current() == o.id("Brass moon glow"));
  CHECK(w.lastTold().contains("gave no light"));
  REQUIRE(o.finished());
  REQUIRE(o.studio->image()->route);
  CHECK(o.studio->image()->route->effect == o.id("Brass moon glow"));
  REQUIRE(o.studio->keep());

  // Drag the strength of its lens stage along its ruled line: one gesture, one step.
  const NodeId stage = roleOf(o.doc(), *o.doc().findByName("Brass moon glow"), "lens").front();
  auto* row = qobject_cast<NumberRow*>(w.settings().row(stage, "amount"));
  REQUIRE(row);
  const double before = Params(*o.doc().find(stage), 1).number("amount");
  const std::string undoBefore = o.studio->history().undoLabel();
  QTest::mousePress(row, Qt::LeftButton, {}, row->handle());
  for (int x = 10; x <= 100; x += 10) QTest::mouseMove(row, row->handle() + QPoint(10, 0));
  QTest::mouseRelease(row, Qt::LeftButton, {}, row->handle());
  const double after = Params(*o.doc().find(stage), 1).number("amount");
  CHECK(after > before + 0.05);
  const Document dragged = o.doc();
  REQUIRE(o.finished());
  REQUIRE(o.studio->keep());
  QTest::keyClick(&w, Qt::Key_Z, Qt::ControlModifier);
  CHECK(Params(*o.doc().find(stage), 1).number("amount") == before);
  CHECK(o.studio->history().undoLabel() == undoBefore);
  QTest::keyClick(&w, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  CHECK(o.doc() == dragged);

  // Two proofs; wipe between the live picture and the first.
  REQUIRE(o.studio->proofs().size() == 2);
  w.proofs().list()->setCurrentRow(0);
  CHECK(o.studio->view().compare == Compare::Wipe);
  REQUIRE(o.finished());
  CHECK_FALSE(o.studio->image()->otherRgba.empty());
  CHECK(w.proofs().changes()->topLevelItemCount() == 1);
  const QRectF r = w.picture().pictureRect();
  const QPoint edge(int(r.left() + r.width() / 2), int(r.center().y()));
  QTest::mousePress(&w.picture(), Qt::LeftButton, {}, edge);
  QTest::mouseMove(&w.picture(), edge - QPoint(int(r.width() / 4), 0));
  QTest::mouseRelease(&w.picture(), Qt::LeftButton, {}, edge - QPoint(int(r.width() / 4), 0));
  CHECK(w.picture().wipe() == Approx(0.25).margin(0.02));

  // Save, reopen, compare equal.
  bool saved = false;
  const QString path = QString::fromStdString(o.folder / "kept.ilum");
  w.saveFile(path, [&] { saved = true; });
  REQUIRE(Open::wait([&] { return saved; }));
  CHECK_FALSE(o.studio->modified());
  const Document kept = o.doc();
  bool opened = false;
  w.openFile(path, [&] { opened = true; });
  REQUIRE(Open::wait([&] { return opened; }));
  CHECK(o.doc() == kept);
  CHECK(differences(kept, o.doc()).empty());
}

TEST_CASE("Roles are filled by picking and emptied again", "[app][effect]") {
  Open o;
  const NodeId glow = o.id("Sun core glow");
  o.studio->select({glow});
  o.studio->setPicking({glow, "from"});
  QCoreApplication::processEvents();
  o.studio->offer(o.id("Camera"));
  CHECK(o.window->lastTold().contains("does not go into"));
  CHECK(o.studio->picking().active());
  o.studio->offer(o.id("Night window"));
  CHECK_FALSE(o.studio->picking().active());
  CHECK(roleOf(o.doc(), *o.doc().find(glow), "from").size() == 2);
  CHECK(o.studio->current() == glow);
  o.studio->undo();
  CHECK(roleOf(o.doc(), *o.doc().find(glow), "from").size() == 1);
}

TEST_CASE("While a role is picked for, lights outside the frame stand at its edge and can be clicked",
          "[app][effect]") {
  Open o;
  const NodeId glow = o.id("Sun core glow"), lamp = o.id("Night window");
  o.studio->select({glow});
  CHECK(o.window->picture().edgeMark(lamp).isEmpty());
  o.studio->setPicking({glow, "from"});
  o.window->grab();
  const QRectF mark = o.window->picture().edgeMark(lamp);
  REQUIRE_FALSE(mark.isEmpty());
  CHECK(o.window->picture().pictureRect().contains(mark));
  QTest::mouseClick(&o.window->picture(), Qt::LeftButton, {}, mark.center().toPoint());
  CHECK(roleOf(o.doc(), *o.doc().find(glow), "from").size() == 2);
}

TEST_CASE("Things dropped on a role go in if they fit", "[app][effect]") {
  Open o;
  const NodeId glow = o.id("Sun core glow");
  o.studio->select({glow});
  auto* zone = o.window->settings().widget()->findChild<QWidget*>("role from");
  REQUIRE(zone);
  QMimeData data;
  data.setData(thingsMime, QString("%1 %2").arg(o.id("Night window")).arg(o.id("Camera")).toUtf8());
  QDragEnterEvent enter(QPoint(5, 5), Qt::CopyAction, &data, Qt::LeftButton, {});
  QCoreApplication::sendEvent(zone, &enter);
  CHECK(enter.isAccepted());
  QDropEvent drop(QPointF(5, 5), Qt::CopyAction, &data, Qt::LeftButton, {});
  QCoreApplication::sendEvent(zone, &drop);
  QCoreApplication::processEvents();
  CHECK(roleOf(o.doc(), *o.doc().find(glow), "from").size() == 2);
  CHECK(o.window->lastTold().contains("does not go here"));
}

TEST_CASE("A finding's mend is one click in the route, and undoable", "[app][route]") {
  Open o;
  o.studio->select({o.id("Sun core glow")});
  o.studio->edit("Dim", [&](const Document& d) { return setAt(d, resolve(d, "Sun glass.own_light"), Constant(0.0)); });
  REQUIRE(o.finished());
  REQUIRE_FALSE(o.window->route().mends().empty());
  CHECK(o.window->effects().list()->topLevelItem(0)->data(0, Qt::UserRole + 1).toString().contains("nothing shows"));
  REQUIRE(o.window->route().applyMendAt(0));
  CHECK(o.number("Sun glass.own_light") > 0);
  REQUIRE(o.finished());
  // Of two samples the peaks are low: that a key lets little of them pass is no fault of the mend.
  for (const auto& f : o.studio->image()->route->findings) {
    CAPTURE(f.text);
    CHECK(f.text.find("lets little pass") != std::string::npos);
  }
  o.studio->undo();
  CHECK(o.number("Sun glass.own_light") == 0);
  o.window->route().setFolded(true);
  CHECK(o.window->route().height() < 30);
}

TEST_CASE("Proofs: name, delete, difference, carry one over, go on", "[app][proofs]") {
  Open o;
  REQUIRE(o.studio->keep());
  const Document first = o.doc();
  o.studio->edit("Two changes", [](const Document& d) {
    return setAt(setAt(d, resolve(d, "Halo.amount"), Constant(0.6)), resolve(d, "Camera.ev100"), Constant(7.0));
  });
  REQUIRE(o.finished());
  REQUIRE(o.studio->keep());
  o.window->commands().run("picture.difference");
  CHECK(o.studio->view().compare == Compare::Difference);
  o.window->proofs().list()->setCurrentRow(0);
  REQUIRE(o.window->proofs().changes()->topLevelItemCount() == 2);
  CHECK(o.window->proofs().changes()->topLevelItem(0)->text(0).contains(QStringLiteral("→")));
  REQUIRE(o.window->proofs().carry(0));
  CHECK(o.window->proofs().changes()->topLevelItemCount() == 1);
  o.studio->renameProof(1, "before the storm");
  CHECK(o.window->proofs().list()->item(0)->text().contains("before the storm"));
  o.studio->goOnFrom(1);
  CHECK(o.doc() == first);
  o.studio->undo();
  CHECK_FALSE(o.doc() == first);
  // Two proofs against each other.
  Studio::View v = o.studio->view();
  v.compare = Compare::SideBySide;
  v.left = 2;
  o.studio->setView(v);
  CHECK(o.window->proofs().changes()->topLevelItemCount() == 2);
  CHECK_FALSE(o.window->proofs().carry(0)); // nothing is carried between proofs
  o.studio->deleteProof(1);
  CHECK(o.studio->view().compare == Compare::None);
  CHECK(o.studio->proofs().size() == 1);
}

TEST_CASE("A lens stage that is added with an effect takes its light from it and joins it; buttons switch it and show "
          "it alone",
          "[app][lens]") {
  Open o;
  const size_t before = lensStages(o.doc()).size();
  o.studio->select({o.id("Sun core glow")});
  o.window->commands().run("scene.add.lens.glow");
  REQUIRE(lensStages(o.doc()).size() == before + 1);
  const NodeId made = lensStages(o.doc()).back()->id;
  CHECK(roleOf(o.doc(), *o.doc().findByName("Sun core glow"), "lens").back() == made);
  CHECK(sourcesOfStage(o.doc(), *o.doc().find(made)) == std::vector<NodeId>{o.id("Sun core")});
  CHECK(o.window->lens().open() == made);
  const auto press = [&](const QString& text) {
    for (QToolButton* b : o.window->lens().findChildren<QToolButton*>())
      if (b->text() == text && b->isVisible()) {
        QTest::mouseClick(b, Qt::LeftButton);
        QCoreApplication::processEvents();
        return true;
      }
    return false;
  };
  REQUIRE(press("alone"));
  CHECK(o.studio->view().soloStage == made);
  REQUIRE(press("on"));
  CHECK_FALSE(Params(*o.doc().find(made), 1).flag("on"));
  CHECK(problems(o.doc()).empty());
}

TEST_CASE("Anything is found by name: commands, things, parameters", "[app][find]") {
  Open o;
  FindAnything f(*o.studio, o.window->commands(), o.window.get());
  f.field()->setText("keep proof");
  REQUIRE(f.list()->count() > 0);
  CHECK(f.list()->item(0)->text().contains("Keep as a proof"));
  QTest::keyClick(f.field(), Qt::Key_Return);
  CHECK(o.studio->proofs().size() == 1);
  FindAnything g(*o.studio, o.window->commands(), o.window.get());
  NodeId node = 0;
  QString param;
  QObject::connect(&g, &FindAnything::parameterChosen, [&](NodeId n, const QString& p) {
    node = n;
    param = p;
  });
  g.field()->setText("halo amount");
  QTest::keyClick(g.field(), Qt::Key_Return);
  CHECK(node == o.id("Halo"));
  CHECK(param == "amount");
  FindAnything h(*o.studio, o.window->commands(), o.window.get());
  h.field()->setText("no such thing at all");
  CHECK(h.list()->count() == 0);
}

TEST_CASE("Lists search, select, and show groups", "[app][lists]") {
  Open o;
  QTreeWidget* list = o.window->scene().list();
  const auto shown = [&] {
    QStringList names;
    for (QTreeWidgetItemIterator it(list); *it; ++it) names << (*it)->text(0);
    return names;
  };
  CHECK(shown().contains("Sun core"));
  CHECK(shown().contains("Lights"));
  o.window->scene().search()->setText("moon");
  CHECK(shown().contains("Brass moon"));
  CHECK_FALSE(shown().contains("Sun core"));
  o.window->scene().search()->clear();
  o.studio->select({o.id("Glass planet")});
  REQUIRE(list->selectedItems().size() == 1);
  CHECK(list->selectedItems()[0]->text(0) == "Glass planet");
}

TEST_CASE("Shortcuts are unique, changeable and remembered; every command is in the docs", "[app][commands]") {
  Open o;
  Commands& c = o.window->commands();
  c.resetKeys();
  std::map<QString, QString> seen;
  for (const Command& k : c.all()) {
    CHECK_FALSE(k.help.isEmpty());
    CHECK(c.docs().contains(k.label));
    if (k.keys.isEmpty()) continue;
    CAPTURE(k.id.toStdString());
    CHECK(seen.count(k.keys) == 0);
    seen[k.keys] = k.id;
  }
  CHECK(c.setKeys("picture.stops", QKeySequence("Ctrl+Return")) == "picture.keep");
  CHECK(c.keysOf("picture.keep").isEmpty());
  CHECK(c.keysOf("picture.stops") == QKeySequence("Ctrl+Return"));
  c.resetKeys();
  CHECK(c.keysOf("picture.keep") == QKeySequence("Ctrl+Return"));
}

TEST_CASE("Columns, route and drawer fold, and one key shows the picture alone", "[app][window]") {
  Open o;
  const int before = o.window->picture().height();
  o.window->fold("drawer", true);
  QCoreApplication::processEvents();
  CHECK_FALSE(o.window->proofs().isVisible());
  CHECK(o.window->picture().height() > before);
  o.window->fold("drawer", false);
  QTest::keyClick(o.window.get(), Qt::Key_F4);
  QCoreApplication::processEvents();
  CHECK_FALSE(o.window->bar().isVisible());
  CHECK_FALSE(o.window->settings().isVisible());
  CHECK(o.window->picture().width() == o.window->width());
  QTest::keyClick(o.window.get(), Qt::Key_F4);
  CHECK(o.window->bar().isVisible());
  CHECK(o.window->settings().isVisible());
}

TEST_CASE("A model is imported, given a glow, and the picture exported", "[app][import]") {
  Open o;
  const QString model = "/usr/share/assimp/models/glTF2/BoxTextured-glTF-Binary/BoxTextured.glb";
  bool done = false;
  o.window->importFile(model, [&] { done = true; });
  REQUIRE(Open::wait([&] { return done; }));
  REQUIRE(o.doc().findByName("BoxTextured"));
  REQUIRE(o.finished());
  CHECK(o.studio->image()->warnings.empty());
  for (const char* name : {"p.exr", "p.png"}) {
    bool written = false;
    o.window->pictures().exportPicture(QString::fromStdString(o.folder / name), true, [&] { written = true; });
    REQUIRE(Open::wait([&] { return written; }));
    CHECK(readPicture(o.folder / name).width == 128);
  }
  o.window->models().exportSet(QString::fromStdString(o.folder / "set.glb"), false);
  CHECK(Open::wait([&] { return fs::exists(o.folder / "set.glb") && o.studio->backgroundLabel().isEmpty(); }));
  o.studio->undo();
  CHECK_FALSE(o.doc().findByName("BoxTextured"));
}

TEST_CASE("A broken file is told in words and the document stays", "[app][import]") {
  Open o;
  writeFileAtomically(o.folder / "bad.glb", "glTF");
  const Document before = o.doc();
  o.window->importFile(QString::fromStdString(o.folder / "bad.glb"));
  REQUIRE(Open::wait([&] { return o.studio->backgroundLabel().isEmpty(); }));
  CHECK(o.window->lastTold().contains("bad.glb"));
  CHECK(o.doc() == before);
  writeFileAtomically(o.folder / "bad.ilum", "{");
  o.window->openFile(QString::fromStdString(o.folder / "bad.ilum"));
  REQUIRE(Open::wait([&] { return o.studio->backgroundLabel().isEmpty(); }));
  CHECK(o.window->lastTold().contains("bad.ilum"));
  CHECK(o.doc() == before);
}

TEST_CASE("New things are framed, named and undoable; every kind can be added", "[app][add]") {
  Open o;
  for (const Kind& k : kinds()->all()) {
    const auto f = k.family();
    if (f != "effect" && !standsInScene(k)) continue;
    const Document before = o.doc();
    o.window->commands().run(QString::fromStdString("scene.add." + k.id));
    CAPTURE(k.id);
    CHECK(o.doc().nodes().size() > before.nodes().size());
    CHECK(problems(o.doc()).empty());
    o.studio->undo();
    CHECK(o.doc() == before);
  }
}

TEST_CASE("Unsaved work is kept aside and can be taken up again", "[app][recovery]") {
  Open o;
  o.studio->edit("Change", [](const Document& d) { return setAt(d, resolve(d, "Halo.amount"), Constant(0.77)); });
  recovery::keep(o.doc(), "/somewhere/else.ilum");
  recovery::forget();
  CHECK(recovery::findLost().empty());
  recovery::keep(o.doc(), "/somewhere/else.ilum");
  // As if this process were gone: under the number of one that cannot live.
  QString folder = QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation) + "/recovery";
  const QString own = QString("%1/%2.ilum").arg(folder).arg(QCoreApplication::applicationPid()),
                gone = folder + "/999999999.ilum";
  REQUIRE(Open::wait([&] { return fs::exists((own + ".from").toStdString()) && fs::exists(own.toStdString()); }));
  fs::rename(own.toStdString(), gone.toStdString());
  fs::rename((own + ".from").toStdString(), (gone + ".from").toStdString());
  const auto lost = recovery::findLost();
  REQUIRE(lost.size() == 1);
  CHECK(lost[0].original == "/somewhere/else.ilum");
  const Document doc = recovery::read(kinds(), lost[0]);
  CHECK(Params(*doc.findByName("Halo"), 1).number("amount") == 0.77);
  recovery::forget(lost[0]);
  CHECK(recovery::findLost().empty());
}

TEST_CASE("Closing asks nothing when nothing is unsaved", "[app][window]") {
  Open o;
  CHECK_FALSE(o.studio->modified());
  CHECK(o.window->close());
}

TEST_CASE("A bare window says what to do", "[app][empty]") {
  Studio studio;
  MainWindow w(studio);
  w.resize(1280, 800);
  w.show();
  QCoreApplication::processEvents();
  QStringList starters;
  for (QToolButton* b : w.effects().findChildren<QToolButton*>()) starters << b->text();
  CHECK(starters.contains("Sun core"));
  CHECK(starters.contains("Orrery Hall"));
  w.commands().run("picture.frame");
  CHECK(w.lastTold().contains("no camera"));
  w.commands().run("picture.wipe");
  CHECK(w.lastTold().contains("Keep a proof first"));
  w.openStarter("sun-core");
  CHECK(Open::wait([&] { return studio.doc().findByName("Sun core") != nullptr; }));
  CHECK(studio.path().isEmpty());
}

TEST_CASE("The balance drawer switches, solos and lifts lights at once, and writes it into them", "[app][balance]") {
  Open o;
  o.window->showDrawer("balance");
  REQUIRE(Open::wait([&] { return o.window->balance().rows().size() >= 2; }));
  BalanceRow* window = o.window->balance().row(o.id("Night window"));
  REQUIRE(window);
  const Document before = o.doc();
  QTest::mouseClick(window, Qt::LeftButton, {}, window->soloRect().center());
  CHECK(balanceRow(o.doc(), o.id("Night window")));
  REQUIRE(o.finished());
  CHECK(o.studio->image()->raysSinceRequest == 0);
  // A drag on the ruled line is one step of the history.
  const QPoint from(window->handle(), window->lineRect().center().y());
  QTest::mousePress(window, Qt::LeftButton, {}, from);
  for (int i = 1; i <= 5; ++i) QTest::mouseMove(window, from + QPoint(8 * i, 0));
  QTest::mouseRelease(window, Qt::LeftButton, {}, from + QPoint(40, 0));
  const double stops = Params(*balanceRow(o.doc(), o.id("Night window")), 1).number("stops");
  CHECK(stops > 0);
  o.studio->undo();
  CHECK(Params(*balanceRow(o.doc(), o.id("Night window")), 1).number("stops") == 0);
  o.studio->redo();
  QTest::keyClick(window, Qt::Key_S); // no longer solo
  QTest::keyClick(window, Qt::Key_Right);
  CHECK(Params(*balanceRow(o.doc(), o.id("Night window")), 1).number("stops") == Approx(stops + 0.25).margin(0.03));
  QTest::keyClick(window, Qt::Key_Space);
  CHECK_FALSE(Params(*balanceRow(o.doc(), o.id("Night window")), 1).flag("on"));
  o.window->balance().writeInto();
  CHECK(o.doc().family("balance").empty());
  CHECK_FALSE(Params(*o.doc().findByName("Night window"), 1).flag("on"));
  // What a row says of playing and of files stays when the balance goes.
  const NodeId night = o.id("Night window");
  window = o.window->balance().row(night);
  REQUIRE(window);
  QTest::keyClick(window, Qt::Key_L);
  CHECK(liveInPlay(o.doc(), night) == true);
  QTimer::singleShot(0, [] {
    REQUIRE(Open::wait([] { return QApplication::activeModalWidget() != nullptr; }));
    auto* field = QApplication::activeModalWidget()->findChild<QLineEdit*>();
    REQUIRE(field);
    QTest::keyClicks(field, "Room");
    QTest::keyClick(field, Qt::Key_Return);
  });
  QTest::keyClick(window, Qt::Key_F);
  CHECK(layerOfLight(o.doc(), night, "Night window") == "Room");
  QTest::keyClick(window, Qt::Key_Right);
  o.window->balance().clear();
  CHECK(Params(*balanceRow(o.doc(), night), 1).number("stops") == 0);
  CHECK(liveInPlay(o.doc(), night) == true);
  o.studio->undo();
  o.studio->undo();
  o.studio->undo();
  o.studio->undo();
  CHECK(o.doc().family("balance").empty());
  o.studio->undo();
  o.window->balance().clear();
  CHECK(o.doc().family("balance").empty());
  // The open page folds by its own tab.
  o.window->showDrawer("balance");
  CHECK_FALSE(o.window->balance().isVisible());
  o.studio->undo();
  while (o.studio->history().canUndo() && !(o.doc() == before)) o.studio->undo();
  CHECK(o.doc() == before);
}
