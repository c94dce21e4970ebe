// Placing and shaping in the real window, by real events.
#include "app/dialogs/import_dialog.h"
#include "app/drawer/balance_panel.h"
#include "app/model_files.h"
#include "app/panels/number_row.h"
#include "app/panels/settings_panel.h"
#include "app/viewport/health_overlay.h"
#include "app/viewport/picture_view.h"
#include "core/compile/camera.h"
#include "core/document/edit.h"
#include "core/document/units.h"
#include "core/geometry/form.h"
#include "core/geometry/shape.h"
#include "core/placing/arrange.h"
#include "tests/app/open.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QToolButton>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

QPoint handleAt(PictureView& view, const std::string& wanted) {
  for (const Handle& h : view.handles())
    if (h.id == wanted) return view.fromPicture(h.at).toPoint();
  FAIL("no handle " << wanted);
  return {};
}

void drag(PictureView& view, const QPoint& from, const QPoint& by) {
  QTest::mouseMove(&view, from + QPoint(60, 60));
  QTest::mouseMove(&view, from);
  QTest::mousePress(&view, Qt::LeftButton, {}, from);
  for (int i = 1; i <= 4; ++i) QTest::mouseMove(&view, from + by * i / 4);
  QTest::mouseRelease(&view, Qt::LeftButton, {}, from + by);
}

V3f origin(const Open& o, NodeId id) { return originOf(o.doc(), id, 1); }

} // namespace

TEST_CASE("Every handle of an object changes it by a drag, in one step", "[app][placing]") {
  Open o;
  const NodeId moon = o.id("Brass moon");
  o.studio->select({moon});
  REQUIRE(o.finished());
  PictureView& view = o.window->picture();
  for (const char* mode : {"place.move", "place.turn", "place.size"}) {
    o.window->commands().run(QLatin1String(mode));
    std::vector<std::string> ids;
    for (const Handle& h : view.handles()) ids.push_back(h.id);
    REQUIRE(ids.size() >= 4);
    for (const std::string& h : ids) {
      INFO(mode << " " << h);
      const Document before = o.doc();
      const QPoint at = handleAt(view, h);
      // Where two handles lie over one another, the first is taken: any of them must do something.
      drag(view, at, {17, -13});
      CHECK_FALSE(o.doc() == before);
      CHECK(o.studio->current() == moon);
      o.studio->undo();
      CHECK(o.doc() == before);
    }
  }
}

TEST_CASE("A number that is typed while a handle is held sets how far; Escape takes all of it back", "[app][placing]") {
  Open o;
  const NodeId moon = o.id("Brass moon");
  o.studio->select({moon});
  REQUIRE(o.finished());
  PictureView& view = o.window->picture();
  const V3f before = origin(o, moon);
  const Document was = o.doc();
  const QPoint at = handleAt(view, "move y");
  QTest::mousePress(&view, Qt::LeftButton, {}, at);
  QTest::mouseMove(&view, at + QPoint(3, -9));
  for (const char key : {'-', '0', '.', '3', '5'}) QTest::keyClick(&view, key);
  CHECK(length(origin(o, moon) - before - V3f(0, -0.35f, 0)) < 1e-3f);
  QTest::mouseMove(&view, at + QPoint(3, -40)); // what was typed holds
  CHECK(length(origin(o, moon) - before - V3f(0, -0.35f, 0)) < 1e-3f);
  QTest::keyClick(&view, Qt::Key_Backspace);
  CHECK(length(origin(o, moon) - before - V3f(0, -0.3f, 0)) < 1e-3f);
  QTest::keyClick(&view, Qt::Key_Return);
  QTest::mouseRelease(&view, Qt::LeftButton, {}, at);
  CHECK(length(origin(o, moon) - before - V3f(0, -0.3f, 0)) < 1e-3f);
  o.studio->undo();
  CHECK(o.doc() == was);
  QTest::mousePress(&view, Qt::LeftButton, {}, handleAt(view, "move x"));
  QTest::keyClick(&view, '2');
  CHECK_FALSE(o.doc() == was);
  QTest::keyClick(&view, Qt::Key_Escape);
  QTest::mouseRelease(&view, Qt::LeftButton, {}, at);
  CHECK(o.doc() == was);
}

