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
#include "app/panels/other_rows.h"
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
#include "core/compile/balance.h"
#include "core/document/difference.h"
#include "core/document/file.h"
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

TEST_CASE("A click picks, a second goes behind, a drag orbits, and it is all undoable", "[app][picture]") {
  Open o;
  PictureView& view = o.window->picture();
  const ScenePtr scene = o.studio->session().scene();
  REQUIRE(scene);
  float x, y;
  REQUIRE(scene->camera.project({0.47f, 0.085f, 0.16f}, x, y));
  const QRectF r = view.pictureRect();
  const QPoint at(int(r.left() + double(x) / 128 * r.width()), int(r.top() + double(y) / 72 * r.height()));
  QTest::mouseClick(&view, Qt::LeftButton, {}, at);
  CHECK(o.studio->current() == o.id("Glass planet"));
  QTest::mouseClick(&view, Qt::LeftButton, {}, at);
  CHECK(o.studio->current() != o.id("Glass planet"));
  CHECK(o.studio->current() != 0);
  const Document before = o.doc();
  QTest::mousePress(&view, Qt::LeftButton, {}, r.center().toPoint());
  for (int i = 1; i <= 5; ++i) QTest::mouseMove(&view, r.center().toPoint() + QPoint(12 * i, 0));
  QTest::mouseRelease(&view, Qt::LeftButton, {}, r.center().toPoint() + QPoint(60, 0));
  CHECK(o.studio->history().undoLabel() == "Orbit");
  const Triple from = Params(*before.findByName("Camera"), 1).triple("position"),
               to = Params(*o.doc().findByName("Camera"), 1).triple("position");
  CHECK(from[0] != to[0]);
  CHECK(from[1] == Approx(to[1]).margin(1e-3));
  o.studio->undo();
  CHECK(o.doc() == before);
  REQUIRE(o.finished()); // what is picked is picked in the scene that is seen
  QTest::mouseClick(&view, Qt::LeftButton, Qt::ShiftModifier, at);
  CHECK(o.studio->selection().size() == 2);
  QTest::keyClick(&view, Qt::Key_Right);
  QTest::keyClick(&view, Qt::Key_Up, Qt::ShiftModifier);
  QTest::keyClick(&view, Qt::Key_Plus);
  CHECK_FALSE(o.doc() == before);
  QTest::keyClick(&view, Qt::Key_Escape);
  CHECK(o.studio->selection().empty());
}

TEST_CASE("Framing the selection brings it into the middle", "[app][picture]") {
  Open o;
  o.studio->select({o.id("Brass moon")});
  o.window->commands().run("picture.frame");
  REQUIRE(o.finished());
  float x, y;
  REQUIRE(o.studio->session().scene()->camera.project({-0.44f, 0.046f, 0.24f}, x, y));
  CHECK(x == Approx(64).margin(2));
  CHECK(y == Approx(36).margin(2));
}

TEST_CASE("Typing in a row takes units, arithmetic and stops; nonsense is told and changes nothing", "[app][rows]") {
  Open o;
  o.studio->select({o.id("Night window")});
  auto* row = qobject_cast<NumberRow*>(o.window->settings().row(o.id("Night window"), "power"));
  REQUIRE(row);
  const auto type = [&](const QString& text) {
    row->setFocus();
    QTest::keyClick(row, Qt::Key_Return);
    auto* field = row->findChild<QLineEdit*>();
    REQUIRE(field);
    field->setText(text);
    QTest::keyClick(field, Qt::Key_Return);
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
  };
  type("1.5 klm");
  CHECK(o.number("Night window.power") == 1500);
  type("+1 stop");
  CHECK(o.number("Night window.power") == 3000);
  type("3000/4");
  CHECK(o.number("Night window.power") == 750);
  type("plenty");
  CHECK(o.number("Night window.power") == 750);
  CHECK(o.window->lastTold().contains("plenty"));
  QTest::mouseDClick(row, Qt::LeftButton, {}, QPoint(8, 10));
  CHECK(o.number("Night window.power") == 2000); // the default
  QTest::keyClick(row, Qt::Key_Right);
  CHECK(o.number("Night window.power") > 2000);
  QTest::keyClick(row, Qt::Key_Backspace);
  CHECK(o.number("Night window.power") == 2000);
}

