// The picture and what is shown over it, by real events.
#include "app/commands/find_anything.h"
#include "app/dialogs/material_library.h"
#include "app/dialogs/recovery.h"
#include "app/drawer/balance_panel.h"
#include "app/drawer/proofs_panel.h"
#include "app/main_window.h"
#include "app/model_files.h"
#include "app/panels/lens_page.h"
#include "app/panels/material_gallery.h"
#include "app/panels/number_row.h"
#include "app/panels/route_view.h"
#include "app/panels/settings_panel.h"
#include "app/panels/status_line.h"
#include "app/panels/swatch_list.h"
#include "app/panels/things_panel.h"
#include "app/picture_files.h"
#include "app/theme.h"
#include "app/viewport/picture_bar.h"
#include "app/viewport/picture_view.h"
#include "app/viewport/pixel_note.h"
#include "app/viewport/thing_drag.h"
#include "core/compile/balance.h"
#include "core/document/difference.h"
#include "core/document/transplant.h"
#include "core/exchange/picture_file.h"
#include "core/lens/queries.h"
#include "core/surface/presets.h"
#include "demo/starters.h"
#include "tests/app/open.h"

#include <filesystem>
#include <fstream>
#include <QApplication>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QRegularExpression>
#include <QSettings>
#include <QStandardPaths>
#include <QTest>
#include <QToolButton>
#include <QTreeWidget>

using namespace ilumbra;
using namespace ilumbra::test;
namespace fs = std::filesystem;

TEST_CASE("A click picks, a second goes behind, a drag orbits, and it is all undoable", "[app][picture]") {
  Open o;
  PictureView& view = o.window->picture();
  const ScenePtr scene = o.studio->session().scene();
  REQUIRE(scene);
  float x, y;
  REQUIRE(scene->camera.project({0.47f, 0.085f, 0.16f}, x, y));
  const QRectF r = view.pictureRect();
  const QPoint at(int(r.left() + double(x) / 128 * r.width()), int(r.top() + double(y) / 72 * r.height()));
  QTest::mouseClick(&view, Qt::LeftButton, {}, at);
  CHECK(o.studio->current() == o.id("Glass planet"));
  QTest::mouseClick(&view, Qt::LeftButton, {}, at);
  CHECK(o.studio->current() != o.id("Glass planet"));
  CHECK(o.studio->current() != 0);
  const Document before = o.doc();
  QTest::mousePress(&view, Qt::LeftButton, {}, r.center().toPoint());
  for (int i = 1; i <= 5; ++i) QTest::mouseMove(&view, r.center().toPoint() + QPoint(12 * i, 0));
  QTest::mouseRelease(&view, Qt::LeftButton, {}, r.center().toPoint() + QPoint(60, 0));
  CHECK(o.studio->history().undoLabel() == "Orbit");
  const Triple from = Params(*before.findByName("Camera"), 1).triple("position"),
               to = Params(*o.doc().findByName("Camera"), 1).triple("position");
  CHECK(from[0] != to[0]);
  CHECK(from[1] == Approx(to[1]).margin(1e-3));
  o.studio->undo();
  CHECK(o.doc() == before);
  REQUIRE(o.finished()); // what is picked is picked in the scene that is seen
  QTest::mouseClick(&view, Qt::LeftButton, Qt::ShiftModifier, at);
  CHECK(o.studio->selection().size() == 2);
  QTest::keyClick(&view, Qt::Key_Right);
  QTest::keyClick(&view, Qt::Key_Up, Qt::ShiftModifier);
  QTest::keyClick(&view, Qt::Key_Plus);
  CHECK_FALSE(o.doc() == before);
  QTest::keyClick(&view, Qt::Key_Escape);
  CHECK(o.studio->selection().empty());
}

TEST_CASE("Framing the selection brings it into the middle", "[app][picture]") {
  Open o;
  o.studio->select({o.id("Brass moon")});
  o.window->commands().run("picture.frame");
  REQUIRE(o.finished());
  float x, y;
  REQUIRE(o.studio->session().scene()->camera.project({-0.44f, 0.046f, 0.24f}, x, y));
  CHECK(x == Approx(64).margin(2));
  CHECK(y == Approx(36).margin(2));
}

TEST_CASE("Frames step within their range, and play goes on by itself", "[app][time]") {
  Open o;
  o.studio->edit("Range", [](const Document& d) {
    return setValue(setValue(d, d.settings().id, "last_frame", Constant(3.0)), d.settings().id, "rate", Constant(60.0));
  });
  o.window->commands().run("picture.next_frame");
  CHECK(o.studio->frame() == 2);
  o.window->commands().run("picture.next_frame");
  o.window->commands().run("picture.next_frame");
  CHECK(o.studio->frame() == 1);
  o.window->commands().run("picture.previous_frame");
  CHECK(o.studio->frame() == 3);
  const std::string label = o.studio->history().undoLabel();
  o.window->bar().play(true);
  CHECK(Open::wait([&] { return o.studio->frame() == 2; }, 5000));
  o.window->bar().play(false);
  CHECK_FALSE(o.studio->view().playing);
}

