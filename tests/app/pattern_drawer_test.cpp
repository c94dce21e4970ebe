// The drawer of patterns: lines, switches, what is added and taken out, by real events.
#include "app/drawer/line_inputs.h"
#include "app/drawer/pattern_list.h"
#include "app/drawer/pattern_panel.h"
#include "app/drawer/pattern_player.h"
#include "app/library.h"
#include "app/main_window.h"
#include "app/panels/param_row.h"
#include "app/panels/pattern_mark.h"
#include "app/panels/pattern_menu.h"
#include "app/panels/settings_panel.h"
#include "tests/app/open.h"

#include <filesystem>
#include <fstream>
#include <QClipboard>
#include <QLabel>
#include <QMenu>
#include <QTest>
#include <QTimer>
#include <QToolButton>

using namespace ilumbra;
using namespace ilumbra::test;
namespace fs = std::filesystem;

namespace {

// The drawer open on a roughness that stripes drive.
struct Drawn : Open {
  Drawn() {
    for (QToolButton* b : window->findChildren<QToolButton*>())
      if (b->text() == QStringLiteral("Pattern")) b->click();
    panel = window->findChild<PatternPanel*>();
    REQUIRE(panel);
    REQUIRE(panel->isVisible());
    material = doc().family("material").front()->id;
    REQUIRE(drivePattern(*studio, {material, "roughness", 0, {}}, "pattern.stripes"));
    studio->select({material});
    settle();
  }
  void settle() {
    REQUIRE(wait([&] { return !panel->busy(); }));
  }
  PatternList& list() { return *panel->list(); }
  PatternPanel* panel = nullptr;
  NodeId material = 0;
};

} // namespace

TEST_CASE("The pattern of what is selected stands in the drawer, with its picture and its range", "[app][pattern]") {
  Drawn o;
  REQUIRE(o.list().lines().size() == 1);
  CHECK(o.panel->use().param == "roughness");
  REQUIRE(o.panel->range());
  CHECK(o.panel->range()->high > o.panel->range()->low);
  CHECK(o.list().spokenValue().contains(QStringLiteral("Stripes")));
  // Space switches the line off and on again, as steps of the history.
  o.list().setFocus();
  QTest::keyClick(&o.list(), Qt::Key_Space);
  const NodeId stripes = o.list().lines().front().node;
  CHECK(!Params(*o.doc().find(stripes), 1).flag("on"));
  o.settle();
  QTest::mouseClick(&o.list(), Qt::LeftButton, {}, o.list().switchRect(0).center());
  CHECK(Params(*o.doc().find(stripes), 1).flag("on"));
  o.studio->undo();
  o.studio->undo();
  CHECK(Params(*o.doc().find(stripes), 1).flag("on"));
}

TEST_CASE("Lines are added, chosen and taken out in the drawer, by mouse and by keys", "[app][pattern]") {
  Drawn o;
  const NodeId stripes = o.list().lines().front().node;
  // A noise that pushes them: a line below.
  REQUIRE(drivePattern(*o.studio, {stripes, "push", 0, {}}, "pattern.noise"));
  o.settle();
  REQUIRE(o.list().lines().size() == 2);
  CHECK(o.list().lines()[1].depth == 1);
  o.list().setFocus();
  QTest::keyClick(&o.list(), Qt::Key_Down);
  CHECK(o.list().chosen() == 1);
  CHECK(o.studio->current() == o.list().lines()[1].node); // its numbers are in Settings
  CHECK(o.panel->pattern() == stripes);
  // Folded away, and there again.
  QTest::keyClick(&o.list(), Qt::Key_Up);
  QTest::keyClick(&o.list(), Qt::Key_Left);
  CHECK(o.list().lineRect(1).isEmpty());
  QTest::keyClick(&o.list(), Qt::Key_Right);
  CHECK(!o.list().lineRect(1).isEmpty());
  // Copied as text and put back in place of the inner line.
  o.panel->copy();
  CHECK(QApplication::clipboard()->text().contains(QStringLiteral("pattern.stripes")));
  QTest::mouseClick(&o.list(), Qt::LeftButton, {}, o.list().lineRect(1).center());
  QTest::keyClick(&o.list(), Qt::Key_Delete);
  o.settle();
  REQUIRE(o.list().lines().size() == 1);
  o.list().choose(0);
  o.panel->paste();
  o.settle();
  CHECK(o.list().lines().size() == 2);
  // Without its first line nothing drives the roughness any more.
  o.list().choose(0);
  QTest::keyClick(&o.list(), Qt::Key_Delete);
  CHECK(!valueAt(o.doc(), {o.material, "roughness", 0, {}}).pattern());
}