TEST_CASE("The panel of a plate has rows for what it shows alone, and no empty heads", "[app][settings]") {
  Open o;
  NodeId plate = 0;
  o.studio->edit("Add a plate", [&](const Document& d) { return addNode(d, "plate.picture", "Plate", {}, &plate); });
  const auto shows = [&](const char* what) -> SettingsPanel& {
    o.studio->edit("Show", [&](const Document& d) { return setValue(d, plate, "shows", Constant(std::string(what))); });
    o.studio->select({plate});
    REQUIRE(Open::wait([&] { return o.window->settings().row(plate, "shows") != nullptr; }));
    return o.window->settings();
  };
  const auto heads = [&](const QString& text) {
    int n = 0;
    for (const QLabel* l : o.window->settings().findChildren<QLabel*>()) n += l->text() == text;
    return n;
  };
  for (const auto& [what, file, color, end] : {std::tuple{"picture", true, false, false},
                                               {"colour", false, true, false},
                                               {"line gradient", false, true, true},
                                               {"round gradient", false, true, true}}) {
    CAPTURE(what);
    SettingsPanel& panel = shows(what);
    CHECK(Open::wait([&] { return (panel.row(plate, "file") != nullptr) == file; }));
    CHECK((panel.row(plate, "fit") != nullptr) == file);
    CHECK((panel.row(plate, "play") != nullptr) == file);
    CHECK((panel.row(plate, "color") != nullptr) == color);
    CHECK((panel.row(plate, "end_x") != nullptr) == end);
    CHECK(heads("Playback") == file);
    CHECK(heads("Gradient") == end);
  }
}

TEST_CASE("Every kind of row edits its parameter", "[app][rows]") {
  Open o;
  SettingsPanel& s = o.window->settings();
  o.studio->select({o.id("Night window")});
  auto* on = s.row(o.id("Night window"), "on");
  REQUIRE(on);
  QTest::mouseClick(on, Qt::LeftButton);
  CHECK_FALSE(Params(*o.doc().findByName("Night window"), 1).flag("on"));
  auto* position = s.row(o.id("Night window"), "position");
  REQUIRE(qobject_cast<VectorRow*>(position));
  position->setFocus();
  QTest::keyClick(position, Qt::Key_Right);
  QTest::keyClick(position, Qt::Key_Up);
  CHECK(Params(*o.doc().findByName("Night window"), 1).triple("position")[1] > 2.3);
  auto* color = s.row(o.id("Night window"), "color");
  REQUIRE(qobject_cast<ColorRow*>(color));
  auto* field = color->findChild<QLineEdit*>();
  field->setFocus();
  field->selectAll();
  QTest::keyClicks(field, "1, 0.5, 0");
  QTest::keyClick(field, Qt::Key_Return);
  CHECK(Params(*o.doc().findByName("Night window"), 1).triple("color") == Triple{1, 0.5, 0});
  o.studio->select({o.id("Sun core")});
  CHECK(qobject_cast<ReferenceRow*>(s.row(o.id("Sun core"), "material")));
  o.studio->select({});
  CHECK(qobject_cast<ChoiceRow*>(s.row(o.doc().settings().id, "view")));
  CHECK(qobject_cast<NumberRow*>(s.row(o.doc().settings().id, "samples")));
}

