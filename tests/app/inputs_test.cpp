// Named inputs in the window: made from a row's menu, set where a thing is used, followed again.
#include "app/main_window.h"
#include "app/panels/input_menu.h"
#include "app/panels/param_row.h"
#include "app/panels/pattern_menu.h"
#include "app/panels/settings_panel.h"
#include "core/document/inputs.h"
#include "core/effects/effect.h"
#include "tests/app/open.h"

#include <QMenu>
#include <QTest>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// Chooses what begins so from the menu of an address, submenus too.
bool choose(Open& o, const Address& a, const QString& begins) {
  QMenu m;
  const InputMenu inputs(m, *o.studio, a);
  QList<QAction*> all = m.actions();
  for (int i = 0; i < all.size(); ++i) {
    if (all[i]->menu()) all += all[i]->menu()->actions();
    if (all[i]->text().startsWith(begins)) return inputs.chose(all[i], o.window.get());
  }
  return false;
}

} // namespace

TEST_CASE("A parameter becomes an input in one step, shows where the thing is used, and is set there alone",
          "[app][inputs]") {
  Open o;
  const Node* object = nullptr;
  for (const Node* n : o.doc().family("object"))
    if (n->kind->param("material") && Params(*n, 1).reference("material").target &&
        o.doc().find(Params(*n, 1).reference("material").target)->kind->id == "material.surface")
      object = object ? object : n;
  REQUIRE(object);
  const NodeId id = object->id, material = Params(*object, 1).reference("material").target;
  const std::string owner = o.doc().find(material)->name;
  REQUIRE(choose(o, {material, "roughness", 0, {}}, QStringLiteral("Make it an input of %1").arg(qs(owner))));
  CHECK(o.doc().find(material)->inputs.size() == 1);
  o.studio->select({material});
  const Address own{material, "inputs", 0, "roughness"}, use{id, "material", 0, "roughness"};
  ParamRow* row = o.window->settings().row(own);
  REQUIRE(row);
  CHECK(row->accessibleName() == QStringLiteral("Roughness"));
  // Where it is used.
  o.studio->select({id});
  row = o.window->settings().row(use);
  REQUIRE(row);
  CHECK(row->accessibleName() == QStringLiteral("Roughness"));
  row->setFocus();
  row->setSpokenNumber(0.123);
  row = o.window->settings().row(use);
  REQUIRE(row);
  CHECK(row->accessibleName() == QStringLiteral("Roughness •"));
  CHECK(std::get<double>(*valueAt(o.doc(), use).constant()) == 0.123);
  CHECK(std::get<double>(*valueAt(o.doc(), own).constant()) != 0.123);
  // Backspace follows the shared one again.
  row->setFocus();
  QTest::keyClick(row, Qt::Key_Backspace);
  CHECK(std::get<double>(*valueAt(o.doc(), use).constant()) == std::get<double>(*valueAt(o.doc(), own).constant()));
  row = o.window->settings().row(use);
  REQUIRE(row);
  CHECK(row->accessibleName() == QStringLiteral("Roughness"));
  // Taken away, and all undone.
  REQUIRE(choose(o, own, QStringLiteral("Take the input away")));
  CHECK(o.doc().find(material)->inputs.empty());
  CHECK_FALSE(o.window->settings().row(use));
  o.studio->undo();
  CHECK(o.window->settings().row(use));
}

TEST_CASE("An own copy here, and joined again, from the row's menu", "[app][inputs]") {
  Open o;
  const Node* object = nullptr;
  for (const Node* n : o.doc().family("object"))
    if (n->kind->param("material") && Params(*n, 1).reference("material").target) object = object ? object : n;
  REQUIRE(object);
  const NodeId id = object->id, shared = Params(*object, 1).reference("material").target;
  const Address use{id, "material", 0, {}};
  REQUIRE(choose(o, use, QStringLiteral("Own copy of")));
  CHECK(Params(*o.doc().find(id), 1).reference("material").target != shared);
  REQUIRE(choose(o, use, QStringLiteral("Join %1 again").arg(qs(o.doc().find(shared)->name))));
  CHECK(Params(*o.doc().find(id), 1).reference("material").target == shared);
}

TEST_CASE("A second object of a changeover has its own picture in three steps", "[app][inputs][pattern]") {
  Open o;
  o.window->commands().run("scene.add.effect.changeover");
  const NodeId effect = o.studio->currentNode()->id;
  REQUIRE(o.doc().find(effect)->kind->id == "effect.changeover");
  const Node* other = nullptr;
  const auto onto = roleOf(o.doc(), *o.doc().find(effect), "onto");
  for (const Node* n : o.doc().family("object"))
    if (n->kind->param("material") && std::find(onto.begin(), onto.end(), n->id) == onto.end()) other = n;
  REQUIRE(other);
  const NodeId id = other->id;
  // Armed, then picked.
  o.studio->setPicking({effect, QStringLiteral("onto")});
  REQUIRE(
      o.studio->edit("Put into onto", [&](const Document& d) { return fillRoles(d, effect, {id}, nullptr, "onto"); }));
  // Its own rows stand with the effect; a picture goes onto one.
  const Address after{id, "material", 0, "colour after"};
  REQUIRE(o.window->settings().row(after));
  const QString file = QDir::temp().filePath(QStringLiteral("ilumbra-own-picture.png"));
  QImage picture(8, 8, QImage::Format_RGB32);
  picture.fill(Qt::red);
  REQUIRE(picture.save(file));
  REQUIRE(drivePattern(*o.studio, after, "pattern.image", file));
  CHECK(valueAt(o.doc(), after).pattern());
  for (const NodeId first : onto) CHECK_FALSE(Params(*o.doc().find(first), 1).reference("material").with);
  REQUIRE(o.window->settings().row(after));
  CHECK(o.window->settings().row(after)->accessibleName() == QStringLiteral("Colour after •"));
  QFile::remove(file);
}
