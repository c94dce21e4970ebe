#include "app/commands/menus.h"

#include "app/commands/find_anything.h"
#include "app/main_window.h"
#include "app/panels/lens_page.h"
#include "app/panels/param_row.h"
#include "app/panels/settings_panel.h"
#include "app/panels/things_panel.h"
#include "app/theme.h"
#include "app/viewport/picture_view.h"
#include "core/compile/part.h"
#include "core/document/edit.h"
#include "core/effects/dressing.h"
#include "core/placing/select.h"

#include <QCoreApplication>

namespace ilumbra {
namespace {

QString tr(const char* text) { return QCoreApplication::translate("EditMenu", text); }

void addChangeCommands(CommandMenu& menu, MainWindow& w) {
  const auto selected = [&w] { return w.studio().currentNode() != nullptr; };
  menu.add(
      "edit.undo", tr("Undo"), "Ctrl+Z", tr("Takes the last step back"), [&w] { w.studio().undo(); },
      [&w] { return w.studio().history().canUndo(); });
  menu.add(
      "edit.redo", tr("Redo"), "Ctrl+Shift+Z", tr("Does the step again"), [&w] { w.studio().redo(); },
      [&w] { return w.studio().history().canRedo(); });
  menu.add(
      "edit.duplicate", tr("Duplicate"), "Ctrl+Shift+D", tr("Copies what is selected"),
      [&w] {
        std::vector<NodeId> made;
        w.studio().edit(tr("Duplicate"), [&](const Document& d) {
          Document out = d;
          for (const NodeId id : w.studio().selection()) {
            NodeId copy = 0;
            out = duplicate(out, id, &copy);
            made.push_back(copy);
          }
          return out;
        });
        if (!made.empty()) w.studio().select(made);
      },
      selected, true);
  menu.add(
      "edit.delete", tr("Delete"), "Ctrl+Del", tr("Deletes what is selected"),
      [&w] {
        w.studio().edit(tr("Delete"), [&](const Document& d) {
          Document out = d;
          for (const NodeId id : w.studio().selection())
            if (const Node* n = out.find(id))
              out = n->kind->family() == "effect" ? withoutEffect(out, id) : removeNode(out, id);
          return out;
        });
      },
      selected);
  menu.add(
      "edit.rename", tr("Rename…"), "Ctrl+Shift+N", tr("Names what is selected"), [&w] { w.scene().rename(); },
      selected);
  menu.add(
      "edit.group", tr("Group"), "Ctrl+Shift+G", tr("Puts what is selected into a group"),
      [&w] {
        NodeId group = 0;
        w.studio().edit(tr("Group"), [&](const Document& d) {
          Document out = addNode(d, "object.group", "", {}, &group);
          for (const NodeId id : w.studio().selection()) {
            const Node* n = out.find(id);
            if (n && accepted(out.find(group)->kind->slots[0].accepts, n->kind->id))
              out = moveNode(out, id, {group, "objects", size_t(-1)});
          }
          return out;
        });
        if (group) w.studio().select({group});
      },
      selected);
}

void addSelectCommands(CommandMenu& menu, MainWindow& w) {
  const auto selected = [&w] { return w.studio().currentNode() != nullptr; };
  menu.add(
      "edit.same_material", tr("Select what wears the same"), "Ctrl+Alt+W",
      tr("All objects with a material of those that are selected"),
      [&w] { w.studio().select(wearersOf(w.studio().doc(), w.studio().selection())); }, selected, true);
  menu.add(
      "edit.linked", tr("Select by light"), "Ctrl+Alt+L",
      tr("What the selected lights shine on, or the lights that shine on the selected things"),
      [&w] { w.studio().select(linkedBy(w.studio().doc(), w.studio().selection())); }, selected);
}

void addPartCommands(CommandMenu& menu, MainWindow& w) {
  const auto selected = [&w] { return w.studio().currentNode() != nullptr; };
  menu.add(
      "edit.part", tr("Name a part"), "Ctrl+Alt+P",
      tr("Makes a source of the copy that was clicked last, or of a material on one object when both are selected"),
      [&w] {
        const Document& doc = w.studio().doc();
        NodeId of = 0, material = 0, made = 0;
        for (const NodeId id : w.studio().selection())
          if (const Node* n = doc.find(id)) (n->kind->family() == "material" ? material : of) = id;
        const uint32_t copy = of && !material ? w.picture().pickedCopy(of) : 0;
        if (!of || (!material && !copy))
          return w.studio().tell(tr("Click one of the copies that a repeat makes, or select an object and a material"),
                                 true);
        if (w.studio().edit(tr("Name a part of %1").arg(qs(doc.find(of)->name)),
                            [&](const Document& d) { return withPart(d, of, copy, material, &made); }))
          w.studio().select({made});
      },
      selected);
  menu.add(
      "edit.take_apart_material", tr("Take apart by material"), "",
      tr("Makes an object of the faces that a cut or a burst brought to light, with their own material"),
      [&w] {
        std::vector<NodeId> made;
        if (w.studio().edit(tr("Take apart by material"),
                            [&](const Document& d) { return takenApartByMaterial(d, w.studio().current(), &made); }))
          w.studio().select(made);
      },
      selected);
  menu.add(
      "edit.take_apart", tr("Take apart"), "", tr("Makes an object of each piece that hangs together"),
      [&w] {
        w.studio().background(tr("Taking apart"),
                              [&w, doc = w.studio().doc(), id = w.studio().current(), assets = w.studio().assets()](
                                  const CancelFlag& cancel) mutable -> std::function<void()> {
                                std::vector<NodeId> made;
                                const Document out =
                                    takenApart(doc, id, assets.assets(doc.folder(), &cancel), &made, &cancel);
                                return [&w, doc, out, made] {
                                  if (!(w.studio().doc() == doc))
                                    return w.studio().tell(tr("Something was changed meanwhile: once more"), true);
                                  w.studio().edit(tr("Take apart"), [&](const Document&) { return out; });
                                  w.studio().select(made);
                                };
                              });
      },
      selected);
}

void addFindCommand(CommandMenu& menu, MainWindow& w) {
  menu.add(
      "edit.find", tr("Find anything…"), "Ctrl+Space", tr("Any command, thing or parameter by its name"),
      [&w] {
        auto* f = new FindAnything(w.studio(), w.commands(), &w);
        f->setAttribute(Qt::WA_DeleteOnClose);
        QObject::connect(f, &FindAnything::parameterChosen, &w, [&w](NodeId node, const QString& param) {
          const Node* n = w.studio().doc().find(node);
          if (n && n->kind->family() == "lens") {
            w.showRight(MainWindow::Right::Lens);
            w.lens().show(node);
            if (ParamRow* row = w.lens().settings().row(node, param.toStdString())) {
              w.lens().settings().ensureWidgetVisible(row);
              row->setFocus();
            }
            return;
          }
          w.showRight(MainWindow::Right::Settings);
          if (ParamRow* row = w.settings().row(node, param.toStdString())) {
            w.settings().ensureWidgetVisible(row);
            row->setFocus();
          }
        });
        f->open();
      },
      {}, true);
}

} // namespace

void addEditCommands(MainWindow& w) {
  CommandMenu menu(w.commands(), tr("Edit"));
  addChangeCommands(menu, w);
  addSelectCommands(menu, w);
  addPartCommands(menu, w);
  addFindCommand(menu, w);
}

} // namespace ilumbra
