#include "app/commands/menus.h"

#include "app/main_window.h"
#include "app/panels/lens_page.h"

#include <QCoreApplication>

namespace ilumbra {
namespace {

QString tr(const char* text) { return QCoreApplication::translate("LensMenu", text); }

} // namespace

void addLensCommands(MainWindow& w) {
  CommandMenu menu(w.commands(), QCoreApplication::translate("SceneMenu", "Scene"));
  const auto atLens = [&w](void (LensPage::*f)()) {
    return [&w, f] {
      w.showRight(MainWindow::Right::Lens);
      (w.lens().*f)();
    };
  };
  const auto anyStage = [&w] { return w.lens().open() != 0; };
  menu.add("lens.looks", tr("Looks of the lens stage…"), "Ctrl+Alt+O",
           tr("Looks for the open stage, drawn on the picture"), atLens(&LensPage::looks), anyStage, true);
  menu.add("lens.switch", tr("Switch the lens stage"), "Ctrl+Alt+Space", tr("The open stage, on or off"),
           atLens(&LensPage::switchOpen), anyStage);
  menu.add("lens.solo", tr("Lens stage alone"), "Ctrl+Alt+1", tr("The open stage alone, on the light before the lens"),
           atLens(&LensPage::soloOpen), anyStage);
  menu.add("lens.before", tr("Before the lens stage"), "Ctrl+Alt+U",
           tr("The picture as it comes to the open stage, and again how it leaves the lens"),
           atLens(&LensPage::beforeOpen), anyStage);
  menu.add(
      "lens.earlier", tr("Lens stage earlier"), "Ctrl+Alt+PgUp", tr("The open stage, one place up in the stack"),
      [&w] { w.lens().move(-1); }, anyStage);
  menu.add(
      "lens.later", tr("Lens stage later"), "Ctrl+Alt+PgDown", tr("The open stage, one place down in the stack"),
      [&w] { w.lens().move(1); }, anyStage);
  menu.add("lens.orders", tr("Keep both orders of the lens stage"), "",
           tr("Proofs of the picture with the open stage before the next one and after it, laid over each other with a "
              "wipe"),
           atLens(&LensPage::keepBothOrders), anyStage);
  menu.add("lens.copy", tr("Copy the lens stage"), "", tr("Another one like it, at the end of the stack"),
           atLens(&LensPage::copyOpen), anyStage);
  menu.add("lens.keep", tr("Keep the lens stage as a preset…"), "",
           tr("Writes it to a file, without what it names of this scene"), atLens(&LensPage::keepPreset), anyStage);
  menu.add("lens.delete", tr("Delete the lens stage"), "", tr("Takes the open stage out of the stack"),
           atLens(&LensPage::removeOpen), anyStage);
}

} // namespace ilumbra
