#include "app/commands/menus.h"

#include "app/dialogs/question.h"
#include "app/main_window.h"

#include <QCoreApplication>

namespace ilumbra {
namespace {

QString tr(const char* text) { return QCoreApplication::translate("HelpMenu", text); }

} // namespace

void addHelpCommands(MainWindow& w) {
  CommandMenu menu(w.commands(), tr("Help"));
  menu.add("help.shortcuts", tr("Shortcuts…"), "", tr("Every command's keys, to be changed"),
           [&w] { editShortcuts(w.commands(), &w); });
  menu.add("help.about", tr("About Ilumbra"), "", tr("Version and licence"), [&w] {
    tellInWindow(&w, tr("Ilumbra 0.1"),
                 tr("Light effects on 3D objects, by light that is true.\n\nFree software under the GNU General Public "
                    "License, version 3 or later."));
  });
}

} // namespace ilumbra