TEST_CASE("The bar keeps what is used most when the window is narrow; the rest is under more", "[app][bar]") {
  Open o;
  const auto shown = [&](const QString& text) {
    for (QToolButton* b : o.window->bar().findChildren<QToolButton*>())
      if (b->text() == text) return b->isVisible();
    return false;
  };
  o.window->resize(1900, 900);
  QCoreApplication::processEvents();
  CHECK(shown("Region"));
  CHECK(shown("ACES SDR"));
  o.window->resize(1000, 700);
  QCoreApplication::processEvents();
  CHECK(shown("Keep"));
  CHECK(shown("Wipe"));
  CHECK_FALSE(shown("ACES SDR"));
  CHECK(shown(QStringLiteral("more")));
}

TEST_CASE("The pixel says where its light comes from, and the camera focuses and meters by a click", "[app][ask]") {
  Open o;
  PictureView& view = o.window->picture();
  o.window->commands().run("picture.ask");
  CHECK(view.tool() == "ask");
  const QPointF middle = view.pictureRect().center();
  QTest::mouseClick(&view, Qt::LeftButton, {}, middle.toPoint());
  REQUIRE(Open::wait([&] { return view.note().answered(); }));
  const PixelReading& r = view.note().reading();
  CHECK(r.luminance > 0);
  REQUIRE_FALSE(r.contributors.empty());
  double sum = 0;
  for (const Contributor& c : r.contributors)
    if (c.as != Contributor::As::Seen) sum += c.share;
  CHECK(sum == Approx(1).epsilon(1e-3));
  QTest::keyClick(&view, Qt::Key_Escape);
  CHECK(view.tool() == QString());
  CHECK_FALSE(view.note().isVisible());
  const double focus = o.number("Camera.focus");
  focusAt(view, middle + QPointF(0, 0.4 * view.pictureRect().height()));
  CHECK(o.number("Camera.focus") != focus);
  const double ev = o.number("Camera.ev100");
  o.window->commands().run("picture.meter");
  CHECK(o.number("Camera.ev100") != ev);
  o.studio->undo();
  CHECK(o.number("Camera.ev100") == ev);
  // Passes by the way light came, and raw pictures.
  Studio::View v = o.studio->view();
  v.pass = ShownPass::Direct;
  o.studio->setView(v);
  REQUIRE(o.finished());
  v.pass = ShownPass::Over;
  v.raw = true;
  o.studio->setView(v);
  REQUIRE(o.finished());
  CHECK_FALSE(o.studio->image()->denoised);
}

TEST_CASE("Raw and denoised, the passes and the drawer answer to commands", "[app][view]") {
  Open o;
  REQUIRE(o.finished());
  CHECK(o.studio->image()->denoised);
  o.window->commands().run("picture.raw");
  REQUIRE(o.finished());
  CHECK_FALSE(o.studio->image()->denoised);
  CHECK(o.studio->image()->raysSinceRequest == 0);
  o.window->commands().run("picture.raw");
  REQUIRE(Open::wait([&] { return o.studio->image()->edition == o.studio->edition() && o.studio->image()->denoised; }));
  o.window->commands().run("window.balance");
  CHECK(o.window->balance().isVisible());
  CHECK(o.studio->view().groups);
  o.window->commands().run("window.proofs");
  CHECK_FALSE(o.window->balance().isVisible());
  CHECK(o.window->proofs().isVisible());
  CHECK_FALSE(o.studio->view().groups);
  o.window->commands().run("window.drawer");
  CHECK_FALSE(o.window->proofs().isVisible());
  // Tools come and go by their own keys, and Escape ends them all.
  for (const char* id : {"picture.region", "picture.ask", "picture.focus"}) {
    o.window->commands().run(id);
    CHECK(o.window->picture().tool() != QString());
    o.window->commands().run(id);
    CHECK(o.window->picture().tool() == QString());
    o.window->commands().run(id);
    QTest::keyClick(&o.window->picture(), Qt::Key_Escape);
    CHECK(o.window->picture().tool() == QString());
  }
}

