#include "app/commands/menus.h"

#include "app/drawer/drawer.h"
#include "app/main_window.h"
#include "app/panels/route_view.h"
#include "app/panels/status_line.h"
#include "app/viewport/picture_view.h"

#include <QCoreApplication>

namespace ilumbra {
namespace {

QString tr(const char* text) { return QCoreApplication::translate("WindowMenu", text); }

} // namespace

void addWindowCommands(MainWindow& w) {
  CommandMenu menu(w.commands(), tr("Window"));
  menu.add("window.alone", tr("Picture alone"), "F4", tr("Hides everything but the picture, and back"),
           [&w] { w.pictureAlone(!w.isPictureAlone()); });
  menu.add("window.corner", tr("Corner view"), "Ctrl+Shift+K",
           tr("The picture at a quarter of its size, in the corner: does it still read?"),
           [&w] { w.picture().setCorner(!w.picture().corner()); });
  menu.add(
      "window.left", tr("Fold the left column"), "Ctrl+1", tr("Hides or shows effects and scene"),
      [&w] { w.fold(QStringLiteral("left"), !w.folded(QStringLiteral("left"))); }, {}, true);
  menu.add("window.right", tr("Fold the right column"), "Ctrl+2", tr("Hides or shows settings and lens"),
           [&w] { w.fold(QStringLiteral("right"), !w.folded(QStringLiteral("right"))); });
  menu.add("window.route", tr("Fold the route"), "Ctrl+3", tr("The route as a line, or as a band"),
           [&w] { w.fold(QStringLiteral("route"), !w.folded(QStringLiteral("route"))); });
  menu.add("window.drawer", tr("Fold the drawer"), "Ctrl+4", tr("Hides or shows the drawer"),
           [&w] { w.fold(QStringLiteral("drawer"), !w.folded(QStringLiteral("drawer"))); });
  for (const DrawerPage& p : drawerPages())
    menu.add(("window." + p.id.toStdString()).c_str(), p.label, p.keys, p.help, [&w, id = p.id] { w.showDrawer(id); });
  menu.add("window.messages", tr("Messages…"), "Ctrl+9", tr("What was said in the status line, whole, the last first"),
           [&w] { w.status().showMessages(); });
  menu.add(
      "window.settings", tr("Settings"), "Ctrl+5", tr("The right column's settings"),
      [&w] { w.showRight(MainWindow::Right::Settings); }, {}, true);
  menu.add("window.lens", tr("Lens"), "Ctrl+6", tr("The right column's lens stack"),
           [&w] { w.showRight(MainWindow::Right::Lens); });
}

} // namespace ilumbra
