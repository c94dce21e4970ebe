// The lens page in the real window: order, keys, pictures, looks, presets.
#include "app/commands/find_anything.h"
#include "app/panels/curve_field.h"
#include "app/panels/lens_page.h"
#include "app/panels/looks_gallery.h"
#include "app/panels/param_row.h"
#include "app/panels/picture_layers.h"
#include "app/panels/settings_panel.h"
#include "core/display/view.h"
#include "core/document/edit.h"
#include "core/document/file.h"
#include "core/exchange/picture_file.h"
#include "core/lens/preset.h"
#include "core/lens/queries.h"
#include "tests/app/open.h"

#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QTest>
#include <QToolButton>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// The window with two more stages in its stack, the lens page before it.
struct LensOpen : Open {
  LensOpen() {
    studio->edit("Stages", [](const Document& d) {
      Document out = addNode(addNode(d, "lens.bands", "Lines"), "lens.grade", "Tones");
      return setValue(out, out.findByName("Lines")->id, "gap", Constant(0.02));
    });
    window->commands().run("window.lens");
    finished();
  }
  LensPage& page() { return window->lens(); }
  QListWidget& list() { return *page().list(); }
  std::vector<std::string> order() {
    std::vector<std::string> out;
    for (const Node* n : lensStages(doc())) out.push_back(n->name);
    return out;
  }
};

} // namespace

TEST_CASE("The lens page lists the stages in order and opens one; keys move, switch and delete it", "[app][lens]") {
  LensOpen o;
  REQUIRE(o.list().count() == int(o.order().size()));
  const int n = o.list().count();
  REQUIRE(n >= 3);
  o.list().setCurrentRow(n - 2);
  CHECK(o.page().open() == o.id("Lines"));
  REQUIRE(o.page().settings().row(o.id("Lines"), "gap"));
  CHECK(o.page().settings().row(o.id("Lines"), "acts_share"));
  const Document before = o.doc();
  QTest::keyClick(&o.list(), Qt::Key_Up, Qt::ShiftModifier);
  CHECK(o.order()[size_t(n) - 3] == "Lines");
  CHECK(o.page().open() == o.id("Lines")); // it stays the open one
  QTest::keyClick(&o.list(), Qt::Key_Down, Qt::ShiftModifier);
  CHECK(o.order()[size_t(n) - 2] == "Lines");
  QTest::keyClick(&o.list(), Qt::Key_Space);
  CHECK_FALSE(Params(*o.doc().findByName("Lines"), 1).flag("on"));
  CHECK(o.list().item(n - 2)->data(Qt::UserRole + 1).toBool() == false);
  o.studio->undo();
  o.studio->undo();
  o.studio->undo();
  CHECK(o.doc() == before);
  QTest::keyClick(&o.list(), Qt::Key_Delete);
  CHECK(o.list().count() == n - 1);
  CHECK_FALSE(o.doc().findByName("Lines"));
  // By commands too.
  o.page().show(o.id("Tones"));
  o.window->commands().run("lens.earlier");
  CHECK(o.order()[size_t(n) - 3] == "Tones");
}

TEST_CASE("A stage that was dragged stands where it was dropped, as one step", "[app][lens]") {
  LensOpen o;
  const int n = o.list().count();
  const Document before = o.doc();
  // What dropping does to the list.
  o.list().model()->moveRow({}, n - 1, {}, 0);
  REQUIRE(Open::wait([&] { return o.order().front() == "Tones"; }));
  CHECK(o.list().item(0)->text() == "Tones");
  o.studio->undo();
  CHECK(o.doc() == before);
  CHECK(o.list().item(n - 1)->text() == "Tones");
}

TEST_CASE("Stages show what they change, and why they do nothing", "[app][lens]") {
  LensOpen o;
  REQUIRE(Open::wait([&] { return o.studio->image() && o.studio->image()->stages.size() == o.order().size(); }));
  const auto row = [&](const char* name) {
    for (int i = 0; i < o.list().count(); ++i)
      if (o.list().item(i)->text() == name) return i;
    return -1;
  };
  const QImage lines = o.list().item(row("Lines"))->data(Qt::DecorationRole).value<QImage>();
  REQUIRE_FALSE(lines.isNull());
  bool light = false;
  for (int y = 0; y < lines.height(); ++y)
    for (int x = 0; x < lines.width(); ++x) light |= qGray(lines.pixel(x, y)) > 12;
  CHECK(light);
  // The grade has no values yet.
  o.list().setCurrentRow(row("Tones"));
  bool told = false;
  for (const QLabel* l : o.page().findChildren<QLabel*>())
    told |= l->isVisible() && l->text().contains("It does nothing: it changes nothing");
  CHECK(told);
  // Pictures are not asked for behind another page.
  o.window->commands().run("window.settings");
  CHECK_FALSE(o.studio->view().stages);
}

