// The drawer's pages of test strips and readings, whole looks and panels placed by their reflection, by real events.
#include "app/dialogs/solve_dialog.h"
#include "app/drawer/readings_panel.h"
#include "app/drawer/strip_panel.h"
#include "app/panels/looks_gallery.h"
#include "app/panels/param_row.h"
#include "app/panels/settings_panel.h"
#include "app/viewport/picture_view.h"
#include "app/viewport/which_lamp.h"
#include "core/effects/effect.h"
#include "tests/app/open.h"

#include <QComboBox>
#include <QLineEdit>
#include <QListWidget>
#include <QToolButton>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

template <typename Panel> Panel* page(Open& o, const char* command) {
  o.window->commands().run(command);
  auto* p = o.window->findChild<Panel*>();
  REQUIRE(p);
  REQUIRE(p->isVisible());
  return p;
}

// A new scene, small.
void fresh(Open& o) {
  o.window->commands().run("file.new");
  o.studio->edit("Small", [](Document d) {
    for (const auto& [param, v] : {std::pair{"width", 128.0}, {"height", 80.0}, {"samples", 2.0}})
      d = setValue(d, d.settings().id, param, Constant(v));
    return d;
  });
}

bool drawn(StripPanel* p) {
  for (int k = 0; k < p->list()->count(); ++k)
    if (p->list()->item(k)->data(Qt::DecorationRole).value<QImage>().isNull()) return false;
  return p->list()->count() > 0;
}

} // namespace

TEST_CASE("A test strip of a row comes out of the live picture, and one of its values is taken in one step",
          "[app][strip]") {
  Open o;
  REQUIRE(o.finished());
  const NodeId halo = o.id("Halo");
  o.studio->select({halo});
  auto* row = o.window->settings().row(halo, "size");
  REQUIRE(row);
  {
    ChooseFromMenu strip("strip");
    QTest::keyClick(row, Qt::Key_Menu);
  }
  auto* panel = o.window->findChild<StripPanel*>();
  REQUIRE(panel);
  REQUIRE(panel->isVisible()); // the drawer went to its page
  REQUIRE(panel->cells().size() == 9);
  REQUIRE(Open::wait([&] { return drawn(panel) && panel->done(); }));
  CHECK(panel->rays() == 0); // of the lens: no ray
  // By keys: to the next one, and it is taken.
  const double before = o.number("Halo.size");
  const int now = panel->list()->currentRow();
  CHECK(panel->cells()[size_t(now)].now);
  panel->list()->setFocus();
  QTest::keyClick(panel->list(), Qt::Key_Right);
  QTest::keyClick(panel->list(), Qt::Key_Return);
  CHECK(o.number("Halo.size") > before);
  o.studio->undo();
  CHECK(o.number("Halo.size") == before);
  // Finer around it: between its neighbours.
  panel->list()->setCurrentRow(now);
  QTest::keyClick(panel->list(), Qt::Key_F);
  REQUIRE(Open::wait([&] { return drawn(panel) && panel->done(); }));
  for (const StripCell& c : panel->cells()) {
    const double v = std::get<double>(*valueAt(c.doc, resolve(c.doc, "Halo.size")).constant());
    CHECK(v >= before / 1.6);
    CHECK(v <= before * 1.6);
  }
}

TEST_CASE("A strip of a form is rendered, and what is chosen is kept as a proof", "[app][strip]") {
  Open o;
  REQUIRE(o.finished());
  auto* panel = page<StripPanel>(o, "window.strip");
  CHECK(panel->cells().empty());
  panel->tryValues(resolve(o.doc(), "Sun core.radius"));
  REQUIRE(Open::wait([&] { return drawn(panel) && panel->done(); }));
  CHECK(panel->rays() > 0);
  const size_t proofs = o.studio->proofs().size();
  panel->list()->setFocus();
  panel->list()->setCurrentRow(0);
  QTest::keyClick(panel->list(), Qt::Key_K);
  REQUIRE(Open::wait([&] { return o.studio->proofs().size() == proofs + 1; }));
  CHECK(o.studio->proofs().back()->doc == o.doc());
  CHECK(o.number("Sun core.radius") ==
        std::get<double>(*valueAt(panel->cells()[0].doc, resolve(o.doc(), "Sun core.radius")).constant()));
  // What is removed meanwhile is no harm.
  panel->tryValues(resolve(o.doc(), "Sun core.radius"));
  o.studio->edit("Gone", [&](const Document& d) { return removeNode(d, o.id("Sun core")); });
  panel->take(0);
  CHECK_FALSE(o.doc().findByName("Sun core"));
}