TEST_CASE("A frame that is drawn with Shift takes in what lies inside it, but nothing that is locked",
          "[app][placing]") {
  Open o;
  o.studio->select({});
  REQUIRE(o.finished());
  PictureView& view = o.window->picture();
  const QRectF r = view.pictureRect();
  const auto draw = [&] {
    QTest::mousePress(&view, Qt::LeftButton, Qt::ShiftModifier, r.topLeft().toPoint() + QPoint(2, 2));
    QTest::mouseMove(&view, r.center().toPoint());
    QMouseEvent move(QEvent::MouseMove, r.bottomRight() - QPointF(2, 2),
                     view.mapToGlobal(r.bottomRight() - QPointF(2, 2)), Qt::NoButton, Qt::LeftButton,
                     Qt::ShiftModifier);
    QApplication::sendEvent(&view, &move);
    QTest::mouseRelease(&view, Qt::LeftButton, Qt::ShiftModifier, r.bottomRight().toPoint() - QPoint(2, 2));
  };
  draw();
  const size_t all = o.studio->selection().size();
  REQUIRE(all >= 2);
  NodeId one = 0;
  for (const NodeId id : o.studio->selection())
    if (o.doc().find(id)->kind->param("locked")) one = id;
  REQUIRE(one);
  o.studio->select({one});
  CHECK_FALSE(view.handles().empty());
  o.window->commands().run(QStringLiteral("place.lock"));
  CHECK(view.handles().empty());
  o.studio->select({});
  draw();
  CHECK(o.studio->selection().size() == all - 1);
  CHECK_FALSE(o.studio->isSelected(one));
}

TEST_CASE("Riding, twins, hiding and dropping are commands, each one step", "[app][placing]") {
  Open o;
  const NodeId moon = o.id("Brass moon");
  o.window->commands().run(QStringLiteral("scene.add.object.box"));
  const NodeId box = o.studio->current();
  REQUIRE(box != moon);
  const Document start = o.doc();
  o.studio->select({box, moon});
  const V3f at = origin(o, box);
  o.window->commands().run(QStringLiteral("place.ride"));
  CHECK(o.doc().find(box)->parent == moon);
  CHECK(length(origin(o, box) - at) < 1e-3f);
  o.studio->select({box});
  o.window->commands().run(QStringLiteral("place.let_go"));
  CHECK(o.doc().find(box)->parent == 0);
  o.studio->undo();
  o.studio->undo();
  CHECK(o.doc() == start);
  o.studio->select({moon});
  o.window->commands().run(QStringLiteral("place.twin"));
  const NodeId twin = o.studio->current();
  CHECK(o.doc().find(twin)->kind->id == "object.twin");
  CHECK(Params(*o.doc().find(twin), 1).reference("of").target == moon);
  o.studio->select({moon});
  o.window->commands().run(QStringLiteral("place.hide"));
  CHECK_FALSE(Params(*o.doc().find(moon), 1).flag("shown"));
  o.window->commands().run(QStringLiteral("place.show_all"));
  CHECK(Params(*o.doc().find(moon), 1).flag("shown"));
  o.window->commands().run(QStringLiteral("place.alone"));
  CHECK_FALSE(Params(*o.doc().find(box), 1).flag("shown"));
  CHECK(Params(*o.doc().find(moon), 1).flag("shown"));
  o.studio->undo();
  o.studio->edit("Up", [&](const Document& d) { return moved(d, {box}, {0, 2, 0}); });
  o.studio->select({box});
  REQUIRE(o.finished());
  const float high = origin(o, box).y;
  o.window->commands().run(QStringLiteral("place.drop"));
  CHECK(Open::wait([&] { return origin(o, box).y < high - 0.5f; }));
  o.studio->undo();
  CHECK(origin(o, box).y == Approx(high));
}

