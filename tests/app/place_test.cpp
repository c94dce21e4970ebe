// Placing and shaping in the real window, by real events.
#include "app/picture_view.h"
#include "app/settings_panel.h"
#include "core/geometry/form.h"
#include "core/geometry/shape.h"
#include "core/session/arrange.h"
#include "tests/app/open.h"

#include <QLabel>
#include <QMenu>
#include <QTimer>
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

TEST_CASE("A frame that is drawn with Shift takes in what lies inside it, but nothing that is locked", "[app][placing]") {
  Open o;
  o.studio->select({});
  REQUIRE(o.finished());
  PictureView& view = o.window->picture();
  const QRectF r = view.pictureRect();
  const auto draw = [&] {
    QTest::mousePress(&view, Qt::LeftButton, Qt::ShiftModifier, r.topLeft().toPoint() + QPoint(2, 2));
    QTest::mouseMove(&view, r.center().toPoint());
    QMouseEvent move(QEvent::MouseMove, r.bottomRight() - QPointF(2, 2), view.mapToGlobal(r.bottomRight() - QPointF(2, 2)), Qt::NoButton, Qt::LeftButton, Qt::ShiftModifier);
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
  o.studio->edit("Bend", [&](const Document& d) { return addNode(d, "modifier.bend", "Bend", {moon, "modifiers", size_t(-1)}); });
  o.studio->edit("Shell", [&](const Document& d) { return addNode(d, "modifier.shell", "Shell", {moon, "modifiers", size_t(-1)}); });
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
  QTimer::singleShot(200, [] {
    if (auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget())) {
      for (QAction* a : menu->actions())
        if (a->data().toString() == QStringLiteral("modifier.twist")) {
          menu->setActiveAction(a);
          QTest::keyClick(menu, Qt::Key_Return);
          return;
        }
      menu->close();
    }
  });
  for (QToolButton* b : panel.widget()->findChildren<QToolButton*>())
    if (b->text() == QStringLiteral("+ add") && b->parentWidget()->findChild<QLabel*>()->text() == QStringLiteral("Modifiers")) b->click();
  CHECK(Open::wait([&] { return order().size() == 2; }));
  CHECK(order().back() == "Twist");
  REQUIRE(o.finished());
  CHECK(o.studio->session().scene()->troubles.empty());
}