TEST_CASE("A line's numbers open below it, by keys and by the mouse, and are set there", "[app][pattern]") {
  Drawn o;
  const NodeId stripes = o.list().lines().front().node;
  REQUIRE(drivePattern(*o.studio, {stripes, "push", 0, {}}, "pattern.noise"));
  o.settle();
  o.list().setFocus();
  o.list().choose(0);
  QTest::keyClick(&o.list(), Qt::Key_Return);
  LineInputs* in = o.list().inputs(0);
  REQUIRE(in);
  CHECK(in->y() == o.list().lineRect(0).bottom() + 1);
  CHECK(o.list().lineRect(1).top() >= in->geometry().bottom());
  const auto row = [&](const char* name) -> ParamRow* {
    for (ParamRow* r : o.list().inputs(0)->rows())
      if (r->address().param == name) return r;
    return nullptr;
  };
  CHECK_FALSE(row("push")); // that is a line of its own
  REQUIRE(row("pitch"));
  CHECK(row("pitch")->isVisible());
  const double before = Params(*o.doc().find(stripes), 1).number("pitch");
  row("pitch")->setFocus();
  QTest::keyClick(row("pitch"), Qt::Key_Right);
  const double after = Params(*o.doc().find(stripes), 1).number("pitch");
  CHECK(after > before);
  CHECK(o.list().chosen() == 0); // the row's keys are not the list's
  // Where the inner line is taken out, its number is a row here.
  o.list().choose(1);
  o.list().setFocus();
  QTest::keyClick(&o.list(), Qt::Key_Delete);
  o.settle();
  CHECK(row("push"));
  QTest::keyClick(row("pitch"), Qt::Key_Escape);
  CHECK(o.list().hasFocus());
  QTest::mouseClick(&o.list(), Qt::LeftButton, {}, o.list().openRect(0).center());
  CHECK_FALSE(o.list().inputs(0));
  CHECK(o.list().minimumHeight() <= PatternList::lineHeight + 4);
}

TEST_CASE("Layers are moved by keys, and what is given beyond the range is fitted by one click", "[app][pattern]") {
  Drawn o;
  REQUIRE(drivePattern(*o.studio, {o.material, "metalness", 0, {}}, "pattern.layers"));
  const NodeId layers = valueAt(o.doc(), {o.material, "metalness", 0, {}}).pattern()->pattern.target;
  o.studio->edit(QStringLiteral("One more"), [&](const Document& d) {
    return addNode(d, "coat.layer", "Upper", {layers, "layers", 0});
  });
  o.studio->select({layers});
  o.settle();
  const auto order = [&] { return o.doc().find(layers)->children.at("layers"); };
  const auto before = order();
  REQUIRE(before.size() == 2);
  REQUIRE(o.panel->pattern() == layers);
  o.list().choose(1);
  o.list().setFocus();
  QTest::keyClick(&o.list(), Qt::Key_Down, Qt::AltModifier);
  CHECK(order() == std::vector<NodeId>{before[1], before[0]});
  const NodeId stripes = valueAt(o.doc(), {o.material, "roughness", 0, {}}).pattern()->pattern.target;
  o.studio->edit(QStringLiteral("Too much"), [&](const Document& d) {
    return setValue(d, stripes, "high", Constant(Triple{3, 3, 3}));
  });
  o.studio->select({stripes});
  o.settle();
  REQUIRE(o.panel->range());
  CHECK(o.panel->range()->above > 0.1f);
  o.panel->fit();
  o.settle();
  CHECK(o.panel->range()->above == 0);
}