TEST_CASE("Modifiers are added, switched, ordered and taken away in the settings, each one step", "[app][modifiers]") {
  Open o;
  const NodeId moon = o.id("Brass moon");
  o.studio->edit("Bend", [&](const Document& d) {
    return addNode(d, "modifier.bend", "Bend", {moon, "modifiers", size_t(-1)});
  });
  o.studio->edit("Shell", [&](const Document& d) {
    return addNode(d, "modifier.shell", "Shell", {moon, "modifiers", size_t(-1)});
  });
  o.studio->select({moon});
  o.window->commands().run(QStringLiteral("window.settings"));
  SettingsPanel& panel = o.window->settings();
  const auto press = [&](const char* step, const char* button) {
    QTest::qWait(20); // old pages go first
    auto* row = panel.widget()->findChild<QWidget*>(QStringLiteral("step ") + QLatin1String(step));
    REQUIRE(row);
    auto* b = row->findChild<QToolButton*>(QLatin1String(button));
    REQUIRE(b);
    REQUIRE(b->isEnabled());
    b->click();
    QTest::qWait(20);
  };
  const auto order = [&] {
    std::vector<std::string> names;
    for (const NodeId id : o.doc().find(moon)->children.at("modifiers")) names.push_back(o.doc().find(id)->name);
    return names;
  };
  const Document before = o.doc();
  press("Shell", "earlier");
  CHECK(order() == std::vector<std::string>{"Shell", "Bend"});
  press("Shell", "later");
  CHECK(order() == std::vector<std::string>{"Bend", "Shell"});
  press("Bend", "switch");
  CHECK_FALSE(Params(*o.doc().findByName("Bend"), 1).flag("on"));
  o.studio->undo();
  o.studio->undo();
  o.studio->undo();
  CHECK(o.doc() == before);
  CHECK(panel.row(o.id("Bend"), "angle") == nullptr);
  press("Bend", "unfold");
  CHECK(panel.row(o.id("Bend"), "angle") != nullptr);
  press("Bend", "take_away");
  CHECK(order() == std::vector<std::string>{"Shell"});
  // Adding asks which one.
  const ChooseFromMenu choice("modifier.twist");
  for (QToolButton* b : panel.widget()->findChildren<QToolButton*>())
    if (b->text() == QStringLiteral("+ add") &&
        b->parentWidget()->findChild<QLabel*>()->text() == QStringLiteral("Modifiers"))
      b->click();
  CHECK(Open::wait([&] { return order().size() == 2; }));
  CHECK(order().back() == "Twist");
  REQUIRE(o.finished());
  for (const std::string& t : o.studio->session().scene()->warnings) UNSCOPED_INFO(t);
  CHECK(o.studio->session().scene()->warnings.empty());
}