TEST_CASE("Alone and before are views: the document stays as it is", "[app][lens]") {
  LensOpen o;
  o.page().show(o.id("Tones"));
  o.studio->edit("Brighter", [&](const Document& d) { return setValue(d, o.id("Tones"), "exposure", Constant(2.0)); });
  const Document doc = o.doc();
  const auto mean = [&] {
    REQUIRE(o.finished());
    double sum = 0;
    for (const float v : o.studio->image()->linear->rgb) sum += double(v);
    return sum;
  };
  const double with = mean();
  o.window->commands().run("lens.before");
  const double without = mean();
  CHECK(with == Approx(4 * without).epsilon(1e-3));
  o.window->commands().run("lens.before");
  CHECK(mean() == Approx(with).epsilon(1e-6));
  o.window->commands().run("lens.solo");
  CHECK(o.studio->view().soloStage == o.id("Tones"));
  mean();
  o.window->commands().run("lens.solo");
  CHECK(o.studio->view().soloStage == 0);
  CHECK(o.doc() == doc);
}

TEST_CASE("Looks are drawn on the picture; choosing one sets the stage as one step", "[app][lens]") {
  LensOpen o;
  REQUIRE(o.finished());
  o.page().show(o.id("Tones"));
  const Document before = o.doc();
  const std::unique_ptr<LooksGallery> made(LooksGallery::ofStage(*o.studio, o.id("Tones"), nullptr));
  LooksGallery& g = *made;
  g.show();
  const int looks = int(stageOf(*o.doc().findByName("Tones")).looks.size());
  REQUIRE(g.list()->count() == looks + 1);
  const auto picture = [&](int i) { return g.list()->item(i)->icon().pixmap(200, 200).toImage(); };
  REQUIRE(Open::wait([&] { return picture(looks) != picture(0); })); // the last is drawn
  CHECK(o.doc() == before);
  g.list()->setCurrentRow(1);
  QTest::keyClick(g.list(), Qt::Key_Return);
  CHECK(o.doc() == withLook(before, o.id("Tones"), stageOf(*before.findByName("Tones")).looks[0]));
  o.studio->undo();
  CHECK(o.doc() == before);
}

TEST_CASE("Stages of a file are taken in, and a file without any is refused", "[app][lens]") {
  LensOpen o;
  const std::string file = o.folder / "lines.ilum";
  writeDocument(stagePreset(o.doc(), o.id("Lines")), file);
  const int n = o.list().count();
  REQUIRE(o.page().takePreset(QString::fromStdString(file)));
  CHECK(o.list().count() == n + 1);
  CHECK(o.doc().find(o.page().open())->kind->id == "lens.bands");
  CHECK(Params(*o.doc().find(o.page().open()), 1).number("gap") == Approx(0.02));
  writeDocument(Document::create(o.studio->kinds()), o.folder / "empty.ilum");
  CHECK_FALSE(o.page().takePreset(QString::fromStdString(o.folder / "empty.ilum")));
  CHECK(o.window->lastTold().contains("no lens stage"));
}

TEST_CASE("A change of the lens traces no ray", "[app][lens]") {
  LensOpen o;
  REQUIRE(o.finished());
  for (const auto& [address, value] : {std::pair{"Tones.exposure", Constant(1.0)},
                                       {"Lines.angle", Constant(30.0)},
                                       {"Lines.amount", Constant(0.4)},
                                       {"Lines.on", Constant(false)}}) {
    CAPTURE(address);
    o.studio->edit("Change", [&](const Document& d) { return setAt(d, resolve(d, address), value); });
    REQUIRE(o.finished());
    CHECK(o.studio->image()->raysSinceRequest == 0);
  }
  // Another order and a stage more, of light that is there, neither.
  o.studio->edit("Add", [&](const Document& d) { return addNode(d, "lens.vignette", "Corners"); });
  REQUIRE(o.finished());
  CHECK(o.studio->image()->raysSinceRequest == 0);
  o.page().show(o.id("Corners"));
  o.page().move(-1);
  REQUIRE(o.finished());
  CHECK(o.studio->image()->raysSinceRequest == 0);
}

