// The drawer of motion: movers, keys, the frame at hand, by real events.
#include "app/drawer/motion_chart.h"
#include "app/drawer/motion_panel.h"
#include "app/panels/param_row.h"
#include "app/panels/settings_panel.h"
#include "app/viewport/picture_view.h"
#include "core/document/mover.h"
#include "core/effects/effect.h"
#include "tests/app/open.h"

#include <fmt/format.h>
#include <QContextMenuEvent>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QToolButton>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

struct Moving : Open {
  Moving() {
    for (QToolButton* b : window->findChildren<QToolButton*>())
      if (b->text() == QStringLiteral("Motion")) b->click();
    panel = window->findChild<MotionPanel*>();
    REQUIRE(panel);
    REQUIRE(panel->isVisible());
    lamp = doc().family("light").front()->id;
    studio->edit(QStringLiteral("Range"),
                 [&](const Document& d) { return setValue(d, d.settings().id, "last_frame", Constant(48.0)); });
  }
  MotionChart& chart() { return panel->chart(); }
  void key(Qt::Key k, Qt::KeyboardModifiers m = {}) { QTest::keyClick(&panel->chart(), k, m); }
  void keyAt(double frame, double power) {
    studio->setFrame(frame);
    studio->edit(QStringLiteral("Key"), [&](const Document& d) {
      const Address a{lamp, "power", 0, {}};
      return setNow(setAt(d, a, keyedAt(valueAt(d, a), definitionAt(d, a), frame)), a, Constant(power));
    });
  }
  std::vector<double> frames() const {
    std::vector<double> out;
    if (const Keys* k = keysAt(doc(), {lamp, "power", 0, {}}))
      for (const Key& one : k->keys) out.push_back(one.frame);
    return out;
  }
  MotionPanel* panel = nullptr;
  NodeId lamp = 0;
};

using Frames = std::vector<double>;

} // namespace

TEST_CASE("A mover begins in the drawer, shows in Settings, and goes by undo", "[app][motion]") {
  Moving o;
  CHECK(o.chart().rows().empty());
  const Node* thing = nullptr;
  for (const Node* n : o.doc().inOrder())
    if (!thing && n->kind->param("turn") && n->kind->family() == "object") thing = n;
  REQUIRE(thing);
  const Address spin{thing->id, "turn", 0, "spin"};
  REQUIRE(o.studio->edit(QStringLiteral("Spin"), [&](const Document& d) { return setAt(d, spin, Constant(true)); }));
  o.studio->select({thing->id});
  REQUIRE(o.chart().rows().size() == 1);
  CHECK(o.chart().rows().front().range == QStringLiteral("spin"));
  // What it is set to stands below the row, and can be typed there.
  auto* settings = o.window->findChild<SettingsPanel*>();
  ParamRow* period = settings->row(Address{thing->id, "turn", 0, "spin.period"});
  REQUIRE(period);
  CHECK(period->spokenValue() == QStringLiteral("48 frames"));
  period->setSpokenNumber(24);
  CHECK(std::get<double>(*valueAt(o.doc(), {thing->id, "turn", 0, "spin.period"}).constant()) == 24);
  ParamRow* turn = settings->row(Address{thing->id, "turn", 0, {}});
  CHECK(turn->spokenValue().contains(QStringLiteral("spin")));
  o.studio->undo();
  o.studio->undo();
  CHECK(o.chart().rows().empty());
}

TEST_CASE("Keys are chosen, dragged and deleted in the drawer, each drag one step", "[app][motion]") {
  Moving o;
  o.keyAt(1, 100);
  o.keyAt(20, 900);
  o.keyAt(40, 400);
  MotionChart& chart = o.chart();
  REQUIRE(chart.rows().size() == 1);
  const auto notch = [&](size_t k) {
    return chart.notch(chart.rows().front(), keysAt(o.doc(), {o.lamp, "power", 0, {}})->keys[k]).toPoint();
  };
  const QPoint from = notch(1);
  const int to = int(std::lround(chart.xOf(26)));
  QTest::mousePress(&chart, Qt::LeftButton, {}, from);
  for (int x = from.x() + 2; x < to; x += 3) QTest::mouseMove(&chart, {x, from.y()});
  QTest::mouseMove(&chart, {to, from.y()});
  QTest::mouseRelease(&chart, Qt::LeftButton, {}, {to, from.y()});
  CHECK(o.frames() == Frames{1, 26, 40});
  REQUIRE(chart.chosen().size() == 1);
  CHECK(chart.chosen().front().frame == 26);
  o.studio->undo();
  CHECK(o.frames() == Frames{1, 20, 40});
  // A press on the ruled line goes to its frame, which is no step.
  QTest::mouseClick(&chart, Qt::LeftButton, {}, {int(std::lround(chart.xOf(10))), 8});
  CHECK(o.studio->frame() == 10);
  // A double press on the band sets a key that changes nothing.
  const double before = Params(*o.doc().find(o.lamp), 30).number("power");
  QTest::mouseDClick(&chart, Qt::LeftButton, {},
                     {int(std::lround(chart.xOf(30))), chart.band(chart.rows().front()).center().y()});
  CHECK(o.frames() == Frames{1, 20, 30, 40});
  CHECK(Params(*o.doc().find(o.lamp), 30).number("power") == Approx(before));
  QTest::keyClick(&chart, Qt::Key_Delete);
  CHECK(o.frames() == Frames{1, 20, 40});
}