TEST_CASE("A line alone in the large picture, with its own range", "[app][pattern]") {
  Drawn o;
  const NodeId whole = o.list().lines().front().node;
  REQUIRE(drivePattern(*o.studio, {whole, "low", 0, {}}, "pattern.noise"));
  o.settle();
  REQUIRE(o.list().lines().size() == 2);
  const float high = o.panel->range()->high;
  QToolButton* alone = nullptr;
  for (QToolButton* b : o.panel->findChildren<QToolButton*>())
    if (b->text() == QStringLiteral("alone")) alone = b;
  REQUIRE(alone);
  o.list().choose(1);
  alone->click();
  o.settle();
  REQUIRE(o.panel->range());
  CHECK(o.panel->range()->high != high);
  alone->click();
  o.settle();
  CHECK(o.panel->range()->high == high);
}

TEST_CASE("A preset from a row's menu brings its inputs with it, and the drawer shows what the use sets",
          "[app][pattern][inputs]") {
  Drawn o;
  const Address colour{o.material, "base_color", 0, {}};
  REQUIRE(drivePatternPreset(*o.studio, colour, findPatternPreset("Rust")));
  o.studio->select({o.material});
  ParamRow* amount = o.window->settings().row(Address{o.material, "base_color", 0, "amount"});
  REQUIRE(amount);
  amount->setFocus();
  amount->setSpokenNumber(0);
  // The row is made anew, and still has the keyboard.
  amount = o.window->settings().row(Address{o.material, "base_color", 0, "amount"});
  REQUIRE(amount);
  CHECK(amount->hasFocus());
  CHECK(amount->accessibleName() == QStringLiteral("Amount •"));
  o.studio->select({o.doc().findByName("Rust")->id});
  o.settle();
  REQUIRE(o.panel->range());
  CHECK(o.panel->range()->high - o.panel->range()->low < 1e-3f); // nothing is covered
}

TEST_CASE("What a row's menu offers is shown on the very thing", "[app][pattern][presets]") {
  Drawn o;
  const Address rough{o.material, "roughness", 0, {}};
  QMenu menu;
  const PatternMenu patterns(&menu, *o.studio, rough);
  const auto sub = [&](const char* title) {
    for (QAction* a : menu.actions())
      if (a->menu() && a->text() == QString::fromUtf8(title)) return a->menu();
    FAIL(title);
    return static_cast<QMenu*>(nullptr);
  };
  for (const char* title : {"Pattern preset", "New pattern", "Pattern of the scene"}) {
    CAPTURE(title);
    QMenu* m = sub(title);
    Q_EMIT m->aboutToShow();
    int without = 0, all = 0;
    REQUIRE(Open::wait([&] {
      all = without = 0;
      for (const QAction* a : m->actions()) {
        if (a->isSeparator() || a->menu() || a->data().toString() == QStringLiteral("pattern.image")) continue;
        ++all;
        without += a->icon().isNull();
      }
      return without == 0;
    }));
    CHECK(all > 0);
  }
  // Rust is no dust.
  const QList<QAction*> presets = sub("Pattern preset")->actions();
  CHECK(presets[0]->icon().pixmap(44).toImage() != presets[6]->icon().pixmap(44).toImage());
}

TEST_CASE("The mark behind a row's label offers patterns, and only where one may vary", "[app][pattern]") {
  Drawn o;
  auto* settings = o.window->findChild<SettingsPanel*>();
  REQUIRE(settings);
  const auto row = [&](const char* name) -> ParamRow* {
    for (ParamRow* r : settings->findChildren<ParamRow*>())
      if (r->address().node == o.material && r->address().param == name && r->address().input.empty()) return r;
    return nullptr;
  };
  REQUIRE(o.wait([&] { return row("metalness") && row("ior") && row("metalness")->findChild<PatternMark*>(); }));
  CHECK_FALSE(row("ior")->findChild<PatternMark*>());
  for (const char* name : {"metalness", "roughness"}) { // without a pattern, and with one
    CAPTURE(name);
    auto* mark = row(name)->findChild<PatternMark*>();
    REQUIRE(mark);
    QStringList offered;
    QTimer::singleShot(50, [&] {
      if (auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget())) {
        for (const QAction* a : menu->actions()) offered << a->text();
        menu->close();
      }
    });
    QTest::mouseClick(mark, Qt::LeftButton);
    CHECK(offered.contains(QStringLiteral("New pattern")));
    CHECK(offered.contains(QStringLiteral("Remove the pattern")) == (name == std::string("roughness")));
  }
}