TEST_CASE("Readings are taken of the picture as it comes, compared with a proof, and mended", "[app][readings]") {
  Open o;
  REQUIRE(o.finished());
  o.studio->select({o.id("Sun core glow")});
  auto* panel = page<ReadingsPanel>(o, "window.readings");
  REQUIRE(Open::wait([&] { return panel->readings().has_value(); }));
  REQUIRE(panel->readings()->halo.size() == 1);
  CHECK(panel->readings()->halo.front().core > 6);
  CHECK(panel->list()->count() == int(panel->readings()->lines.size()));
  REQUIRE(o.studio->keep());
  // A darker lamp reads darker, and the proof tells by how much.
  o.studio->edit("Dim", [&](const Document& d) { return setAt(d, resolve(d, "Camera.ev100"), Constant(16.0)); });
  REQUIRE(o.finished());
  REQUIRE(Open::wait([&] { return panel->readings()->brightest < 6; }));
  panel->compareWith(o.studio->proofs().back()->number);
  REQUIRE(Open::wait([&] {
    for (int k = 0; k < panel->list()->count(); ++k)
      if (panel->list()->item(k)->text().contains("darker than in")) return true;
    return false;
  }));
  // Down to black it says so, and its mend brings it back.
  o.studio->edit("Dark", [&](const Document& d) { return setAt(d, resolve(d, "Camera.ev100"), Constant(26.0)); });
  REQUIRE(o.finished());
  int row = -1;
  REQUIRE(Open::wait([&] {
    for (size_t k = 0; k < panel->readings()->lines.size(); ++k)
      if (panel->readings()->lines[k].text.find("middle grey") != std::string::npos) row = int(k);
    return row >= 0;
  }));
  REQUIRE(panel->mendAt(row));
  CHECK(o.number("Camera.ev100") < 25);
  o.studio->undo();
  CHECK(o.number("Camera.ev100") == 26);
}

TEST_CASE("A flare is given a whole look out of a gallery that draws them on its lamp", "[app][effect][flare]") {
  Open o;
  fresh(o);
  o.window->commands().run("scene.add.effect.flare");
  REQUIRE(o.finished());
  const Node* effect = o.doc().family("effect").front();
  const NodeId id = effect->id;
  o.studio->select({id});
  auto* button = o.window->settings().widget()->findChild<QToolButton*>("whole looks");
  REQUIRE(button);
  button->click();
  auto* gallery = o.window->findChild<LooksGallery*>();
  REQUIRE(gallery);
  REQUIRE(gallery->list()->count() >= 11);
  const auto before = roleOf(o.doc(), *o.doc().find(id), "lens");
  gallery->list()->setCurrentRow(2);
  QTest::keyClick(gallery->list(), Qt::Key_Return);
  REQUIRE(Open::wait([&] { return roleOf(o.doc(), *o.doc().find(id), "lens") != before; }));
  o.studio->undo();
  CHECK(roleOf(o.doc(), *o.doc().find(id), "lens") == before);
}