TEST_CASE("Keys are worked without a mouse", "[app][motion]") {
  Moving o;
  o.keyAt(1, 100);
  o.keyAt(20, 900);
  MotionChart& chart = o.chart();
  chart.setFocus();
  o.studio->setFrame(5);
  o.key(Qt::Key_Right);
  CHECK(o.studio->frame() == 20);
  o.key(Qt::Key_Right, Qt::AltModifier);
  o.key(Qt::Key_Right, Qt::AltModifier | Qt::ShiftModifier);
  CHECK(o.frames() == Frames{1, 31});
  // Return opens a field over the value.
  o.key(Qt::Key_Return);
  auto* field = chart.findChild<QLineEdit*>();
  REQUIRE(field);
  field->selectAll();
  QTest::keyClicks(field, QStringLiteral("1.2 klm"));
  QTest::keyClick(field, Qt::Key_Return);
  CHECK(Params(*o.doc().find(o.lamp), 31).number("power") == Approx(1200));
  // All, copied, and pasted at another frame.
  o.key(Qt::Key_A, Qt::ControlModifier);
  CHECK(chart.chosen().size() == 2);
  o.key(Qt::Key_C, Qt::ControlModifier);
  o.studio->setFrame(10);
  o.key(Qt::Key_V, Qt::ControlModifier);
  CHECK(o.frames() == Frames{1, 10, 31, 40});
  o.key(Qt::Key_A, Qt::ControlModifier);
  o.key(Qt::Key_Delete);
  CHECK(o.frames().empty());
  CHECK(chart.rows().empty());
}

TEST_CASE("What is changed at another frame is keyed, if asked for, and a drag stays one step", "[app][motion]") {
  Moving o;
  const double was = o.number("Night window.power");
  const Address power = resolve(o.doc(), "Night window.power");
  o.lamp = power.node;
  for (QToolButton* b : o.window->findChildren<QToolButton*>())
    if (b->text() == QStringLiteral("Key what I change")) QTest::mouseClick(b, Qt::LeftButton);
  REQUIRE(o.studio->keyChanges());
  const auto set = [&](double v, uint64_t gesture) {
    o.studio->edit(
        QStringLiteral("Power"), [&](const Document& d) { return setNow(d, power, Constant(v)); }, gesture);
  };
  o.studio->setFrame(20);
  const uint64_t gesture = o.studio->newGesture();
  for (const double v : {was + 1, was + 5, was + 9}) set(v, gesture);
  CHECK(o.frames() == Frames{1, 20});
  CHECK(Params(*o.doc().find(o.lamp), 1).number("power") == was);
  CHECK(Params(*o.doc().find(o.lamp), 20).number("power") == was + 9);
  o.studio->undo();
  CHECK(o.frames().empty());
  o.studio->setKeyChanges(false);
  set(was + 3, 0);
  CHECK(o.frames().empty());
}

