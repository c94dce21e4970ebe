#include "app/commands/menus.h"

#include "app/dialogs/solve_dialog.h"
#include "app/main_window.h"
#include "app/panels/lens_page.h"
#include "app/panels/things_panel.h"
#include "app/theme.h"
#include "core/lens/stage.h"

#include <QCoreApplication>

namespace ilumbra {
namespace {

QString tr(const char* text) { return QCoreApplication::translate("SceneMenu", text); }

} // namespace

void addSceneCommands(MainWindow& w) {
  CommandMenu menu(w.commands(), tr("Scene"));
  for (const Kind& k : w.studio().kinds()->all()) {
    const auto f = k.family();
    if (f != "effect" && !standsInScene(k)) continue;
    static std::string last;
    const QString id = qs(k.id);
    menu.add(("scene.add." + k.id).c_str(),
             f == "effect" ? tr("Add effect: %1").arg(qs(k.label)) : tr("Add %1").arg(qs(k.label).toLower()), "",
             qs(k.helpText), [&w, id] { w.addThing(id); }, {}, std::string(f) != last);
    last = std::string(f);
  }
  menu.add(
      "scene.solve", tr("What is wanted…"), "Ctrl+Alt+9",
      tr("Type what is to be seen of the effect, or that the selected thing is in focus: the parameter is found"),
      [&w] {
        const Node* n = w.studio().currentNode();
        const NodeId thing = n && !goalsFor(w.studio().doc(), n->id).empty() ? n->id : w.studio().effect();
        if (!thing) return w.studio().tell(tr("Select an effect first, or a thing that is to be in focus"), true);
        auto* dialog = new SolveDialog(w.studio(), thing, &w);
        dialog->setAttribute(Qt::WA_DeleteOnClose);
        dialog->open();
      },
      {}, true);
  menu.add("scene.try_values", tr("Test strip of what matters most"), "",
           tr("The first number of what is selected at several values, side by side"), [&w] {
             const Node* n = w.studio().currentNode();
             for (const bool major : {true, false})
               for (const ParamDef& d : n ? n->kind->params : std::vector<ParamDef>())
                 if (d.major == major && d.type == ParamType::Number && counts(*n, d, w.studio().frame()) &&
                     !(n->find(d.name) && n->find(d.name)->pattern()))
                   return w.studio().tryValues({n->id, d.name, 0, {}});
             w.studio().tell(tr("Select a thing with numbers first"), true);
           });
  for (const LensStage& s : allStages()) {
    const std::string id = s.kind.id;
    menu.add(("scene.add." + id).c_str(), tr("Add lens stage: %1").arg(qs(s.kind.label)), "", qs(s.kind.helpText),
             [&w, id] {
               w.showRight(MainWindow::Right::Lens);
               w.lens().addStageFor(qs(id));
             },
             {}, true);
  }
}

} // namespace ilumbra