TEST_CASE("A pattern that runs with time plays in the drawer, and one that does not stands still", "[app][pattern]") {
  Drawn o;
  const auto idle = [&] { return !o.panel->busy() && !o.studio->works().busy(QStringLiteral("pattern play")); };
  REQUIRE(o.wait(idle));
  CHECK_FALSE(o.panel->player()->playing());
  // A noise in its place, which drifts.
  REQUIRE(drivePattern(*o.studio, {o.material, "roughness", 0, {}}, "pattern.noise"));
  o.settle();
  const NodeId noise = valueAt(o.doc(), {o.material, "roughness", 0, {}}).pattern()->pattern.target;
  REQUIRE(o.studio->edit(QStringLiteral("drift"),
                         [&](const Document& d) { return setValue(d, noise, "churn", Constant(2.0)); }));
  REQUIRE(o.wait([&] { return o.panel->player()->playing(); }));
  CHECK(o.panel->player()->frames() == 2 * PatternPlayer::perSecond);
  const auto picture = [&] {
    for (QLabel* l : o.panel->findChildren<QLabel*>())
      if (l->accessibleName() == QStringLiteral("What the pattern gives")) return l->pixmap().toImage();
    return QImage();
  };
  const QImage before = picture();
  CHECK(o.wait([&] { return picture() != before; }));
  // Still again, and nothing plays where it is not seen.
  o.studio->undo();
  REQUIRE(o.wait(idle));
  CHECK_FALSE(o.panel->player()->playing());
  o.studio->redo();
  REQUIRE(o.wait([&] { return o.panel->player()->playing(); }));
  o.panel->hide();
  CHECK_FALSE(o.panel->player()->playing());
}

TEST_CASE("A pattern is kept in the library and put on another row from there", "[app][pattern][library]") {
  Drawn o;
  patternLibrary().setFolder(qs(o.folder / "patterns"));
  const NodeId stripes = o.list().lines().front().node;
  REQUIRE(o.studio->edit(QStringLiteral("coarser"),
                         [&](const Document& d) { return setValue(d, stripes, "pitch", Constant(0.321)); }));
  const Address rough{o.material, "roughness", 0, {}}, bare{o.material, "metalness", 0, {}};
  {
    QMenu menu;
    const PatternMenu patterns(&menu, *o.studio, rough);
    QAction* keep = nullptr;
    for (QAction* a : menu.actions())
      if (a->text().startsWith(QStringLiteral("Keep "))) keep = a;
    REQUIRE(keep);
    CHECK(patterns.chose(keep, rough, {}));
  }
  REQUIRE(patternLibrary().kept().size() == 1);
  const std::string name = o.doc().find(stripes)->name;
  CHECK(patternLibrary().kept().front().completeBaseName() == qs(name));
  std::ofstream(fs::path(o.folder / "patterns") / "Broken.ilum") << "{";
  QMenu menu;
  const PatternMenu patterns(&menu, *o.studio, bare);
  QMenu* library = nullptr;
  for (QAction* a : menu.actions())
    if (a->menu() && a->text() == QStringLiteral("Pattern of the library")) library = a->menu();
  REQUIRE(library);
  QAction *good = nullptr, *broken = nullptr;
  for (QAction* a : library->actions()) {
    if (a->text() == qs(name)) good = a;
    if (a->text() == QStringLiteral("Broken")) broken = a;
  }
  REQUIRE(good);
  REQUIRE(broken);
  Q_EMIT library->aboutToShow();
  CHECK(Open::wait([&] { return !good->icon().isNull(); }));
  CHECK(broken->icon().isNull());
  const Document before = o.doc();
  CHECK(patterns.chose(broken, bare, {}));
  CHECK(o.doc() == before); // told, and nothing has changed
  CHECK(patterns.chose(good, bare, {}));
  const Value now = valueAt(o.doc(), bare);
  REQUIRE(now.pattern());
  CHECK(now.pattern()->pattern.target != stripes);
  CHECK(Params(*o.doc().find(now.pattern()->pattern.target), 1).number("pitch") == 0.321);
  o.studio->undo();
  CHECK(!valueAt(o.doc(), bare).pattern());
}