TEST_CASE("A keyed value is changed at the frame in sight", "[app][rows][keys]") {
  Open o;
  const Address a = resolve(o.doc(), "Night window.power");
  o.studio->edit("Key", [&](const Document& d) {
    return setAt(d, a, Keys{{{1, 100.0, KeyShape::Linear}, {11, 200.0, KeyShape::Linear}}});
  });
  o.studio->edit("Frame", [](const Document& d) { return setValue(d, d.settings().id, "frame", Constant(6.0)); });
  o.studio->select({o.id("Night window")});
  auto* row = qobject_cast<NumberRow*>(o.window->settings().row(o.id("Night window"), "power"));
  REQUIRE(row);
  QTest::keyClick(row, Qt::Key_Right);
  const Value v = valueAt(o.doc(), a);
  REQUIRE(v.keys());
  CHECK(v.keys()->keys.size() == 3);
  CHECK(v.keys()->keys[1].frame == 6);
}

TEST_CASE("What a use of a shared material sets for itself is shown and edited there", "[app][rows][shared]") {
  Open o;
  o.studio->edit(
      "Own", [](const Document& d) { return setAt(d, resolve(d, "Sun core.material.own_light"), Constant(7000.0)); });
  o.studio->select({o.id("Sun core glow")});
  auto* row = qobject_cast<NumberRow*>(o.window->settings().row(o.id("Sun core"), "material"));
  REQUIRE(row);
  CHECK(row->address().input == "own_light");
  QTest::keyClick(row, Qt::Key_Right);
  CHECK(o.number("Sun core.material.own_light") > 7000);
  CHECK(o.number("Sun glass.own_light") == 620000);
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
  CHECK(o.studio->image()->route->findings.empty());
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

TEST_CASE("A thing's groups and its list of modifiers stand in the settings once each", "[app][settings]") {
  Open o;
  for (const char* kind : {"object.mesh", "object.card", "object.water", "plate.picture"}) {
    CAPTURE(kind);
    NodeId id = 0;
    o.studio->edit("Add", [&](const Document& d) { return addNode(d, kind, "Thing", {}, &id); });
    o.studio->select({id});
    QTest::qWait(20);
    std::map<QString, int> heads;
    for (const QLabel* l : o.window->settings().widget()->findChildren<QLabel*>()) ++heads[l->text()];
    for (const ParamDef& d : o.doc().find(id)->kind->params)
      if (!d.group.empty() && o.window->settings().row(id, d.name)) CHECK(heads[qs(d.group)] >= 1);
    for (const char* head : {"Modifiers", "Playback", "Placement", "Gradient"}) CHECK(heads[QLatin1String(head)] <= 1);
    o.studio->undo();
  }
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

TEST_CASE("Frames step within their range, and play goes on by itself", "[app][time]") {
  Open o;
  o.studio->edit("Range", [](const Document& d) {
    return setValue(setValue(d, d.settings().id, "last_frame", Constant(3.0)), d.settings().id, "rate", Constant(60.0));
  });
  o.window->commands().run("picture.next_frame");
  CHECK(o.studio->frame() == 2);
  o.window->commands().run("picture.next_frame");
  o.window->commands().run("picture.next_frame");
  CHECK(o.studio->frame() == 1);
  o.window->commands().run("picture.previous_frame");
  CHECK(o.studio->frame() == 3);
  const std::string label = o.studio->history().undoLabel();
  o.window->bar().play(true);
  CHECK(Open::wait([&] { return o.studio->frame() == 2; }, 5000));
  o.window->bar().play(false);
  CHECK_FALSE(o.studio->view().playing);
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

TEST_CASE("A line's place and its value are inverse, within the digits that dragging gives", "[app][rows]") {
  for (const Kind& k : kinds()->all())
    for (const ParamDef& d : k.params) {
      if (d.type != ParamType::Number && d.type != ParamType::Integer) continue;
      CAPTURE(k.id, d.name);
      for (double t = 0; t <= 1; t += 0.125) {
        const double v = NumberRow::fromLine(d, t);
        REQUIRE(v >= d.hardMin);
        REQUIRE(v <= d.hardMax);
        const double tolerance = d.type == ParamType::Integer
                                     ? 0.51 / std::max(1.0, d.softMax - d.softMin) * (d.logarithmic ? 300 : 1)
                                     : 0.02;
        if (tolerance < 0.2) REQUIRE(NumberRow::toLine(d, v) == Approx(t).margin(tolerance));
      }
    }
}

TEST_CASE("The bar keeps what is used most when the window is narrow; the rest is under more", "[app][bar]") {
  Open o;
  const auto shown = [&](const QString& text) {
    for (QToolButton* b : o.window->bar().findChildren<QToolButton*>())
      if (b->text() == text) return b->isVisible();
    return false;
  };
  o.window->resize(1900, 900);
  QCoreApplication::processEvents();
  CHECK(shown("Region"));
  CHECK(shown("ACES SDR"));
  o.window->resize(1000, 700);
  QCoreApplication::processEvents();
  CHECK(shown("Keep"));
  CHECK(shown("Wipe"));
  CHECK_FALSE(shown("ACES SDR"));
  CHECK(shown(QStringLiteral("more")));
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

TEST_CASE("A material is made of real matter, with pictures of each, and tells what is wrong", "[app][matter]") {
  Open o;
  const NodeId glass = o.id("Planet glass");
  o.studio->select({glass});
  auto* make = o.window->settings().findChild<QToolButton*>("matter");
  REQUIRE(make);
  MatterGallery gallery(*o.studio, glass, o.window.get());
  CHECK(gallery.list()->count() == int(materialPresets().size()));
  bool arrived = false;
  QObject::connect(o.studio.get(), &Studio::swatchArrived, &gallery, [&](const QString& key, const QPixmap& p) {
    arrived |= key.startsWith("matter ") && p.width() == Studio::swatchSize;
  });
  // The one that is looked at comes first, then its neighbours.
  gallery.show();
  SwatchList* list = gallery.list();
  for (const int row : {list->count() - 1, 2}) {
    list->setCurrentRow(row);
    list->scrollToItem(list->item(row));
    const std::vector<std::string> near = list->nearestFirst();
    REQUIRE(near.size() == materialPresets().size());
    CHECK(near[0] == "matter " + list->item(row)->text().toStdString());
    CHECK((near[1] == "matter " + list->item(row - 1)->text().toStdString() || row == 2));
  }
  CHECK(Open::wait([&] { return arrived; }));
  gallery.take("Amber");
  CHECK(presetOf(o.doc(), glass)->name == "Amber");
  o.studio->undo();
  CHECK_FALSE(presetOf(o.doc(), glass));
  // Kept as a file it can be taken into another set.
  writeDocument(cutting(o.doc(), glass), o.folder / "glass.ilum");
  REQUIRE(o.window->settings().takeMaterial(QString::fromStdString(o.folder / "glass.ilum")));
  CHECK(o.doc().findByName("Planet glass 2"));
  CHECK_FALSE(o.window->settings().takeMaterial(QString::fromStdString(o.folder / "none.ilum")));
  o.studio->undo();
  o.studio->select({glass});
  // An index of 1 is told beside the parameter, with its mend.
  o.studio->edit("Index of 1", [&](const Document& d) { return setValue(d, glass, "ior", Constant(1.0)); });
  QToolButton* mend = nullptr;
  REQUIRE(Open::wait([&] { return (mend = o.window->settings().findChild<QToolButton*>("mend")) != nullptr; }));
  QTest::mouseClick(mend, Qt::LeftButton);
  QTest::qWait(50);
  CHECK(Params(*o.doc().find(glass), 1).number("ior") == 1.5);
}

TEST_CASE("The pixel says where its light comes from, and the camera isNearSpecular and meters by a click",
          "[app][ask]") {
  Open o;
  PictureView& view = o.window->picture();
  o.window->commands().run("picture.ask");
  CHECK(view.tool() == "ask");
  const QPointF middle = view.pictureRect().center();
  QTest::mouseClick(&view, Qt::LeftButton, {}, middle.toPoint());
  REQUIRE(Open::wait([&] { return view.note().answered(); }));
  const PixelReading& r = view.note().reading();
  CHECK(r.luminance > 0);
  REQUIRE_FALSE(r.contributors.empty());
  double sum = 0;
  for (const Contributor& c : r.contributors)
    if (c.as != Contributor::As::Seen) sum += c.share;
  CHECK(sum == Approx(1).epsilon(1e-3));
  QTest::keyClick(&view, Qt::Key_Escape);
  CHECK(view.tool() == QString());
  CHECK_FALSE(view.note().isVisible());
  const double focus = o.number("Camera.focus");
  focusAt(view, middle + QPointF(0, 0.4 * view.pictureRect().height()));
  CHECK(o.number("Camera.focus") != focus);
  const double ev = o.number("Camera.ev100");
  o.window->commands().run("picture.meter");
  CHECK(o.number("Camera.ev100") != ev);
  o.studio->undo();
  CHECK(o.number("Camera.ev100") == ev);
  // Passes by the way light came, and raw pictures.
  Studio::View v = o.studio->view();
  v.pass = ShownPass::Direct;
  o.studio->setView(v);
  REQUIRE(o.finished());
  v.pass = ShownPass::Over;
  v.raw = true;
  o.studio->setView(v);
  REQUIRE(o.finished());
  CHECK_FALSE(o.studio->image()->denoised);
}

TEST_CASE("Keys of a veil are edited where the material is", "[app][veil]") {
  Open o;
  const NodeId glass = o.id("Planet glass");
  o.studio->select({glass});
  o.studio->edit("Add a key", [&](const Document& d) {
    return addNode(d, "veil.key", "", {glass, "veil", size_t(-1)});
  });
  const NodeId key = o.doc().find(glass)->children.at("veil")[0];
  ParamRow* row = o.window->settings().row(key, "angle");
  REQUIRE(row);
  o.studio->edit("Take it away", [&](const Document& d) { return removeNode(d, key); });
  CHECK_FALSE(o.window->settings().row(key, "angle"));
}

TEST_CASE("The gallery of matter is searched and taken from by keys", "[app][matter]") {
  Open o;
  const NodeId glass = o.id("Planet glass");
  MatterGallery gallery(*o.studio, glass, o.window.get());
  gallery.show();
  auto* search = gallery.findChild<QLineEdit*>();
  REQUIRE(search);
  QTest::keyClicks(search, "gold");
  REQUIRE(gallery.list()->currentItem());
  CHECK(gallery.list()->currentItem()->text() == "Gold");
  int shown = 0;
  for (int i = 0; i < gallery.list()->count(); ++i) shown += !gallery.list()->item(i)->isHidden();
  CHECK(shown < 4);
  QTest::keyClick(search, Qt::Key_Return);
  CHECK(presetOf(o.doc(), glass)->name == "Gold");
  CHECK_FALSE(gallery.isVisible());
  CHECK(o.studio->history().undoLabel() == "Make it of gold");
}

TEST_CASE("Raw and denoised, the passes and the drawer answer to commands", "[app][view]") {
  Open o;
  REQUIRE(o.finished());
  CHECK(o.studio->image()->denoised);
  o.window->commands().run("picture.raw");
  REQUIRE(o.finished());
  CHECK_FALSE(o.studio->image()->denoised);
  CHECK(o.studio->image()->raysSinceRequest == 0);
  o.window->commands().run("picture.raw");
  REQUIRE(Open::wait([&] { return o.studio->image()->edition == o.studio->edition() && o.studio->image()->denoised; }));
  o.window->commands().run("window.balance");
  CHECK(o.window->balance().isVisible());
  CHECK(o.studio->view().groups);
  o.window->commands().run("window.proofs");
  CHECK_FALSE(o.window->balance().isVisible());
  CHECK(o.window->proofs().isVisible());
  CHECK_FALSE(o.studio->view().groups);
  o.window->commands().run("window.drawer");
  CHECK_FALSE(o.window->proofs().isVisible());
  // Tools come and go by their own keys, and Escape ends them all.
  for (const char* id : {"picture.region", "picture.ask", "picture.focus"}) {
    o.window->commands().run(id);
    CHECK(o.window->picture().tool() != QString());
    o.window->commands().run(id);
    CHECK(o.window->picture().tool() == QString());
    o.window->commands().run(id);
    QTest::keyClick(&o.window->picture(), Qt::Key_Escape);
    CHECK(o.window->picture().tool() == QString());
  }
}

TEST_CASE("A light's handles are dragged in the picture, and its ring in the list switches it", "[app][handles]") {
  Open o;
  o.window->commands().run("scene.add.light.spot");
  REQUIRE(o.studio->currentNode());
  const NodeId spot = o.studio->current();
  CHECK(o.doc().find(spot)->kind->id == "light.spot");
  REQUIRE(o.finished());
  PictureView& view = o.window->picture();
  const auto handle = [&](const char* param) {
    for (const Handle& h : view.handles())
      if (h.param == param) return view.fromPicture(h.at).toPoint();
    FAIL("no handle for " << param);
    return QPoint();
  };
  const auto number = [&](const char* param) { return Params(*o.doc().find(spot), 1).number(param); };
  const Document before = o.doc();
  const double cone = number("cone");
  const QPoint at = handle("cone"), middle = handle("position");
  // Away from the axis: across the line from the lamp to the rim.
  const QPointF along = QPointF(at - middle) / std::hypot(at.x() - middle.x(), at.y() - middle.y());
  const QPointF target = QPointF(handle("target") - middle);
  QPointF across(-along.y(), along.x());
  if (QPointF::dotProduct(across, target) > 0) across = -across;
  QTest::mouseMove(&view, at + QPoint(40, 40));
  QTest::mouseMove(&view, at);
  QTest::mousePress(&view, Qt::LeftButton, {}, at);
  for (int i = 1; i <= 6; ++i) QTest::mouseMove(&view, at + (across * 2 * i).toPoint());
  QTest::mouseRelease(&view, Qt::LeftButton, {}, at + (across * 12).toPoint());
  CHECK(number("cone") > cone + 0.5);
  CHECK(o.studio->selection() == std::vector<NodeId>{spot});
  o.studio->undo();
  CHECK(o.doc() == before);
  // Escape in the middle of a drag leaves everything as it was.
  QTest::mousePress(&view, Qt::LeftButton, {}, at);
  QTest::mouseMove(&view, at + (across * 9).toPoint());
  CHECK(number("cone") != cone);
  QTest::keyClick(&view, Qt::Key_Escape);
  CHECK(number("cone") == cone);
  QTest::mouseRelease(&view, Qt::LeftButton, {}, at);
  CHECK(o.studio->current() == spot);
  // The ring beside its name.
  QTreeWidget* list = o.window->scene().list();
  QTreeWidgetItem* item = nullptr;
  for (QTreeWidgetItemIterator it(list); *it; ++it)
    if ((*it)->text(0) == qs(o.doc().find(spot)->name)) item = *it;
  REQUIRE(item);
  list->scrollToItem(item);
  const QRect row = list->visualItemRect(item);
  QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, QPoint(list->viewport()->width() - 10, row.center().y()));
  CHECK_FALSE(Params(*o.doc().find(spot), 1).flag("on"));
  o.window->commands().run("scene.switch");
  CHECK(Params(*o.doc().find(spot), 1).flag("on"));
}

TEST_CASE("The picture tells what a change cost, and what it clips", "[app][view]") {
  Open o;
  REQUIRE(o.finished());
  const NodeId stage = o.doc().family("lens").front()->id;
  o.studio->edit("Weaker", [&](const Document& d) { return setValue(d, stage, "amount", Constant(0.1)); });
  REQUIRE(o.finished());
  REQUIRE(o.studio->image()->change);
  CHECK(o.studio->image()->change->stage == Invalidation::Lens);
  CHECK(o.studio->image()->change->rays == 0);
  QStringList tips;
  for (const QLabel* l : o.window->status().findChildren<QLabel*>()) tips << l->toolTip();
  CHECK(tips.filter(QRegularExpression(QStringLiteral("Last change: lens, \\d+ ms, no rays"))).size() == 1);
  o.studio->edit("Aside", [&](const Document& d) {
    return setAt(d, resolve(d, "Brass moon.position"), Constant(Triple{0.1, 0.2, 0.3}));
  });
  REQUIRE(o.finished());
  CHECK(o.studio->image()->change->stage == Invalidation::Placement);
  CHECK(o.studio->image()->change->rays > 0);
  const auto plain = o.studio->image()->rgba;
  o.window->commands().run("picture.clips");
  REQUIRE(o.finished());
  const auto& image = *o.studio->image();
  CHECK(image.clippedWhite >= 0);
  CHECK(image.clippedBlack <= 1);
  // Stripes stand only where the view is at an end of its range.
  size_t striped = 0;
  for (size_t i = 0; i < plain.size(); i += 4) {
    const bool end =
        plain[i] == 255 || plain[i + 1] == 255 || plain[i + 2] == 255 || (!plain[i] && !plain[i + 1] && !plain[i + 2]);
    const bool same =
        plain[i] == image.rgba[i] && plain[i + 1] == image.rgba[i + 1] && plain[i + 2] == image.rgba[i + 2];
    if (!end) REQUIRE(same);
    striped += !same;
  }
  CHECK((striped > 0) == (image.clippedWhite + image.clippedBlack > 0.001));
}

TEST_CASE("Materials are kept in a library, shown, put on things and removed", "[app][library]") {
  Open o;
  MaterialLibrary::setFolder(qs(o.folder / "kept"));
  const NodeId moon = o.id("Brass moon");
  const NodeId brass = Params(*o.doc().find(moon), 1).reference("material").target;
  REQUIRE(brass);
  CHECK(MaterialLibrary::keep(*o.studio, brass));
  CHECK(MaterialLibrary::keep(*o.studio, brass));
  const std::string name = o.doc().find(brass)->name;
  REQUIRE(fs::exists(fs::path(o.folder / "kept") / (name + ".ilum")));
  REQUIRE(fs::exists(fs::path(o.folder / "kept") / (name + " 2.ilum")));
  std::ofstream(fs::path(o.folder / "kept") / "Broken.ilum") << "{";
  o.studio->select({moon});
  auto* library = new MaterialLibrary(*o.studio, o.window.get());
  library->show();
  SwatchList* list = library->list();
  REQUIRE(list->count() == int(o.doc().family("material").size()) + 3);
  const auto row = [&](const QString& text) {
    for (int i = 0; i < list->count(); ++i)
      if (list->item(i)->text() == text) return i;
    return -1;
  };
  // Both kinds get their picture; the broken file has none.
  const auto pictured = [&](int i) {
    return list->item(i)->icon().pixmap(64, 64).toImage().pixelColor(32, 32) != theme::desk;
  };
  CHECK(Open::wait([&] { return pictured(0) && pictured(row(qs(name) + QStringLiteral(" 2"))); }));
  CHECK_FALSE(pictured(row(QStringLiteral("Broken"))));
  const size_t before = o.doc().family("material").size();
  list->setCurrentRow(row(qs(name) + QStringLiteral(" 2")));
  QTest::keyClick(list, Qt::Key_Return);
  CHECK(o.doc().family("material").size() == before + 1);
  const NodeId worn = Params(*o.doc().find(moon), 1).reference("material").target;
  CHECK(worn != brass);
  CHECK(o.doc().find(worn)->values == o.doc().find(brass)->values);
  // A broken one is told, and nothing changes.
  const Document now = o.doc();
  CHECK(MaterialLibrary::take(*o.studio, qs(o.folder / "kept/Broken.ilum")) == 0);
  CHECK(o.doc() == now);
  CHECK(o.window->lastTold().contains("Broken.ilum"));
  QSettings().remove(QStringLiteral("library/materials"));
}
