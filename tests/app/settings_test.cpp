// The settings: rows, materials and their library, by real events.
#include "app/commands/find_anything.h"
#include "app/dialogs/material_library.h"
#include "app/dialogs/recovery.h"
#include "app/drawer/balance_panel.h"
#include "app/drawer/proofs_panel.h"
#include "app/library.h"
#include "app/main_window.h"
#include "app/model_files.h"
#include "app/panels/color_row.h"
#include "app/panels/lens_page.h"
#include "app/panels/line_rows.h"
#include "app/panels/material_gallery.h"
#include "app/panels/number_row.h"
#include "app/panels/pattern_menu.h"
#include "app/panels/reference_rows.h"
#include "app/panels/route_view.h"
#include "app/panels/settings_panel.h"
#include "app/panels/status_line.h"
#include "app/panels/swatch_list.h"
#include "app/panels/things_panel.h"
#include "app/panels/vector_row.h"
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
#include "core/geometry/shape.h"
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
#include <QMenu>
#include <QRegularExpression>
#include <QSettings>
#include <QStandardPaths>
#include <QTest>
#include <QToolButton>
#include <QTreeWidget>

using namespace ilumbra;
using namespace ilumbra::test;
namespace fs = std::filesystem;

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

TEST_CASE("A row's menu puts a pattern on its parameter in one step, lets another change it, and shows it",
          "[app][rows][pattern]") {
  Open o;
  REQUIRE(o.finished());
  const Document before = o.doc();
  const NodeId material = wornMaterial(before, *before.findByName("Sun core"), 1).target;
  REQUIRE(material);
  const Address at{material, "roughness", 0, {}};
  const auto choose = [&](const QString& text) {
    QMenu m;
    const PatternMenu patterns(&m, *o.studio, at);
    QList<QMenu*> menus = m.findChildren<QMenu*>();
    menus << &m;
    for (const QMenu* menu : menus)
      for (const QAction* a : menu->actions())
        if (a->text() == text) return patterns.chose(a, at, QStringLiteral("here"));
    return false;
  };
  CHECK(choose("Noise"));
  const Value noise = valueAt(o.doc(), at);
  REQUIRE(noise.pattern());
  CHECK(choose("Steps"));
  const Value steps = valueAt(o.doc(), at);
  REQUIRE(steps.pattern());
  const Node& n = *o.doc().find(steps.pattern()->pattern.target);
  CHECK(n.kind->id == "pattern.steps");
  CHECK(n.find("value")->pattern()->pattern.target == noise.pattern()->pattern.target);
  CHECK(choose(QStringLiteral("Show ") + qs(n.name)));
  CHECK(o.studio->current() == n.id);
  CHECK(choose(qs(o.doc().find(noise.pattern()->pattern.target)->name)));
  CHECK(valueAt(o.doc(), at) == noise);
  for (int i = 0; i < 3; ++i) o.studio->undo();
  CHECK(o.doc() == before);
  // A parameter that takes none offers none.
  QMenu none;
  const PatternMenu nothing(nullptr, *o.studio, at);
  CHECK(none.isEmpty());
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
  auto* row = qobject_cast<NumberRow*>(o.window->settings().row(Address{o.id("Sun core"), "material", 0, "own_light"}));
  REQUIRE(row);
  int rows = 0;
  for (const ParamRow* r : o.window->settings().findChildren<ParamRow*>()) rows += r->address().input == "own_light";
  CHECK(rows == 1);
  QTest::keyClick(row, Qt::Key_Right);
  CHECK(o.number("Sun core.material.own_light") > 7000);
  CHECK(o.number("Sun glass.own_light") == 620000);
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

TEST_CASE("An effect is kept in the library with its picture, and added from there", "[app][library]") {
  Open o;
  effectLibrary().setFolder(qs(o.folder / "effects"));
  REQUIRE(o.wait([&] { return o.studio->image() && o.studio->image()->width > 0; }));
  const NodeId glow = o.doc().family("effect").front()->id;
  const std::string name = o.doc().find(glow)->name;
  REQUIRE(effectLibrary().keep(*o.studio, glow));
  const QFileInfoList kept = effectLibrary().kept();
  REQUIRE(kept.size() == 1);
  CHECK(kept.front().completeBaseName() == qs(name));
  CHECK_FALSE(Library::picture(kept.front()).isNull());
  const Document before = o.doc();
  o.studio->select({o.id("Brass moon")});
  o.window->addThing(kept.front().filePath());
  REQUIRE(o.doc().family("effect").size() == before.family("effect").size() + 1);
  CHECK(o.studio->currentNode()->kind->id == before.find(glow)->kind->id);
  o.studio->undo();
  CHECK(o.doc() == before);
  // What cannot be read is told, and nothing happens.
  std::ofstream(fs::path(o.folder / "effects") / "Broken.ilum") << "{";
  o.window->addThing(qs(o.folder / "effects/Broken.ilum"));
  CHECK(o.doc() == before);
  CHECK(o.window->lastTold().contains(QStringLiteral("Broken.ilum")));
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