TEST_CASE("A panel is placed by a click where it is to be mirrored", "[app][effect][softbox]") {
  Open o;
  fresh(o);
  o.window->commands().run("scene.add.effect.softbox");
  REQUIRE(o.finished());
  const NodeId effect = o.doc().family("effect").front()->id;
  o.studio->select({effect});
  const NodeId panel = roleOf(o.doc(), *o.doc().find(effect), "from").front();
  auto* button = o.window->settings().widget()->findChild<QToolButton*>(
      QStringLiteral("place ") + QString::fromStdString(o.doc().find(panel)->name));
  REQUIRE(button);
  button->click();
  QCoreApplication::processEvents();
  REQUIRE(o.studio->picking().panel == panel);
  const Triple before = Params(*o.doc().find(panel), 1).triple("position");
  const QRectF r = o.window->picture().pictureRect();
  QTest::mouseClick(&o.window->picture(), Qt::LeftButton, {}, r.center().toPoint());
  CHECK_FALSE(o.studio->picking().active());
  CHECK(Params(*o.doc().find(panel), 1).triple("position") != before);
  o.studio->undo();
  CHECK(Params(*o.doc().find(panel), 1).triple("position") == before);
  // Esc leaves it.
  o.studio->setPicking({0, {}, panel});
  QTest::keyClick(o.window.get(), Qt::Key_Escape);
  CHECK_FALSE(o.studio->picking().active());
}

TEST_CASE("What is wanted is typed, found, shown before it is taken, and taken in one step", "[app][solve]") {
  Open o;
  o.studio->select({o.id("Sun core glow")});
  auto* button = o.window->settings().widget()->findChild<QToolButton*>("wanted");
  REQUIRE(button);
  button->click();
  auto* dialog = o.window->findChild<SolveDialog*>();
  REQUIRE(dialog);
  REQUIRE(dialog->isVisible());
  CHECK(dialog->goals()->count() == 3);
  const double before = o.number("Sun glass.own_light");
  dialog->value()->setFocus();
  QTest::keyClicks(dialog->value(), "many");
  dialog->solve();
  CHECK_FALSE(dialog->found());
  dialog->value()->clear();
  QTest::keyClicks(dialog->value(), "6");
  QTest::keyClick(dialog->value(), Qt::Key_Return);
  REQUIRE(Open::wait([&] { return dialog->found().has_value(); }));
  REQUIRE(dialog->found()->sets.size() == 1);
  CHECK(dialog->found()->reached == Approx(6).margin(0.05));
  CHECK(o.number("Sun glass.own_light") == before); // nothing is changed yet
  QTest::keyClick(dialog, Qt::Key_Return);
  CHECK(o.number("Sun glass.own_light") < before);
  o.studio->undo();
  CHECK(o.number("Sun glass.own_light") == before);
  // One that is left while it works is no harm.
  o.window->commands().run("scene.solve");
  REQUIRE(Open::wait([&] { return o.window->findChild<SolveDialog*>() != nullptr; }));
  for (SolveDialog* d : o.window->findChildren<SolveDialog*>()) {
    d->value()->setText("3");
    d->solve();
    d->close();
  }
}

TEST_CASE("While a key is held over a place, its strongest light stands alone; again, the next", "[app][lamp]") {
  Open o;
  PictureView& view = o.window->picture();
  WhichLamp& lamp = view.whichLamp();
  const uint64_t rays = o.studio->image()->raysSinceRequest;
  view.setFocus();
  const QRectF r = view.pictureRect();
  // The table, where lamp and window both shine.
  QTest::mouseMove(&view, QPointF(r.left() + 0.25 * r.width(), r.top() + 0.9 * r.height()).toPoint());
  QTest::keyPress(&view, Qt::Key_L);
  REQUIRE(lamp.on());
  REQUIRE(Open::wait([&] { return !lamp.image().isNull(); }));
  const NodeId first = lamp.light();
  CHECK(first);
  CHECK(lamp.text().contains("%"));
  QTest::keyRelease(&view, Qt::Key_L);
  CHECK_FALSE(lamp.on());
  QTest::keyPress(&view, Qt::Key_L);
  REQUIRE(Open::wait([&] { return !lamp.image().isNull(); }));
  CHECK(lamp.light() != first);
  CHECK(o.studio->image()->raysSinceRequest == rays);
  QTest::keyClick(&view, Qt::Key_Escape);
  CHECK_FALSE(lamp.on());
  // By the command alone, and an edit ends it.
  o.window->commands().run("picture.which_lamp");
  CHECK(lamp.on());
  o.studio->edit("Dim", [&](const Document& d) { return setAt(d, resolve(d, "Night window.stops"), Constant(-1.0)); });
  CHECK_FALSE(lamp.on());
}
