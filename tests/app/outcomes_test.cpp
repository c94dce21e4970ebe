// Effects and materials dropped onto things.
#include "app/dialogs/outcomes.h"
#include "app/main_window.h"
#include "app/panels/things_panel.h"
#include "app/viewport/picture_view.h"
#include "app/viewport/thing_drag.h"
#include "core/effects/effect.h"
#include "tests/app/open.h"

#include <QApplication>
#include <QDialog>
#include <QPushButton>
#include <QTest>
#include <QTimer>
#include <QTreeWidget>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// Presses an answer as soon as it is asked, or Escape; true once the question has been seen.
void answer(const QString& label, bool& seen) {
  auto* timer = new QTimer(qApp);
  QObject::connect(timer, &QTimer::timeout, timer, [timer, label, &seen] {
    auto* d = qobject_cast<QDialog*>(QApplication::activeModalWidget());
    if (!d || d->objectName() != QStringLiteral("outcomes")) return;
    seen = true;
    timer->deleteLater();
    if (label.isEmpty()) return QTest::keyClick(d, Qt::Key_Escape);
    for (auto* b : d->findChildren<QPushButton*>())
      if (b->text() == label) return QTest::keyClick(b, Qt::Key_Return);
    d->reject();
  });
  timer->start(20);
}

} // namespace

TEST_CASE("An effect dropped onto a thing asks once, and does what was meant as one step", "[app][drop]") {
  Open o;
  NodeId ball = 0, effect = 0;
  REQUIRE(o.studio->edit("Add", [&](const Document& d) { return addNode(d, "object.sphere", "Bauble", {}, &ball); }));
  for (const Node* n : o.doc().family("effect"))
    if (n->kind->id == "effect.glow") effect = n->id;
  REQUIRE(effect);
  const Document before = o.doc();
  bool seen = false;
  answer(QString(), seen);
  dropOn(o.window.get(), *o.studio, {effect}, ball);
  CHECK(seen);
  CHECK(o.doc() == before); // left by Escape
  const std::string role = rolesFor(before, *before.find(effect), ball).front();
  seen = false;
  answer(QStringLiteral("Into %1").arg(qs(before.find(effect)->kind->param(role)->label)), seen);
  dropOn(o.window.get(), *o.studio, {effect}, ball);
  CHECK(seen);
  const auto there = roleOf(o.doc(), *o.doc().find(effect), role);
  CHECK(std::find(there.begin(), there.end(), ball) != there.end());
  o.studio->undo();
  CHECK(o.doc() == before);
  seen = false;
  answer(QStringLiteral("A linked one for it"), seen);
  dropOn(o.window.get(), *o.studio, {effect}, ball);
  CHECK(seen);
  CHECK(o.doc().family("effect").size() == before.family("effect").size() + 1);
  o.studio->undo();
  CHECK(o.doc() == before);
  // What fits nowhere is told, and nothing is asked.
  QString told;
  QObject::connect(o.studio.get(), &Studio::told, o.window.get(), [&](const QString& text) { told = text; });
  dropOn(o.window.get(), *o.studio, {ball}, effect);
  CHECK(told.contains(QStringLiteral("only effects and materials")));
  dropOn(o.window.get(), *o.studio, {effect}, 0);
  CHECK(told.contains(QStringLiteral("onto an object")));
  CHECK(o.doc() == before);
}

TEST_CASE("A material dropped onto a line of the list is worn", "[app][drop]") {
  Open o;
  NodeId ball = 0;
  REQUIRE(o.studio->edit("Add", [&](const Document& d) { return addNode(d, "object.sphere", "Bauble", {}, &ball); }));
  const NodeId material = o.doc().family("material").back()->id;
  QTreeWidget* list = nullptr;
  QTreeWidgetItem* item = nullptr;
  for (ThingsPanel* p : o.window->findChildren<ThingsPanel*>())
    for (auto* t : p->findChildren<QTreeWidget*>())
      for (QTreeWidgetItem* i : t->findItems(QStringLiteral("Bauble"), Qt::MatchExactly | Qt::MatchRecursive)) {
        list = t;
        item = i;
      }
  REQUIRE(item);
  list->scrollToItem(item);
  QMimeData data;
  data.setData(thingsMime, QByteArray::number(material));
  const QPoint at = list->visualItemRect(item).center();
  QDragEnterEvent enter(at, Qt::CopyAction, &data, Qt::LeftButton, {});
  QApplication::sendEvent(list->viewport(), &enter);
  QDragMoveEvent move(at, Qt::CopyAction, &data, Qt::LeftButton, {});
  QApplication::sendEvent(list->viewport(), &move);
  CHECK(move.isAccepted());
  QDropEvent drop(at, Qt::CopyAction, &data, Qt::LeftButton, {});
  QApplication::sendEvent(list->viewport(), &drop);
  REQUIRE(Open::wait([&] { return wornMaterial(o.doc(), *o.doc().find(ball), 1).target == material; }));
}
