// Parts of things, and lamps that a repeat carries, in the real window, by real events.
#include "app/drawer/balance_panel.h"
#include "app/viewport/picture_view.h"
#include "core/compile/camera.h"
#include "core/document/edit.h"
#include "core/placing/arrange.h"
#include "tests/app/open.h"


using namespace ilumbra;
using namespace ilumbra::test;

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
