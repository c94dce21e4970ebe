#include "app/commands/menus.h"

#include "app/main_window.h"
#include "app/panels/movers.h"
#include "app/studio.h"
#include "app/theme.h"
#include "app/viewport/picture_view.h"
#include "core/compile/plate.h"
#include "core/document/mover.h"
#include "core/geometry/shape.h"
#include "core/placing/arrange.h"

#include <QCoreApplication>

namespace ilumbra {
namespace {

QString tr(const char* text) { return QCoreApplication::translate("Place", text); }

// Arranging by what lies where in the scene, away from the interface thread; what is edited meanwhile is not lost, for
// then it is told and nothing is done.
void arrange(Studio& studio, const QString& label, std::function<Document(const Document&, const Scene&)> change) {
  const ScenePtr scene = studio.session().scene();
  if (!scene || !studio.image() || studio.image()->edition != studio.edition())
    return studio.tell(tr("The picture does not show the last change yet: once more in a moment"), true);
  studio.background(label,
                    [&studio, label, scene, doc = studio.doc(),
                     change = std::move(change)](const CancelFlag&) -> std::function<void()> {
                      Document after = change(doc, *scene);
                      return [&studio, label, doc, after = std::move(after)] {
                        if (!(studio.doc() == doc))
                          return studio.tell(tr("Something was changed meanwhile: once more"), true);
                        studio.edit(label, [&](const Document&) { return after; });
                      };
                    });
}

void flags(Studio& studio, const QString& label, const char* param, bool value, const std::vector<NodeId>& things) {
  studio.edit(label, [&](const Document& d) {
    Document out = d;
    for (const NodeId id : things)
      if (const Node* n = out.find(id); n && n->kind->param(param))
        out = setNow(out, {id, param, 0, {}}, Constant(value));
    return out;
  });
}

// All but these, what they are in, and what is in them.
std::vector<NodeId> others(const Document& doc, const std::vector<NodeId>& things) {
  std::vector<NodeId> out;
  for (const Node* n : doc.inOrder()) {
    if (n->kind->family() != "object" || isGroup(*n)) continue;
    bool in = false;
    for (const Node* up = n; up && !in; up = doc.find(up->parent))
      in = std::find(things.begin(), things.end(), up->id) != things.end();
    if (!in) out.push_back(n->id);
  }
  return out;
}

void addHandleCommands(CommandMenu& menu, MainWindow& w) {
  Studio* const s = &w.studio();
  PictureView* const view = &w.picture();
  const auto placing = [view](auto change) {
    return [view, change] {
      Placing p = view->placing();
      change(p);
      view->setPlacing(p);
    };
  };
  menu.add("place.move", tr("Handles move"), "Alt+1", tr("The handles of what is selected move it"),
           placing([](Placing& p) { p.what = Placing::What::Move; }));
  menu.add("place.turn", tr("Handles turn"), "Alt+2", tr("The handles of what is selected turn it"),
           placing([](Placing& p) { p.what = Placing::What::Turn; }));
  menu.add("place.size", tr("Handles size"), "Alt+3", tr("The handles of what is selected size it"),
           placing([](Placing& p) { p.what = Placing::What::Size; }));
  menu.add(
      "place.axes", tr("Next axes"), "Alt+4",
      tr("Handles along the axes of the world, of the thing itself, of the camera"),
      [s, view] {
        Placing p = view->placing();
        p.axes = Placing::Axes((int(p.axes) + 1) % 3);
        view->setPlacing(p);
        s->tell(p.axes == Placing::Axes::World ? tr("Handles along the world's axes")
                : p.axes == Placing::Axes::Own ? tr("Handles along the thing's own axes")
                                               : tr("Handles along the camera's axes"));
      },
      {}, true);
  menu.add("place.onto", tr("Next thing to catch"), "Alt+5",
           tr("What the middle handle catches under the pointer: nothing, surfaces, corners, centres"), [s, view] {
             Placing p = view->placing();
             p.onto = Placing::Onto((int(p.onto) + 1) % 4);
             view->setPlacing(p);
             s->tell(p.onto == Placing::Onto::Nothing   ? tr("The middle handle moves along the picture")
                     : p.onto == Placing::Onto::Surface ? tr("The middle handle catches surfaces")
                     : p.onto == Placing::Onto::Vertex  ? tr("The middle handle catches corners")
                                                        : tr("The middle handle catches centres"));
           });
  menu.add("place.grid", tr("Grid on or off"), "Alt+6", tr("Places by 0.1 m, turns by 15°, sizes by tenths"),
           [s, view] {
             Placing p = view->placing();
             p.grid = p.grid > 0 ? 0 : 0.1;
             view->setPlacing(p);
             s->tell(p.grid > 0 ? tr("Places by 0.1 m, turns by 15°, sizes by tenths") : tr("No grid"));
           });
}

void addArrangeCommands(CommandMenu& menu, MainWindow& w) {
  Studio* const s = &w.studio();
  const auto selected = [s] { return !placeable(s->doc(), s->selection()).empty(); };
  const auto several = [s] { return placeable(s->doc(), s->selection()).size() > 1; };
  menu.add(
      "place.drop", tr("Drop"), "Alt+Down", tr("Down onto what lies below, or up out of what it sinks into"),
      [s] {
        arrange(*s, tr("Drop"),
                [things = s->selection()](const Document& d, const Scene& scene) { return dropped(d, things, scene); });
      },
      selected, true);
  const std::pair<const char*, const char*> axes[] = {{"x", QT_TRANSLATE_NOOP("Place", "x")},
                                                      {"y", QT_TRANSLATE_NOOP("Place", "y")},
                                                      {"z", QT_TRANSLATE_NOOP("Place", "z")}};
  for (int k = 0; k < 3; ++k) {
    const std::string id = std::string("place.align.") + axes[k].first;
    menu.add(
        id.c_str(), tr("Align centres along %1").arg(tr(axes[k].second)), "",
        tr("Brings all to the centre of the last one that was selected"),
        [s, k] {
          arrange(*s, tr("Align"), [k, things = s->selection()](const Document& d, const Scene& scene) {
            return aligned(d, things, k, Edge::Centre, scene);
          });
        },
        several, k == 0);
  }
  menu.add(
      "place.align.foot", tr("Align feet"), "", tr("Brings all to the height on which the last one stands"),
      [s] {
        arrange(*s, tr("Align"), [things = s->selection()](const Document& d, const Scene& scene) {
          return aligned(d, things, 1, Edge::Low, scene);
        });
      },
      several);
  for (int k = 0; k < 3; ++k) {
    const std::string id = std::string("place.distribute.") + axes[k].first;
    menu.add(
        id.c_str(), tr("Spread along %1").arg(tr(axes[k].second)), "",
        tr("Equal gaps between all that lie between the outermost two"),
        [s, k] {
          arrange(*s, tr("Spread"), [k, things = s->selection()](const Document& d, const Scene& scene) {
            return distributed(d, things, k, scene);
          });
        },
        several);
  }
  menu.add(
      "place.face", tr("Face the last one"), "",
      tr("Turns what is selected so that its z, or its aim, points to the last one that was selected"),
      [s] {
        std::vector<NodeId> things = s->selection();
        const V3f to = originOf(s->doc(), things.back(), s->frame());
        things.pop_back();
        s->edit(tr("Face"), [&](const Document& d) { return facing(d, things, to); });
      },
      several, true);
}

void addRideCommands(CommandMenu& menu, MainWindow& w) {
  Studio* const s = &w.studio();
  const auto selected = [s] { return !placeable(s->doc(), s->selection()).empty(); };
  const auto several = [s] { return placeable(s->doc(), s->selection()).size() > 1; };
  menu.add(
      "place.ride", tr("Ride on the last one"), "Alt+R",
      tr("From now on all that is selected goes along with the last one that was selected; everything stays where it "
         "is"),
      [s] {
        std::vector<NodeId> things = s->selection();
        const NodeId carrier = things.back();
        things.pop_back();
        s->edit(tr("Ride"), [&](const Document& d) { return carried(d, things, carrier); });
      },
      several, true);
  menu.add(
      "place.follow", tr("Follow the path"), "Ctrl+Alt+R",
      tr("What is selected goes along the selected path, once in the range of frames; without a path along a new one"),
      [s] { followPath(*s); }, selected);
  menu.add(
      "place.let_go", tr("Let go"), "Alt+Shift+R",
      tr("What is selected no longer goes along with what carries or groups it; it stays where it is"),
      [s] { s->edit(tr("Let go"), [&](const Document& d) { return carried(d, s->selection(), 0); }); }, selected);
  menu.add(
      "place.twin", tr("Twin"), "Ctrl+Alt+D", tr("Another object with the same form and material, which changes along"),
      [s] {
        std::vector<NodeId> made;
        s->edit(tr("Twin"), [&](const Document& d) {
          Document out = d;
          for (const NodeId id : s->selection()) {
            NodeId twin = 0;
            out = twinned(out, id, &twin);
            made.push_back(twin);
          }
          return out;
        });
        if (!made.empty()) s->select(made);
      },
      selected);
  menu.add(
      "place.match_camera", tr("Match the camera to the plate"), "",
      tr("Takes the focal length of the selected plate and tilts the camera until its horizon lies where the plate's "
         "does"),
      [s] {
        if (s->currentNode())
          s->edit(tr("Match the camera"), [s](const Document& d) { return matchCamera(d, s->current()); });
      },
      selected);
}

void addShowCommands(CommandMenu& menu, MainWindow& w) {
  Studio* const s = &w.studio();
  const auto selected = [s] { return !placeable(s->doc(), s->selection()).empty(); };
  menu.add(
      "place.hide", tr("Hide or show"), "Ctrl+Shift+H",
      tr("Takes what is selected out of the picture, or puts it back"),
      [s] {
        bool any = false;
        for (const NodeId id : s->selection())
          if (const Node* n = s->doc().find(id); n && n->kind->param("shown"))
            any |= Params(*n, s->frame()).flag("shown");
        flags(*s, any ? tr("Hide") : tr("Show"), "shown", !any, s->selection());
      },
      selected, true);
  menu.add(
      "place.alone", tr("Show alone"), "Ctrl+Alt+H", tr("Hides all objects but those that are selected"),
      [s] { flags(*s, tr("Show alone"), "shown", false, others(s->doc(), s->selection())); }, selected);
  menu.add("place.show_all", tr("Show all"), "Ctrl+Alt+Shift+H", tr("Puts everything back into the picture"), [s] {
    std::vector<NodeId> all;
    for (const Node* n : s->doc().inOrder())
      if (n->kind->param("shown") && !Params(*n, s->frame()).flag("shown")) all.push_back(n->id);
    flags(*s, tr("Show all"), "shown", true, all);
  });
  menu.add(
      "place.key", tr("Key where it stands"), "Shift+Insert",
      tr("Sets keys of place, turn and size of what is selected at this frame"),
      [s] {
        s->edit(tr("Key where it stands"), [&](const Document& d) {
          Document out = d;
          for (const NodeId id : s->selection())
            for (const char* param : {"position", "target", "turn", "roll", "size"}) {
              const Node* n = out.find(id);
              const ParamDef* def = n ? n->kind->param(param) : nullptr;
              if (!def || !def->keyable || (n->find(param) && n->find(param)->pattern())) continue;
              const Address at{id, param, 0, {}};
              out = setAt(out, at, keyedAt(valueAt(out, at), *def, s->frame()));
            }
          return out;
        });
      },
      selected);
  menu.add(
      "place.lock", tr("Lock or unlock"), "Ctrl+Shift+J",
      tr("The pointer neither picks nor moves what is locked; it can still be chosen in the list"),
      [s] {
        bool all = true;
        for (const NodeId id : s->selection())
          if (const Node* n = s->doc().find(id); n && n->kind->param("locked")) all &= Params(*n, 0).flag("locked");
        s->edit(all ? tr("Unlock") : tr("Lock"), [&](const Document& d) {
          Document out = d;
          for (const NodeId id : s->selection())
            if (const Node* n = out.find(id); n && n->kind->param("locked"))
              out = setValue(out, id, "locked", Constant(!all));
          return out;
        });
      },
      selected);
}

} // namespace

void addPlaceCommands(MainWindow& w) {
  CommandMenu menu(w.commands(), tr("Place"));
  addHandleCommands(menu, w);
  addArrangeCommands(menu, w);
  addRideCommands(menu, w);
  addShowCommands(menu, w);
}

} // namespace ilumbra