TEST_CASE("Every modifier is added from the menu and changed by typing, each in one step", "[app][modifiers]") {
  Open o;
  NodeId box = 0;
  o.studio->edit("Box", [&](const Document& d) { return addNode(d, "object.box", "Crate", {}, &box); });
  // What join refers to.
  o.studio->edit("Ball", [&](const Document& d) { return addNode(d, "object.sphere", "Tool", {}); });
  o.studio->select({box});
  o.window->commands().run(QStringLiteral("window.settings"));
  SettingsPanel& panel = o.window->settings();
  for (const ModifierKind& m : allModifiers()) {
    CAPTURE(m.kind.id);
    const Document before = o.doc();
    const ChooseFromMenu choice(m.kind.id);
    QTest::qWait(20);
    for (QToolButton* b : panel.widget()->findChildren<QToolButton*>())
      if (b->text() == QStringLiteral("+ add") &&
          b->parentWidget()->findChild<QLabel*>()->text() == QStringLiteral("Modifiers")) {
        b->click();
        break;
      }
    REQUIRE(Open::wait([&] { return !(o.doc() == before); }));
    const auto& list = o.doc().find(box)->children.at("modifiers");
    REQUIRE(list.size() == 1);
    const NodeId id = list.front();
    REQUIRE(o.doc().find(id)->kind->id == m.kind.id);
    const Document added = o.doc();
    // The first parameter of each type that has one: by its row and real keys.
    for (const ParamDef& d : m.kind.params) {
      if (d.type != ParamType::Number && d.type != ParamType::Integer) continue;
      auto* row = qobject_cast<NumberRow*>(panel.row(id, d.name));
      if (!row) continue;
      const double old = std::get<double>(Params(*o.doc().find(id), 1).constant(d.name)),
                   wanted = d.type == ParamType::Integer
                                ? std::min(d.hardMax, old + 1)
                                : std::clamp(old * 0.5 + (old == 0 ? d.softMax * 0.25 : 0), d.hardMin, d.hardMax);
      row->setFocus();
      QTest::keyClick(row, Qt::Key_Return);
      auto* field = row->findChild<QLineEdit*>();
      REQUIRE(field);
      field->selectAll();
      QTest::keyClicks(
          field,
          QString::number(wanted, 'g', 12) +
              (d.unit.empty() || d.unit == "×" ? QString() : QStringLiteral(" ") + qs(d.unit == "%" ? "" : d.unit)));
      QTest::keyClick(field, Qt::Key_Return);
      QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
      CAPTURE(d.name, wanted);
      CHECK_FALSE(o.doc() == added);
      o.studio->undo();
      CHECK(o.doc() == added);
      break;
    }
    if (m.kind.id == "modifier.join")
      o.studio->edit("Other", [&](const Document& d) {
        return setValue(d, id, "other", Constant(Reference{d.findByName("Tool")->id, nullptr}));
      });
    REQUIRE(o.finished());
    for (const std::string& t : o.studio->session().scene()->warnings) UNSCOPED_INFO(t);
    CHECK(o.studio->session().scene()->warnings.empty());
    if (m.kind.id == "modifier.join") o.studio->undo();
    o.studio->undo();
    CHECK(o.doc() == before);
  }
}

TEST_CASE("What is wrong with a mesh is shown in the picture and mended in one step", "[app][health]") {
  Open o;
  writeFileAtomically(o.folder / "cup.obj",
                      "o Cup\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0.5 0.5 1\nf 1 2 5\nf 2 3 5\nf 3 4 5\nf 4 1 5\n");
  bool done = false;
  o.window->models().importAs(QString::fromStdString(o.folder / "cup.obj"), {}, [&] { done = true; });
  REQUIRE(Open::wait([&] { return done; }));
  REQUIRE(o.finished());
  o.studio->select({o.id("Cup")});
  o.window->commands().run(QStringLiteral("picture.health"));
  HealthOverlay& health = o.window->picture().health();
  REQUIRE(Open::wait([&] { return health.entries().size() == 1 && health.entries()[0].health; }));
  CHECK(health.entries()[0].health->open.size() == 4);
  const Document before = o.doc();
  o.window->commands().run(QStringLiteral("picture.mend"));
  REQUIRE(o.finished());
  REQUIRE(Open::wait([&] {
    return health.entries().size() == 1 && health.entries()[0].health && health.entries()[0].health->well();
  }));
  o.studio->undo();
  CHECK(o.doc() == before);
  o.window->commands().run(QStringLiteral("picture.health"));
  CHECK(health.entries().empty());
}

