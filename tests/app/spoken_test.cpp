// What drawn widgets tell screen readers.
#include "app/drawer/balance_panel.h"
#include "app/drawer/drawer.h"
#include "app/panels/param_row.h"
#include "app/panels/route_view.h"
#include "app/panels/settings_panel.h"
#include "app/viewport/picture_view.h"
#include "tests/app/open.h"

#include <QAccessible>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

QAccessibleInterface& told(QWidget* w) {
  REQUIRE(w);
  QAccessibleInterface* i = QAccessible::queryAccessibleInterface(w);
  REQUIRE(i);
  return *i;
}

} // namespace

TEST_CASE("Rows tell their name, role and value from the table, and take a number", "[app][spoken]") {
  Open o;
  o.studio->select({o.id("Sun glass")});
  SettingsPanel& panel = o.window->settings();
  QAccessibleInterface& rough = told(panel.row(o.id("Sun glass"), "roughness"));
  CHECK(rough.role() == QAccessible::Slider);
  CHECK(rough.text(QAccessible::Name) == QStringLiteral("Roughness"));
  CHECK(rough.text(QAccessible::Value) == QStringLiteral("0.3"));
  QAccessibleValueInterface* number = rough.valueInterface();
  REQUIRE(number);
  CHECK(number->maximumValue().toDouble() == 1);
  number->setCurrentValue(0.45);
  CHECK(o.number("Sun glass.roughness") == 0.45);
  CHECK(rough.text(QAccessible::Value) == QStringLiteral("0.45"));
  number->setCurrentValue(7.0); // no more than the table allows
  CHECK(o.number("Sun glass.roughness") == 1);
  QAccessibleInterface& on = told(panel.row(o.id("Sun glass"), "own_light_on"));
  CHECK(on.role() == QAccessible::CheckBox);
  CHECK(on.state().checked);
  for (ParamRow* r : panel.widget()->findChildren<ParamRow*>()) {
    QAccessibleInterface& i = told(r);
    CAPTURE(i.text(QAccessible::Name).toStdString());
    CHECK_FALSE(i.text(QAccessible::Name).isEmpty());
    CHECK_FALSE(i.text(QAccessible::Value).isEmpty());
    CHECK(i.role() != QAccessible::NoRole);
  }
}

TEST_CASE("The picture, the route and the balance tell what they draw", "[app][spoken]") {
  Open o;
  o.studio->select({o.id("Sun core glow")});
  REQUIRE(Open::wait([&] { return o.studio->image()->route != nullptr; }));
  const QString route = told(&o.window->route()).text(QAccessible::Value);
  CAPTURE(route.toStdString());
  CHECK(route.contains("From: Sun core"));
  CHECK(route.contains("in sight"));
  const QString picture = told(&o.window->picture()).text(QAccessible::Value);
  CAPTURE(picture.toStdString());
  CHECK(picture.contains("2 samples"));
  CHECK(picture.contains("selected: Sun core glow"));
  o.window->showDrawer("balance");
  BalanceRow* row = nullptr;
  REQUIRE(Open::wait([&] { return (row = o.window->balance().findChild<BalanceRow*>()) != nullptr; }));
  QAccessibleInterface& i = told(row);
  CHECK(i.text(QAccessible::Name).startsWith("Balance of "));
  CHECK(i.text(QAccessible::Value).contains("0.0 stops"));
  REQUIRE(i.valueInterface());
  i.valueInterface()->setCurrentValue(1.5);
  CHECK(i.text(QAccessible::Value).contains("1.5 stops"));
  CHECK(o.doc().family("balance").size() == 1);
}