TEST_CASE("What plays has a band that slides and stretches, by mouse and keys, and a part in the loop",
          "[app][motion]") {
  Moving o;
  for (int i = 1; i <= 12; ++i) {
    QImage picture(4, 4, QImage::Format_RGB888);
    picture.fill(QColor(20 * i, 0, 0));
    REQUIRE(picture.save(QString::fromStdString(o.folder / fmt::format("n.{:04}.png", i))));
  }
  NodeId id = 0;
  o.studio->edit(QStringLiteral("Frames"), [&](const Document& d) {
    Document out = addNode(d, "pattern.image", "Flames", {}, &id);
    out = setValue(out, id, "file", Constant(std::string("n.0001.png")));
    out = setValue(out, id, "numbered", Constant(true));
    return setValue(out, id, "play", Constant(std::string("loop")));
  });
  const auto number = [&](const char* param) { return Params(*o.doc().find(id), 1).number(param); };
  MotionChart& chart = o.chart();
  REQUIRE(chart.rows().size() == 1);
  REQUIRE(chart.rows().front().plays);
  // Its length comes from its files: 12 frames, 4 times in the range of 48.
  REQUIRE(o.wait([&] { return chart.rounds()(*o.doc().find(id)) == 12; }));
  CHECK(loopBreaks(o.doc(), chart.rounds()).empty());
  const int y = chart.band(chart.rows().front()).center().y();
  const auto drag = [&](double from, double to, Qt::KeyboardModifiers m) {
    const int a = int(std::lround(chart.xOf(from))), b = int(std::lround(chart.xOf(to)));
    QTest::mousePress(&chart, Qt::LeftButton, m, {a, y});
    for (int x = a; x != b; x += b > a ? 1 : -1) QTest::mouseMove(&chart, {x, y});
    QTest::mouseMove(&chart, {b, y});
    QTest::mouseRelease(&chart, Qt::LeftButton, m, {b, y});
  };
  drag(10, 15, {});
  CHECK(number("begins") == 6);
  REQUIRE(loopBreaks(o.doc(), chart.rounds()).size() == 1);
  drag(16, 26, Qt::ShiftModifier); // ten frames after its begin become twenty
  CHECK(number("speed") == Approx(0.5));
  CHECK(number("begins") == 6);
  o.studio->undo();
  CHECK(number("speed") == 1);
  chart.setFocus();
  o.key(Qt::Key_Left, Qt::AltModifier);
  CHECK(number("begins") == 5);
  o.key(Qt::Key_Up, Qt::AltModifier); // a round of 13 frames
  CHECK(12 / number("speed") == Approx(13));
  const Document mended = looped(o.doc(), chart.rounds());
  CHECK(loopBreaks(mended, chart.rounds()).empty());
  CHECK(Params(*mended.find(id), 1).number("speed") == Approx(1));
  o.studio->setFrame(9);
  o.key(Qt::Key_Insert); // it begins here
  CHECK(number("begins") == 9);
  QTimer::singleShot(0, [] {
    REQUIRE(Open::wait([] { return QApplication::activeModalWidget() != nullptr; }));
    auto* field = QApplication::activeModalWidget()->findChild<QDoubleSpinBox*>();
    REQUIRE(field);
    field->setValue(3);
    QTest::keyClick(field, Qt::Key_Return);
  });
  o.key(Qt::Key_Return);
  CHECK(number("begins") == 3);
}

TEST_CASE("What a thing sets for itself of its material has a row with keys in the drawer", "[app][motion]") {
  Moving o;
  const Node* ball = nullptr;
  for (const Node* n : o.doc().family("object"))
    if (n->kind->param("material") && Params(*n, 1).reference("material").target) ball = n;
  REQUIRE(ball);
  const Address rough{ball->id, "material", 0, "roughness"};
  REQUIRE(o.studio->edit(QStringLiteral("Keys"), [&](const Document& d) {
    return setAt(d, rough, Keys{{{1, 0.1, KeyShape::Smooth}, {30, 0.7, KeyShape::Smooth}}});
  }));
  MotionChart& chart = o.chart();
  REQUIRE(chart.rows().size() == 1);
  CHECK(chart.rows().front().at == rough);
  CHECK(chart.rows().front().name.contains(QStringLiteral("material: roughness")));
  const QPoint from = chart.notch(chart.rows().front(), keysAt(o.doc(), rough)->keys[1]).toPoint();
  const int to = int(std::lround(chart.xOf(40)));
  QTest::mousePress(&chart, Qt::LeftButton, {}, from);
  for (int x = from.x() + 2; x < to; x += 3) QTest::mouseMove(&chart, {x, from.y()});
  QTest::mouseMove(&chart, {to, from.y()});
  QTest::mouseRelease(&chart, Qt::LeftButton, {}, {to, from.y()});
  REQUIRE(keysAt(o.doc(), rough));
  CHECK(keysAt(o.doc(), rough)->keys[1].frame == 40);
  // A key here, and both gone by Delete: it keeps what the first said.
  o.studio->setFrame(20);
  QTest::keyClick(&chart, Qt::Key_Insert);
  CHECK(keysAt(o.doc(), rough)->keys.size() == 3);
  QTest::keyClick(&chart, Qt::Key_A, Qt::ControlModifier);
  QTest::keyClick(&chart, Qt::Key_Delete);
  CHECK(chart.rows().empty());
  CHECK(valueAt(o.doc(), rough) == Value(Constant(0.1)));
}

