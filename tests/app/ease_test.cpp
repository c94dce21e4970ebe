// Nothing stands in the way: from nothing to something, out of picking, looks by keys, messages that leave, names that
// say what they are.
#include "app/commands/find_anything.h"
#include "app/panels/lens_page.h"
#include "app/panels/looks_gallery.h"
#include "app/panels/settings_panel.h"
#include "app/panels/things_panel.h"
#include "core/compile/camera.h"
#include "core/effects/effect.h"
#include "core/lens/queries.h"
#include "tests/app/open.h"

#include <QLabel>
#include <QListWidget>
#include <QScrollArea>
#include <QStatusBar>
#include <QToolButton>
#include <QTreeWidget>

using namespace ilumbra;
using namespace ilumbra::test;

TEST_CASE("Every effect that is added to an empty scene is seen: it makes what it lacks, a camera too",
          "[app][empty]") {
  for (const EffectKind& e : allEffects()) {
    CAPTURE(e.kind.id);
    Studio studio;
    MainWindow w(studio);
    w.resize(1024, 700);
    w.show();
    studio.edit("Small", [](const Document& d) {
      Document out = d;
      for (const auto& [param, v] : {std::pair{"width", 160.0}, {"height", 90.0}, {"samples", 8.0}})
        out = setValue(out, out.settings().id, param, Constant(v));
      return out;
    });
    w.commands().run("scene.add." + QString::fromStdString(e.kind.id));
    REQUIRE(activeCamera(studio.doc()));
    REQUIRE(Open::wait(
        [&] { return studio.image() && studio.image()->edition == studio.edition() && studio.image()->finished; }));
    const Picture& p = *studio.image()->linear;
    float most = 0;
    for (const float v : p.rgb) most = std::max(most, v);
    CHECK(most > 0.05f);
    studio.undo();
    CHECK(studio.doc().family("effect").empty());
  }
}

TEST_CASE("Escape leaves picking for a role, from the lists too", "[app][effect]") {
  Open o;
  o.studio->setPicking({o.id("Sun core glow"), "from"});
  auto* list = o.window->scene().findChild<QTreeWidget*>();
  list->setFocus();
  QTest::keyClick(list, Qt::Key_Escape);
  CHECK_FALSE(o.studio->picking().active());
  CHECK(o.window->isVisible());
}

TEST_CASE("A stage that is added while a lamp is selected takes its light, and is named after it", "[app][lens]") {
  Open o;
  o.studio->select({o.id("Night window")});
  o.window->commands().run("scene.add.lens.streaks");
  const Node* made = o.doc().find(o.window->lens().open());
  REQUIRE(made);
  CHECK(made->name == "Night window streaks");
  CHECK(sourcesOfStage(o.doc(), *made) == std::vector<NodeId>{o.id("Night window")});
  o.studio->select({o.id("Sun core glow")});
  o.window->commands().run("scene.add.lens.streaks");
  CHECK(o.doc().find(o.window->lens().open())->name == "Sun core streaks");
}

TEST_CASE("A look is chosen by keys alone", "[app][lens][looks]") {
  Open o;
  o.window->lens().show(o.id("Halo"));
  o.window->commands().run("window.lens");
  const Document before = o.doc();
  o.window->commands().run("lens.looks");
  auto* gallery = o.window->findChild<LooksGallery*>();
  REQUIRE(Open::wait([&] { return (gallery = o.window->findChild<LooksGallery*>()) && gallery->isVisible(); }));
  auto* list = gallery->findChild<QListWidget*>();
  QWidget* to = gallery->focusWidget() ? gallery->focusWidget() : list;
  CHECK(to == list);
  QTest::keyClick(to, Qt::Key_Right);
  QTest::keyClick(to, Qt::Key_Return);
  CHECK(Open::wait([&] { return !(o.doc() == before); }, 5000));
}

TEST_CASE("Messages leave when they no longer hold, and can all be read", "[app][status]") {
  Open o;
  const auto shown = [&] {
    for (const QLabel* l : o.window->statusBar()->findChildren<QLabel*>())
      if (l->alignment() & Qt::AlignRight) return l->text();
    return QString();
  };
  o.studio->edit("Change", [](const Document& d) { return setAt(d, resolve(d, "Halo.amount"), Constant(0.3)); });
  o.studio->undo();
  CHECK(shown().startsWith("Undone"));
  o.studio->edit("Change", [](const Document& d) { return setAt(d, resolve(d, "Halo.amount"), Constant(0.4)); });
  CHECK_FALSE(shown().startsWith("Undone"));
  o.studio->edit("Refused", [](const Document& d) { return setAt(d, resolve(d, "Halo.amount"), Constant(-3.0)); });
  CHECK(shown().contains("below"));
  o.studio->edit("Change", [](const Document& d) { return setAt(d, resolve(d, "Halo.amount"), Constant(0.5)); });
  CHECK_FALSE(shown().contains("below"));
}

TEST_CASE("In an empty scene the starters scroll; where there are things they leave them the room", "[app][empty]") {
  Studio studio;
  MainWindow w(studio);
  w.resize(1024, 700);
  w.show();
  QCoreApplication::processEvents();
  auto* scroll = w.effects().findChild<QScrollArea*>();
  REQUIRE(scroll);
  for (QToolButton* b : scroll->findChildren<QToolButton*>()) CHECK(b->height() >= b->fontMetrics().height());
  studio.edit("Ball", [](const Document& d) { return addNode(d, "object.sphere", "Ball"); });
  QCoreApplication::processEvents();
  CHECK_FALSE(w.effects().findChild<QScrollArea*>());
  CHECK(w.scene().findChild<QTreeWidget*>()->height() > 150);
  // The settings of an effect with an empty role are no wider than their column.
  w.commands().run("scene.add.effect.shafts");
  QCoreApplication::processEvents();
  CHECK(w.settings().widget()->minimumSizeHint().width() <= w.settings().viewport()->width());
}