TEST_CASE("Both orders of two stages are kept as proofs with a wipe between them", "[app][lens][proof]") {
  LensOpen o;
  o.studio->edit("A glow", [](const Document& d) {
    Document out = addNode(d, "lens.glow", "Aura", {}, nullptr);
    out = setValue(out, out.findByName("Aura")->id, "amount", Constant(0.6));
    out = setValue(out, out.findByName("Lines")->id, "gap", Constant(0.1));
    return moveNode(out, out.findByName("Lines")->id, {0, "", size_t(-1)});
  });
  o.finished();
  const size_t kept = o.studio->proofs().size();
  o.page().show(o.id("Aura"));
  o.window->commands().run("lens.orders");
  REQUIRE(Open::wait([&] { return o.studio->proofs().size() == kept + 2; }));
  const auto &first = *o.studio->proofs()[kept], &second = *o.studio->proofs()[kept + 1];
  CHECK(first.name == "Aura, then Lines");
  CHECK(second.name == "Lines, then Aura");
  const auto orderOf = [](const Document& d) {
    std::string s;
    for (const Node* n : lensStages(d))
      if (n->name == "Aura" || n->name == "Lines") s += n->name + " ";
    return s;
  };
  CHECK(orderOf(first.doc) == "Aura Lines ");
  CHECK(orderOf(second.doc) == "Lines Aura ");
  // Bands that cut a glow are darker than a glow that fills bands: the order is seen.
  const Picture a = first.picture(), b = second.picture();
  double differs = 0, all = 0;
  for (size_t i = 0; i < a.rgb.size(); ++i) {
    differs += std::abs(double(a.rgb[i] - b.rgb[i]));
    all += double(a.rgb[i]);
  }
  CHECK(differs > 0.01 * all);
  CHECK(o.studio->view().compare == Compare::Wipe);
  CHECK(o.studio->view().proof == first.number);
  CHECK(o.studio->image()->raysSinceRequest == 0);
  o.studio->undo();
  CHECK(orderOf(o.doc()) == "Aura Lines ");
}