TEST_CASE("What moves a thing is dragged in the picture, each drag one step", "[app][motion]") {
  Moving o;
  const Node* ball = nullptr;
  for (const Node* n : o.doc().family("object"))
    if (n->kind->id == "object.sphere") ball = n;
  REQUIRE(ball);
  o.studio->edit(QStringLiteral("Bob"), [&](const Document& d) {
    return setAt(d, {ball->id, "position", 0, "bob.reach"}, Constant(Triple{0, 0.3, 0}));
  });
  o.studio->select({ball->id});
  PictureView& view = o.window->picture();
  const auto find = [&]() -> QPoint {
    for (const Handle& h : view.handles())
      if (h.id == "position.bob.reach") return view.fromPicture(h.at).toPoint();
    FAIL("no handle for the reach");
    return {};
  };
  const QPoint at = find();
  const Document before = o.doc();
  QTest::mousePress(&view, Qt::LeftButton, {}, at);
  for (int k = 1; k <= 6; ++k) QTest::mouseMove(&view, at + QPoint(2 * k, -3 * k));
  QTest::mouseRelease(&view, Qt::LeftButton, {}, at + QPoint(12, -18));
  const Triple reach = std::get<Triple>(*valueAt(o.doc(), {ball->id, "position", 0, "bob.reach"}).constant());
  CHECK(reach[1] > 0.3);
  CHECK((find() - at - QPoint(12, -18)).manhattanLength() <= 2);
  o.studio->undo();
  CHECK(o.doc() == before);
}

TEST_CASE("Who is in a role is keyed by its menu, and changes from the frame at hand on", "[app][motion][roles]") {
  Moving o;
  const NodeId glow = o.id("Sun core glow");
  const Address from{glow, "from", 0, {}};
  o.studio->select({glow});
  const auto zone = [&] {
    auto* w = o.window->settings().widget()->findChild<QWidget*>("role from");
    REQUIRE(w);
    return w;
  };
  const auto choose = [&](const char* entry) {
    ChooseFromMenu menu(entry);
    QContextMenuEvent e(QContextMenuEvent::Keyboard, QPoint(5, 5), zone()->mapToGlobal(QPoint(5, 5)));
    QCoreApplication::sendEvent(zone(), &e);
    QCoreApplication::processEvents();
  };
  const auto frames = [&] {
    Frames out;
    if (const Keys* k = keysAt(o.doc(), from))
      for (const Key& one : k->keys) out.push_back(one.frame);
    return out;
  };
  const size_t in = roleOf(o.doc(), *o.doc().find(glow), "from").size();
  REQUIRE(in > 0);
  o.studio->setFrame(1);
  choose("key");
  CHECK(frames() == Frames{1});
  const auto told = [&](const QString& words) {
    for (QLabel* l : zone()->findChildren<QLabel*>())
      if (l->text().contains(words)) return true;
    return false;
  };
  CHECK(told("one here"));
  o.studio->setFrame(24);
  QCoreApplication::processEvents();
  CHECK_FALSE(told("one here"));
  CHECK(told("1 key"));
  // A press on what is in it takes it out, from here on.
  for (QToolButton* b : zone()->findChildren<QToolButton*>())
    if (b->text().contains(QChar(0xd7))) {
      QTest::mouseClick(b, Qt::LeftButton);
      break;
    }
  QCoreApplication::processEvents();
  CHECK(frames() == Frames{1, 24});
  CHECK(roleOf(o.doc(), *o.doc().find(glow), "from").size() == in - 1);
  CHECK(roleOf(atFrame(o.doc(), 23), *o.doc().find(glow), "from").size() == in);
  // It is a row of the drawer like any other.
  CHECK(std::any_of(o.chart().rows().begin(), o.chart().rows().end(), [&](const auto& r) { return r.at == from; }));
  choose("take away");
  CHECK(frames() == Frames{1});
  choose("hold");
  CHECK(frames().empty());
  CHECK(roleOf(o.doc(), *o.doc().find(glow), "from").size() == in);
  o.studio->undo();
  o.studio->undo();
  CHECK(frames() == Frames{1, 24});
}
