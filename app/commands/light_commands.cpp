#include "app/commands/menus.h"

#include "app/dialogs/material_library.h"
#include "app/main_window.h"
#include "app/panels/things_panel.h"

#include <QCoreApplication>

namespace ilumbra {
namespace {

QString tr(const char* text) { return QCoreApplication::translate("LightMenu", text); }

} // namespace

void addLightCommands(MainWindow& w) {
  CommandMenu menu(w.commands(), QCoreApplication::translate("SceneMenu", "Scene"));
  menu.add(
      "scene.materials", tr("Materials…"), "Ctrl+Alt+M",
      tr("Materials of the document and of your library, with their pictures"),
      [&w] {
        auto* library = new MaterialLibrary(w.studio(), &w);
        library->setAttribute(Qt::WA_DeleteOnClose);
        library->open();
      },
      {}, true);
  menu.add(
      "scene.switch", tr("Switch the selected lights"), "Ctrl+M",
      tr("Lights and own light that are selected, on or off"),
      [&w] {
        const uint64_t gesture = w.studio().newGesture();
        for (const NodeId id : w.studio().selection()) w.scene().switchLamp(id, gesture);
      },
      {}, true);
}

} // namespace ilumbra
