// Placing and shaping in the real window, by real events.
#include "app/dialogs/import_dialog.h"
#include "app/viewport/picture_view.h"
#include "core/base/files.h"
#include "core/document/edit.h"
#include "core/document/follow.h"
#include "core/document/mover.h"
#include "core/document/units.h"
#include "core/placing/arrange.h"
#include "tests/app/open.h"

#include <QComboBox>
#include <QLabel>
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

TEST_CASE("What is selected follows a path by one command, along a new one if there is none", "[app][place][motion]") {
  Open o;
  const Node* thing = nullptr;
  for (const Node* n : o.doc().inOrder())
    if (!thing && n->kind->family() == "object" && n->kind->param("material")) thing = n;
  REQUIRE(thing);
  const NodeId id = thing->id;
  o.studio->select({id});
  o.window->commands().run(QStringLiteral("place.follow"));
  const Node* group = o.studio->currentNode();
  REQUIRE(group);
  CHECK(o.doc().find(id)->parent == group->id);
  REQUIRE(followedPath(o.doc(), *group, 1));
  CHECK(pathLength(o.doc(), *group, 1) > 0);
  CHECK(moverValue(valueAt(o.doc(), {group->id, "along", 0, {}}), "run") == Constant(true));
  o.studio->undo();
  CHECK(o.doc().find(id)->parent != group->id);
}