TEST_CASE("A pattern is shown in the picture by itself, until it is let go", "[app][pattern]") {
  Drawn o;
  REQUIRE(o.finished());
  auto* shows = o.panel->findChild<QToolButton*>(QStringLiteral("in the picture"));
  REQUIRE(shows);
  QImage image;
  QString name;
  int told = 0;
  QObject::connect(o.studio.get(), &Studio::patternShown, o.panel, [&](const QImage& i, const QString& n) {
    image = i;
    name = n;
    ++told;
  });
  shows->click();
  REQUIRE(Open::wait([&] { return told > 0 && !o.panel->busy(); }));
  REQUIRE_FALSE(image.isNull());
  CHECK(name.startsWith(QStringLiteral("Stripes")));
  int dark = 0, bright = 0, clear = 0;
  for (int y = 0; y < image.height(); ++y)
    for (int x = 0; x < image.width(); ++x) {
      const QColor c = image.pixelColor(x, y);
      clear += c.alpha() == 0;
      (c.lightness() > 60 ? bright : dark) += c.alpha() > 0;
    }
  CHECK(clear > 0);
  CHECK(bright + dark > 0);
  shows->click();
  CHECK(image.isNull());
  // Nor does it stay when the drawer shows something else.
  shows->click();
  REQUIRE(Open::wait([&] { return !image.isNull(); }));
  o.panel->hide();
  CHECK(image.isNull());
  CHECK_FALSE(shows->isChecked());
  // Nor when the pattern is gone.
  o.panel->show();
  shows->click();
  REQUIRE(Open::wait([&] { return !image.isNull() && !o.panel->busy(); }));
  const NodeId bands = valueAt(o.doc(), {o.material, "roughness", 0, {}}).pattern()->pattern.target;
  REQUIRE(o.studio->edit("Remove", [&](const Document& d) { return removeNode(d, bands); }));
  CHECK(image.isNull());
  CHECK_FALSE(shows->isChecked());
}

TEST_CASE("Two inputs change places by keys, by the mouse, and not with what is within", "[app][pattern][swap]") {
  Drawn o;
  const NodeId bands = valueAt(o.doc(), {o.material, "roughness", 0, {}}).pattern()->pattern.target;
  REQUIRE(drivePattern(*o.studio, {bands, "low", 0, {}}, "pattern.noise"));
  REQUIRE(drivePattern(*o.studio, {bands, "high", 0, {}}, "pattern.checker"));
  o.studio->select({o.material});
  o.settle();
  const auto at = [&](const char* param) { return o.doc().find(bands)->find(param)->pattern()->pattern.target; };
  const NodeId low = at("low"), high = at("high");
  REQUIRE(o.list().lines().size() == 3);
  o.list().choose(1);
  o.list().setFocus();
  QTest::keyClick(&o.list(), Qt::Key_Down, Qt::AltModifier);
  CHECK(at("low") == high);
  CHECK(at("high") == low);
  o.studio->undo();
  CHECK(at("low") == low);
  o.settle();
  const QPoint from = o.list().lineRect(2).center(), to = o.list().lineRect(1).center();
  QTest::mousePress(&o.list(), Qt::LeftButton, {}, from);
  QTest::mouseMove(&o.list(), to);
  QTest::mouseRelease(&o.list(), Qt::LeftButton, {}, to);
  CHECK(at("low") == high);
  // What lies within another cannot change places with it.
  const auto lines = patternLines(o.doc(), {bands, nullptr});
  CHECK_THROWS_WITH(swappedLines(o.doc(), lines, 0, 1), Catch::Contains("only two inputs"));
  REQUIRE(drivePattern(*o.studio, {low, "low", 0, {}}, "pattern.waves"));
  const auto deeper = patternLines(o.doc(), {bands, nullptr});
  REQUIRE(deeper.size() == 4);
  CHECK_THROWS_WITH(swappedLines(o.doc(), deeper, 2, 3), Catch::Contains("lies within"));
  CHECK(problems(swappedLines(o.doc(), deeper, 1, 3)).empty());
}