TEST_CASE("A model without a unit asks for it, and one that changes on disk offers to be taken anew", "[app][import]") {
  Open o;
  const std::string file = o.folder / "rod.obj";
  writeFileAtomically(file, "o Rod\nv 0 0 0\nv 100 0 0\nv 0 100 0\nf 1 2 3\n");
  bool done = false;
  o.window->importFile(QString::fromStdString(file), [&] { done = true; });
  ImportDialog* ask = nullptr;
  REQUIRE(Open::wait([&] { return (ask = o.window->findChild<ImportDialog*>()) && ask->isVisible(); }));
  auto* unit = ask->findChild<QComboBox*>(QStringLiteral("unit"));
  auto* size = ask->findChild<QLabel*>(QStringLiteral("size"));
  REQUIRE(unit);
  CHECK(size->text().contains(QStringLiteral("100 m")));
  QTest::keyClicks(unit, QStringLiteral("centi"));
  CHECK(size->text().contains(QStringLiteral("1 m wide")));
  QTest::keyClick(ask, Qt::Key_Return);
  REQUIRE(Open::wait([&] { return done; }));
  REQUIRE(o.doc().findByName("Rod"));
  CHECK(std::get<Triple>(*valueAt(o.doc(), resolve(o.doc(), "rod.size")).constant())[0] == Approx(0.01));
  REQUIRE(o.finished());
  const NodeId rod = o.id("Rod");
  auto* offer = o.window->findChild<QToolButton*>(QStringLiteral("reload"));
  REQUIRE(offer);
  CHECK_FALSE(offer->isVisible());
  QTest::qWait(1100); // file times may be whole seconds
  writeFileAtomically(file,
                      "o Knob\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\no Rod\nv 0 0 0\nv 50 0 0\nv 0 50 0\nf 4 5 6\n");
  REQUIRE(Open::wait([&] { return offer->isVisible(); }, 20000));
  const Document before = o.doc();
  QTest::mouseClick(offer, Qt::LeftButton);
  REQUIRE(Open::wait([&] { return o.doc().findByName("Knob") != nullptr; }));
  CHECK(o.id("Rod") == rod);
  CHECK_FALSE(offer->isVisible());
  o.studio->undo();
  CHECK(o.doc() == before);
}

TEST_CASE("A path is drawn in the picture press by press, its points dragged, each one step", "[app][drawing]") {
  Open o;
  REQUIRE(o.finished());
  PictureView& view = o.window->picture();
  const Document before = o.doc();
  o.window->commands().run(QStringLiteral("picture.draw"));
  REQUIRE(view.tool() == "draw");
  REQUIRE(view.drawn());
  const NodeId line = view.drawn()->id;
  const auto count = [&] {
    const auto it = o.doc().find(line)->children.find("points");
    return it == o.doc().find(line)->children.end() ? size_t(0) : it->second.size();
  };
  const QPoint middle = view.pictureRect().center().toPoint();
  for (const QPoint& at : {QPoint(-120, 30), QPoint(0, -60), QPoint(120, 40)})
    QTest::mouseClick(&view, Qt::LeftButton, {}, middle + at);
  CHECK(count() == 3);
  QTest::keyClick(&view, Qt::Key_Backspace);
  CHECK(count() == 2);
  QTest::mouseClick(&view, Qt::LeftButton, Qt::ShiftModifier, middle + QPoint(120, -40));
  CHECK(count() == 3);
  QTest::keyClick(&view, Qt::Key_Return);
  CHECK(view.tool() == QString());
  // Every point, and those between, can be dragged; each is one step.
  std::vector<std::string> ids;
  for (const Handle& h : view.handles())
    if (h.id.find("point") != std::string::npos) ids.push_back(h.id);
  CHECK(ids.size() >= 4);
  for (const std::string& id : ids) {
    INFO(id);
    const Document was = o.doc();
    drag(view, handleAt(view, id), {12, 17});
    CHECK_FALSE(o.doc() == was);
    CHECK(count() == (id.starts_with("new") ? 4 : 3));
    o.studio->undo();
    CHECK(o.doc() == was);
  }
  // All of it is undone: three points, one taken back, one more, and the path itself.
  for (int i = 0; i < 6; ++i) o.studio->undo();
  CHECK(o.doc() == before);
  REQUIRE(o.finished());
}