TEST_CASE("A light's handles are dragged in the picture, and its ring in the list switches it", "[app][handles]") {
  Open o;
  o.window->commands().run("scene.add.light.spot");
  REQUIRE(o.studio->currentNode());
  const NodeId spot = o.studio->current();
  CHECK(o.doc().find(spot)->kind->id == "light.spot");
  REQUIRE(o.finished());
  PictureView& view = o.window->picture();
  const auto handle = [&](const char* param) {
    for (const Handle& h : view.handles())
      if (h.param == param) return view.fromPicture(h.at).toPoint();
    FAIL("no handle for " << param);
    return QPoint();
  };
  const auto number = [&](const char* param) { return Params(*o.doc().find(spot), 1).number(param); };
  const Document before = o.doc();
  const double cone = number("cone");
  const QPoint at = handle("cone"), middle = handle("position");
  // Away from the axis: across the line from the lamp to the rim.
  const QPointF along = QPointF(at - middle) / std::hypot(at.x() - middle.x(), at.y() - middle.y());
  const QPointF target = QPointF(handle("target") - middle);
  QPointF across(-along.y(), along.x());
  if (QPointF::dotProduct(across, target) > 0) across = -across;
  QTest::mouseMove(&view, at + QPoint(40, 40));
  QTest::mouseMove(&view, at);
  QTest::mousePress(&view, Qt::LeftButton, {}, at);
  for (int i = 1; i <= 6; ++i) QTest::mouseMove(&view, at + (across * 2 * i).toPoint());
  QTest::mouseRelease(&view, Qt::LeftButton, {}, at + (across * 12).toPoint());
  CHECK(number("cone") > cone + 0.5);
  CHECK(o.studio->selection() == std::vector<NodeId>{spot});
  o.studio->undo();
  CHECK(o.doc() == before);
  // Escape in the middle of a drag leaves everything as it was.
  QTest::mousePress(&view, Qt::LeftButton, {}, at);
  QTest::mouseMove(&view, at + (across * 9).toPoint());
  CHECK(number("cone") != cone);
  QTest::keyClick(&view, Qt::Key_Escape);
  CHECK(number("cone") == cone);
  QTest::mouseRelease(&view, Qt::LeftButton, {}, at);
  CHECK(o.studio->current() == spot);
  // The ring beside its name.
  QTreeWidget* list = o.window->scene().list();
  QTreeWidgetItem* item = nullptr;
  for (QTreeWidgetItemIterator it(list); *it; ++it)
    if ((*it)->text(0) == qs(o.doc().find(spot)->name)) item = *it;
  REQUIRE(item);
  list->scrollToItem(item);
  const QRect row = list->visualItemRect(item);
  QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, QPoint(list->viewport()->width() - 10, row.center().y()));
  CHECK_FALSE(Params(*o.doc().find(spot), 1).flag("on"));
  o.window->commands().run("scene.switch");
  CHECK(Params(*o.doc().find(spot), 1).flag("on"));
}

TEST_CASE("The picture tells what a change cost, and what it clips", "[app][view]") {
  Open o;
  REQUIRE(o.finished());
  const NodeId stage = o.doc().family("lens").front()->id;
  o.studio->edit("Weaker", [&](const Document& d) { return setValue(d, stage, "amount", Constant(0.1)); });
  REQUIRE(o.finished());
  REQUIRE(o.studio->image()->change);
  CHECK(o.studio->image()->change->stage == Invalidation::Lens);
  CHECK(o.studio->image()->change->rays == 0);
  QStringList tips;
  for (const QLabel* l : o.window->status().findChildren<QLabel*>()) tips << l->toolTip();
  CHECK(tips.filter(QRegularExpression(QStringLiteral("Last change: lens, \\d+ ms, no rays"))).size() == 1);
  o.studio->edit("Aside", [&](const Document& d) {
    return setAt(d, resolve(d, "Brass moon.position"), Constant(Triple{0.1, 0.2, 0.3}));
  });
  REQUIRE(o.finished());
  CHECK(o.studio->image()->change->stage == Invalidation::Placement);
  CHECK(o.studio->image()->change->rays > 0);
  const auto plain = o.studio->image()->rgba;
  o.window->commands().run("picture.clips");
  REQUIRE(o.finished());
  const auto& image = *o.studio->image();
  CHECK(image.clippedWhite >= 0);
  CHECK(image.clippedBlack <= 1);
  // Stripes stand only where the view is at an end of its range.
  size_t striped = 0;
  for (size_t i = 0; i < plain.size(); i += 4) {
    const bool end =
        plain[i] == 255 || plain[i + 1] == 255 || plain[i + 2] == 255 || (!plain[i] && !plain[i + 1] && !plain[i + 2]);
    const bool same =
        plain[i] == image.rgba[i] && plain[i + 1] == image.rgba[i + 1] && plain[i + 2] == image.rgba[i + 2];
    if (!end) REQUIRE(same);
    striped += !same;
  }
  CHECK((striped > 0) == (image.clippedWhite + image.clippedBlack > 0.001));
}
