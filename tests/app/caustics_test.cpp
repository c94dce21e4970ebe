// Caustics in the real window: from nothing to a pattern, its controls, on and off as proofs.
#include "app/panels/settings_panel.h"
#include "core/document/edit.h"
#include "core/label/layer_table.h"
#include "tests/app/open.h"

#include <QAction>

using namespace ilumbra;
using namespace ilumbra::test;

TEST_CASE("From an empty set to a caustic in one command: all is made, measured, and undone in one step",
          "[app][caustics]") {
  Studio studio;
  MainWindow w(studio);
  w.resize(1280, 800);
  w.show();
  QCoreApplication::processEvents();
  const Document before = studio.doc();
  studio.edit("Small", [](const Document& d) {
    Document out = d;
    for (const auto& [param, v] : {std::pair{"width", 160.0}, {"height", 100.0}, {"samples", 4.0}})
      out = setValue(out, out.settings().id, param, Constant(v));
    return out;
  });
  const Document empty = studio.doc();
  w.commands().run("scene.add.effect.caustics");
  const std::vector<const Node*> effects = studio.doc().family("effect");
  REQUIRE(effects.size() == 1);
  const NodeId effect = effects.front()->id;
  CHECK(studio.doc().family("camera").size() == 1);
  CHECK(studio.doc().family("light").size() == 1);
  CHECK(studio.doc().family("object").size() == 2); // a ball and a table
  CHECK(w.lastTold().contains("camera"));
  REQUIRE(Open::wait(
      [&] { return studio.image() && studio.image()->edition == studio.edition() && studio.image()->finished; }));
  // The route is measured.
  REQUIRE(Open::wait([&] { return studio.image()->route && studio.image()->route->effect == effect; }));
  CHECK(studio.image()->route->pictureShare > 0.01);
  CHECK(studio.image()->route->seen > 0.5);
  // Its own values are in its panel, the lamp's and the glass's too.
  SettingsPanel& panel = w.settings();
  for (const char* param : {"on", "photons", "edge", "strength", "gathered", "steady", "saturation", "carry", "light",
                            "surfaces", "cut_off", "all_photons"}) {
    CAPTURE(param);
    CHECK(panel.row(effect, param) != nullptr);
  }
  CHECK(panel.row(studio.doc().family("light").front()->id, "power") != nullptr);
  studio.undo();
  CHECK(studio.doc() == empty);
}

TEST_CASE("On and off of caustics are a before and an after that proofs keep", "[app][caustics][proofs]") {
  Open o;
  Document doc = writeStarter(findStarter("glass-over-slate"), kinds(), o.folder / "glass.ilum");
  for (const auto& [param, v] : {std::pair{"width", 160.0}, {"height", 100.0}, {"samples", 4.0}})
    doc = setValue(doc, doc.settings().id, param, Constant(v));
  writeDocument(doc, o.folder / "glass.ilum");
  bool done = false;
  o.window->openFile(QString::fromStdString(o.folder / "glass.ilum"), [&] { done = true; });
  REQUIRE(Open::wait([&] { return done; }));
  REQUIRE(o.finished());
  REQUIRE(o.studio->keep());
  o.studio->edit("Off", [&](const Document& d) { return setValue(d, o.id("Gathered light"), "on", Constant(false)); });
  REQUIRE(o.finished());
  REQUIRE(o.studio->keep());
  REQUIRE(o.studio->proofs().size() == 2);
  o.window->commands().run("picture.difference");
  CHECK(o.studio->view().compare == Compare::Difference);
  o.studio->goOnFrom(1);
  CHECK(Params(*o.doc().find(o.id("Gathered light")), 1).flag("on"));
}