TEST_CASE("The copy that is clicked becomes a part, alone or in a role; a material on one object too", "[app][parts]") {
  Open o;
  // Three lit beads in front of the camera, which look alike.
  NodeId bead = 0, material = 0;
  o.studio->edit(QStringLiteral("Set"), [&](const Document& d) {
    const Node& camera = *activeCamera(d);
    const Triple from = Params(camera, 1).triple("position"), to = Params(camera, 1).triple("target");
    Document out = addNode(d, "material.surface", "Bead light", {}, &material);
    out = setValue(out, material, "own_light", Constant(5000.0));
    out = addNode(out, "object.sphere", "Lit bead", {}, &bead);
    const double t = 0.5;
    out = setValue(out, bead, "position",
                   Constant(Triple{from[0] + t * (to[0] - from[0]) - 0.2, from[1] + t * (to[1] - from[1]),
                                   from[2] + t * (to[2] - from[2])}));
    out = setValue(out, bead, "radius", Constant(0.05));
    out = setValue(out, bead, "material", Constant(Reference{material, nullptr}));
    NodeId repeat = 0;
    out = addNode(out, "modifier.repeat", "Row", {bead, "modifiers"}, &repeat);
    out = setValue(out, repeat, "count", Constant(3.0));
    return setValue(out, repeat, "step", Constant(Triple{0.2, 0, 0}));
  });
  REQUIRE(o.finished());
  PictureView& view = o.window->picture();
  const ScenePtr scene = o.studio->session().scene();
  const auto placeOf = [&](uint32_t copy) {
    for (const InstancedObject& i : scene->objects)
      if (scene->things[i.thing].node == bead) {
        V2f at;
        REQUIRE(scene->camera.project(transformPoint(scene->instances[i.firstInstance + copy - 1].toWorld, V3f(0.0f)),
                                      at.x, at.y));
        return view.fromPicture(at).toPoint();
      }
    FAIL("no beads");
    return QPoint();
  };
  const auto partsIn = [&] { return o.doc().family("source"); };
  o.studio->select({});
  QTest::mouseClick(&view, Qt::LeftButton, {}, placeOf(3));
  REQUIRE(o.studio->current() == bead);
  CHECK(view.pickedCopy(bead) == 3);
  o.window->commands().run(QStringLiteral("edit.part"));
  REQUIRE(partsIn().size() == 1);
  CHECK(partsIn()[0]->name == "Lit bead 3");
  CHECK(o.studio->current() == partsIn()[0]->id);
  o.studio->undo();
  CHECK(partsIn().empty());
  // Picked into a role with Alt held: that copy alone.
  const Node& effect = *o.doc().family("effect").front();
  const size_t had = Params(effect, 1).references("from").size();
  Studio::Picking picking;
  picking.effect = effect.id;
  picking.role = QStringLiteral("from");
  o.studio->setPicking(picking);
  QTest::mouseClick(&view, Qt::LeftButton, Qt::AltModifier, placeOf(1));
  REQUIRE(partsIn().size() == 1);
  const auto from = Params(*o.doc().find(effect.id), 1).references("from");
  REQUIRE(from.size() == had + 1);
  CHECK(from.back().target == partsIn()[0]->id);
  CHECK(Params(*partsIn()[0], 1).text("copies") == "1");
  o.studio->undo();
  CHECK(partsIn().empty());
  // A material where one object wears it.
  o.studio->select({bead, material});
  o.window->commands().run(QStringLiteral("edit.part"));
  REQUIRE(partsIn().size() == 1);
  CHECK(partsIn()[0]->name == "Bead light on Lit bead");
  // Nothing that could be one is told, and changes nothing.
  const Document before = o.doc();
  o.studio->select({material});
  o.window->commands().run(QStringLiteral("edit.part"));
  CHECK(o.doc() == before);
}