TEST_CASE(
    "A curve is drawn: points are pressed in, dragged, moved by keys, typed and taken away, and the light follows",
    "[app][lens][curve]") {
  LensOpen o;
  o.page().show(o.id("Tones"));
  const auto find = [&] { return o.page().settings().findChild<CurveField*>("curve brightness"); };
  REQUIRE(find());
  CurveField& c = *find();
  c.resize(240, c.height());
  const auto points = [&] {
    const auto& children = o.doc().findByName("Tones")->children;
    return children.count("brightness") ? children.at("brightness").size() : 0;
  };
  const auto number = [&](const char* param) { return Params(*o.doc().find(c.chosen()), 1).number(param); };
  const auto mean = [&] {
    REQUIRE(o.finished());
    double sum = 0;
    for (const float v : o.studio->image()->linear->rgb) sum += std::min(1.0, double(v)); // what lies below white
    return sum;
  };
  const Document before = o.doc();
  const double straight = mean();
  // Pressed above the straight line and dragged further: one step, with the ends.
  QTest::mousePress(&c, Qt::LeftButton, {}, c.placeOf(-2, -1));
  QTest::mouseMove(&c, c.placeOf(-2, 0));
  QTest::mouseRelease(&c, Qt::LeftButton, {}, c.placeOf(-2, 0));
  REQUIRE(points() == 3);
  CHECK(find() == &c); // the page stays while it is drawn on
  CHECK(number("at") == Approx(-2).margin(0.1));
  CHECK(number("value") == Approx(0).margin(0.1));
  CHECK(mean() > 1.2 * straight);
  CHECK(o.studio->image()->raysSinceRequest == 0);
  const Document drawn = o.doc();
  const NodeId first = c.chosen();
  QTest::keyClick(&c, Qt::Key_Up);
  QTest::keyClick(&c, Qt::Key_Up);
  CHECK(number("value") == Approx(0.24).margin(0.1));
  o.studio->undo();
  CHECK(o.doc() == drawn);
  // Typed, on the row below.
  REQUIRE(o.page().settings().row(first, "value"));
  QTest::keyClick(o.page().settings().row(first, "value"), Qt::Key_Return);
  QLineEdit* typed = o.page().settings().row(first, "value")->findChild<QLineEdit*>();
  REQUIRE(typed);
  typed->setText("-3");
  QTest::keyClick(typed, Qt::Key_Return);
  CHECK(number("value") == Approx(-3));
  c.setFocus();
  QTest::keyClick(&c, Qt::Key_PageDown);
  CHECK(c.chosen() != first);
  CHECK(number("at") == Approx(4));
  QTest::keyClick(&c, Qt::Key_Insert);
  REQUIRE(points() == 4);
  CHECK(number("at") == Approx(-5).margin(0.1)); // the middle of the widest gap, on the curve
  QTest::keyClick(&c, Qt::Key_Delete);
  CHECK(points() == 3);
  CHECK(c.chosen() == 0);
  QTest::mouseDClick(&c, Qt::LeftButton, {}, c.placeOf(-2, -3));
  CHECK(points() == 2);
  c.straighten();
  CHECK(points() == 0);
  CHECK(mean() == Approx(straight).epsilon(1e-6));
  while (!(o.doc() == before)) o.studio->undo();
  CHECK(points() == 0);
  // A point that is selected elsewhere, by its name, say, is brought into sight in its stage.
  NodeId point = 0;
  o.studio->edit(QStringLiteral("Point"), [&](const Document& d) {
    return addNode(d, "curve.tone", "Bend", {o.id("Tones"), "brightness"}, &point);
  });
  o.page().show(o.id("Lines"));
  o.studio->select({point});
  CHECK(o.page().open() == o.id("Tones"));
  CHECK(Open::wait([&] { return find() && find()->chosen() == point; }));
}

TEST_CASE("A layer of a plate's picture becomes a source from the plate's settings, in one step",
          "[app][lens][plate]") {
  Open o;
  PictureFile f;
  f.width = 8;
  f.height = 5;
  f.layers.push_back({"", {"R", "G", "B"}, true, std::vector<float>(120, 2.0f)});
  f.layers.push_back({"Left lamp", {"Y"}, true, std::vector<float>(40, 0.5f)});
  const ColorViews views;
  const std::string file = o.folder / "street.exr";
  writePicture(f, file, views, "ACES SDR");
  NodeId plate = 0;
  o.studio->edit("Plate", [&](const Document& d) {
    Document out = addNode(d, "plate.picture", "Street", {}, &plate);
    return setValue(out, plate, "file", Constant(file));
  });
  o.studio->select({plate});
  o.window->commands().run(QStringLiteral("window.settings"));
  const Document before = o.doc();
  const ChooseFromMenu choice("Left lamp");
  const auto layers = [&] { return pictureLayersOf(o.doc(), plate); };
  const auto button = [&](const QString& text) -> QToolButton* {
    for (QToolButton* b : o.window->settings().widget()->findChildren<QToolButton*>())
      if (b->text() == text) return b;
    return nullptr;
  };
  REQUIRE(Open::wait([&] { return button(QStringLiteral("+ source")) != nullptr; }));
  button(QStringLiteral("+ source"))->click();
  REQUIRE(Open::wait([&] { return layers().size() == 1; }));
  CHECK(layers().front()->name == "Left lamp");
  CHECK(Params(*layers().front(), 1).text("layer") == "Left lamp");
  // It stands there, one click away, and is of use as a source.
  CHECK(Open::wait([&] { return button(QStringLiteral("go to Left lamp")) != nullptr; }));
  o.studio->edit("Source", [&](const Document& d) {
    Document out = addNode(d, "lens.glow", "Lamp halo");
    return setValue(out, out.findByName("Lamp halo")->id, "sources",
                    Constant(std::vector<Reference>{{d.findByName("Left lamp")->id, nullptr}}));
  });
  REQUIRE(o.finished());
  CHECK(o.studio->session().scene()->warnings.empty());
  o.studio->undo();
  o.studio->undo();
  CHECK(o.doc() == before);
}
