// Modifiers and the health of meshes in the real window, by real events.
#include "app/model_files.h"
#include "app/panels/number_row.h"
#include "app/panels/settings_panel.h"
#include "app/viewport/health_overlay.h"
#include "app/viewport/picture_view.h"
#include "core/base/files.h"
#include "core/document/edit.h"
#include "core/geometry/form.h"
#include "core/placing/arrange.h"
#include "tests/app/open.h"

#include <QLabel>
#include <QLineEdit>
#include <QToolButton>

using namespace ilumbra;
using namespace ilumbra::test;

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