TEST_CASE("A repeat's lights are one row in the balance, which a key splits by copies and joins again",
          "[app][balance][repeat]") {
  Open o;
  NodeId holder = 0, lamp = 0;
  o.studio->edit(QStringLiteral("Set"), [&](const Document& d) {
    NodeId repeat = 0;
    Document out = addNode(d, "object.group", "Lamp row", {}, &holder);
    out = addNode(out, "light.point", "Row lamp", {holder, "objects"}, &lamp);
    out = addNode(out, "modifier.repeat", "Row", {holder, "modifiers"}, &repeat);
    out = setValue(out, repeat, "count", Constant(3.0));
    return setValue(out, repeat, "step", Constant(Triple{0.4, 0, 0}));
  });
  REQUIRE(o.finished());
  o.window->commands().run(QStringLiteral("window.balance"));
  BalancePanel& mix = o.window->balance();
  REQUIRE(Open::wait([&] { return mix.row(lamp) != nullptr; }));
  const Document whole = o.doc();
  // The word shows as soon as the panel knows that there are copies.
  REQUIRE(Open::wait([&] {
    if (BalanceRow* row = mix.row(lamp)) QTest::keyClick(row, Qt::Key_P);
    return !(o.doc() == whole);
  }));
  REQUIRE(Open::wait([&] {
    return mix.row({lamp, 0, 1}) && mix.row({lamp, 0, 2}) && mix.row({lamp, 0, 3}) && !mix.row(lamp);
  }));
  QTest::keyClick(mix.row({lamp, 0, 2}), Qt::Key_Space);
  CHECK_FALSE(Params(*balanceRow(o.doc(), {lamp, 0, 2}), 1).flag("on"));
  REQUIRE(o.finished());
  CHECK(o.studio->image()->change->rays == 0);
  QTest::keyClick(mix.row({lamp, 0, 3}), Qt::Key_P);
  REQUIRE(Open::wait([&] { return mix.row(lamp) != nullptr; }));
  CHECK(o.doc().family("balance").empty());
  o.studio->undo();
  o.studio->undo();
  o.studio->undo();
  CHECK(o.doc() == whole);
}

TEST_CASE("A press on an opening and a drag into the room make light, haze and reach in one step", "[app][beams]") {
  Open o;
  PictureView& view = o.window->picture();
  NodeId pane = 0;
  o.studio->edit("Pane", [&](const Document& d) {
    Document out = addNode(d, "object.plane", "Pane", {}, &pane);
    for (const auto& [param, value] :
         {std::pair{"width", "0.4"}, {"depth", "0.3"}, {"position", "-0.65, 0.5, -0.9"}, {"turn", "90, 0, 0"}})
      out = setValue(out, pane, param, parseValue(out, *out.find(pane)->kind->param(param), value));
    return out;
  });
  REQUIRE(o.finished());
  const Document before = o.doc();
  o.window->commands().run("picture.opening");
  CHECK(view.tool() == "opening");
  QTest::keyClick(&view, Qt::Key_Escape); // ends it without a change
  CHECK(view.tool() == QString());
  const ScenePtr scene = o.studio->session().scene();
  const auto at = [&](const V3f& p) {
    V2f seen;
    REQUIRE(scene->camera.project(p, seen.x, seen.y));
    return view.fromPicture(seen).toPoint();
  };
  o.window->commands().run("picture.opening");
  drag(view, at({-0.65f, 0.5f, -0.9f}), {0, 70});
  INFO(o.window->lastTold().toStdString());
  CHECK(view.tool() == QString());
  REQUIRE_FALSE(o.doc() == before);
  const Node* beam = o.doc().find(o.studio->current());
  REQUIRE(beam);
  CHECK(beam->kind->id == "air.beam");
  CHECK(Params(*beam, 1).number("reach") > 0.05);
  CHECK(problems(o.doc()).empty());
  REQUIRE(o.finished());
  // Its handles are there, and pull it to another length; each is one step.
  const double reach = Params(*o.doc().find(o.studio->current()), 1).number("reach");
  drag(view, handleAt(view, "reach"), {3, 25});
  CHECK(Params(*o.doc().find(o.studio->current()), 1).number("reach") != reach);
  o.studio->undo();
  o.studio->undo();
  CHECK(o.doc() == before);
  // With Shift a rectangle is drawn on the wall behind.
  REQUIRE(o.finished());
  o.window->commands().run("picture.opening");
  const QPoint from = at({0.35f, 0.45f, -1.75f}), to = at({0.75f, 0.7f, -1.75f});
  QTest::mousePress(&view, Qt::LeftButton, Qt::ShiftModifier, from);
  for (int i = 1; i <= 4; ++i) QTest::mouseMove(&view, from + (to - from) * i / 4);
  QTest::mouseRelease(&view, Qt::LeftButton, Qt::ShiftModifier, to);
  REQUIRE(o.doc().findByName("Opening light"));
  CHECK(o.number("Opening light.width") == Approx(0.4).epsilon(0.1));
  o.studio->undo();
  CHECK(o.doc() == before);
}
