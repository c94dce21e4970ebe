#include "app/main_window.h"

#include "app/commands/find_anything.h"
#include "app/commands/place_commands.h"
#include "app/dialogs/import_dialog.h"
#include "app/dialogs/question.h"
#include "app/document_files.h"
#include "app/drawer/lens_page.h"
#include "app/drawer/material_library.h"
#include "app/model_files.h"
#include "app/panels/balance_panel.h"
#include "app/panels/number_row.h"
#include "app/panels/proofs_panel.h"
#include "app/panels/route_view.h"
#include "app/panels/settings_panel.h"
#include "app/panels/things_panel.h"
#include "app/theme.h"
#include "app/viewport/health_overlay.h"
#include "app/viewport/picture_bar.h"
#include "app/viewport/picture_view.h"
#include "core/base/error.h"
#include "core/document/file.h"
#include "core/effects/making.h"
#include "core/exchange/export.h"
#include "core/exchange/frames.h"
#include "core/exchange/import.h"
#include "core/exchange/passes.h"
#include "core/placing/framing.h"
#include "core/placing/select.h"
#include "demo/starters.h"

#include <future>
#include <QAction>
#include <QApplication>
#include <QCloseEvent>
#include <QDateTime>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QMenuBar>
#include <QSettings>
#include <QSplitter>
#include <QStackedWidget>
#include <QStatusBar>
#include <QTime>
#include <QToolButton>

namespace ilumbra {

void MainWindow::makeCommands() {
  const auto add = [&](const char* id, const QString& menu, const QString& label, const char* keys, const QString& help,
                       std::function<void()> run, std::function<bool()> enabled = {}, bool separator = false) {
    m_commands.add(
        {QLatin1String(id), menu, label, QLatin1String(keys), help, std::move(run), std::move(enabled), separator});
  };
  const QString file = tr("File"), edit = tr("Edit"), scene = tr("Scene"), picture = tr("Picture"),
                window = tr("Window"), help = tr("Help");
  const auto selected = [this] { return m_studio.currentNode() != nullptr; };

  add("file.new", file, tr("New scene"), "Ctrl+Shift+E",
      tr("An empty scene; what an effect needs is made when it is added"),
      [this] { m_files->whenFree([this] { m_files->newScene(); }); });
  add("file.open", file, tr("Open…"), "Ctrl+O", tr("Opens a document"), [this] {
    m_files->whenFree([this] {
      const QString f =
          QFileDialog::getOpenFileName(this, tr("Open"), m_files->startFolder(), tr("Ilumbra documents (*.ilum)"));
      if (!f.isEmpty()) openFile(f);
    });
  });
  add("file.save", file, tr("Save"), "Ctrl+S", tr("Saves the document"), [this] { m_files->save(); });
  add("file.save_as", file, tr("Save as…"), "Ctrl+Shift+S",
      tr("Saves the document under another name; its proofs go along"), [this] { m_files->saveAs(); });
  add("file.recover", file, tr("Take up unsaved work…"), "",
      tr("Copies that were kept of documents whose window ended without saving"), [this] { m_files->recover(); });
  add(
      "file.import", file, tr("Import a model…"), "Ctrl+I",
      tr("Adds a model to the scene: glTF, FBX, OBJ, PLY, STL, 3MF and others; or voxels: OpenVDB"),
      [this] {
        const QString f =
            QFileDialog::getOpenFileName(this, tr("Import a model"), m_files->startFolder(),
                                         ModelFiles::filter() + QStringLiteral(";;") + tr("Voxels (*.vdb)"));
        if (!f.isEmpty()) importFile(f);
      },
      {}, true);
  add("file.reload", file, tr("Reload models"), "Ctrl+Alt+I",
      tr("Takes models that have changed on disk anew, or those of the selection; materials, places and effects hold"),
      [this] { m_models->reload(); });
  add("file.export_picture", file, tr("Export the picture…"), "Ctrl+E",
      tr("Writes the picture: OpenEXR with passes, PNG, JPEG, TIFF, HDR"), [this] {
        const QString f = QFileDialog::getSaveFileName(this, tr("Export the picture"),
                                                       m_files->startFolder() + QStringLiteral("/picture.exr"),
                                                       tr("Pictures (*.exr *.png *.jpg *.tif *.hdr)"));
        if (f.isEmpty()) return;
        if (const auto& image = m_studio.image(); image && !pictureFinished()) {
          const bool fresh = image->edition == m_studio.edition();
          const int answer =
              ask(this, tr("Export the picture"),
                  fresh ? tr("The picture has %1 of %2 samples.").arg(image->samples).arg(image->target)
                        : tr("The picture has just begun anew."),
                  {{tr("Export it when finished"), tr("Goes on working meanwhile; the file comes by itself")},
                   {tr("Export it now"), tr("With the samples that it has, and their noise")}});
          if (answer >= 0) exportPicture(f, answer == 0);
          return;
        }
        exportPicture(f, false);
      });
  const auto exportModels = [this](bool selection) {
    const QString f = QFileDialog::getSaveFileName(
        this, selection ? tr("Export the selection") : tr("Export the scene"),
        m_files->startFolder() + QStringLiteral("/scene.glb"),
        tr("Models (*.glb *.gltf *.obj *.ply *.stl);;Air and dense forms as OpenVDB (*.vdb)"));
    if (!f.isEmpty()) m_models->exportSet(f, selection);
  };
  add("file.export_set", file, tr("Export the scene…"), "",
      tr("Writes the scene as a model: glTF, OBJ, PLY, STL; or its air as OpenVDB"),
      [exportModels] { exportModels(false); });
  add(
      "file.export_selection", file, tr("Export the selection…"), "",
      tr("Writes what is selected as a model: glTF, OBJ, PLY, STL; or as OpenVDB, if it is air"),
      [exportModels] { exportModels(true); }, selected);
  add("file.export_frames", file, tr("Write the frames…"), "Ctrl+Alt+J",
      tr("Renders the range of frames, one after the other, into numbered files: PNG with alpha, EXR, JPEG, TIFF, HDR"),
      [this] {
        const Params s = settingsOf(m_studio.doc());
        const QString f = QFileDialog::getSaveFileName(
            this, tr("Write frames %1 to %2").arg(int(s.number("first_frame"))).arg(int(s.number("last_frame"))),
            m_files->startFolder() + QStringLiteral("/frame.png"), tr("Pictures (*.png *.exr *.jpg *.tif *.hdr)"));
        if (!f.isEmpty()) exportFrames(f);
      });
  add(
      "file.quit", file, tr("Quit"), "Ctrl+Q", tr("Leaves Ilumbra"), [this] { close(); }, {}, true);

  add(
      "edit.undo", edit, tr("Undo"), "Ctrl+Z", tr("Takes the last step back"), [this] { m_studio.undo(); },
      [this] { return m_studio.history().canUndo(); });
  add(
      "edit.redo", edit, tr("Redo"), "Ctrl+Shift+Z", tr("Does the step again"), [this] { m_studio.redo(); },
      [this] { return m_studio.history().canRedo(); });
  add(
      "edit.duplicate", edit, tr("Duplicate"), "Ctrl+Shift+D", tr("Copies what is selected"),
      [this] {
        std::vector<NodeId> made;
        m_studio.edit(tr("Duplicate"), [&](const Document& d) {
          Document out = d;
          for (const NodeId id : m_studio.selection()) {
            NodeId copy = 0;
            out = duplicate(out, id, &copy);
            made.push_back(copy);
          }
          return out;
        });
        if (!made.empty()) m_studio.select(made);
      },
      selected, true);
  add(
      "edit.delete", edit, tr("Delete"), "Ctrl+Del", tr("Deletes what is selected"),
      [this] {
        m_studio.edit(tr("Delete"), [&](const Document& d) {
          Document out = d;
          for (const NodeId id : m_studio.selection())
            if (out.find(id)) out = removeNode(out, id);
          return out;
        });
      },
      selected);
  add(
      "edit.rename", edit, tr("Rename…"), "Ctrl+Shift+N", tr("Names what is selected"), [this] { m_scene->rename(); },
      selected);
  add(
      "edit.group", edit, tr("Group"), "Ctrl+Shift+G", tr("Puts what is selected into a group"),
      [this] {
        NodeId group = 0;
        m_studio.edit(tr("Group"), [&](const Document& d) {
          Document out = addNode(d, "object.group", "", {}, &group);
          for (const NodeId id : m_studio.selection()) {
            const Node* n = out.find(id);
            if (n && accepted(out.find(group)->kind->slots[0].accepts, n->kind->id))
              out = moveNode(out, id, {group, "objects", size_t(-1)});
          }
          return out;
        });
        if (group) m_studio.select({group});
      },
      selected);
  add(
      "edit.same_material", edit, tr("Select what wears the same"), "Ctrl+Alt+W",
      tr("All objects with a material of those that are selected"),
      [this] { m_studio.select(wearersOf(m_studio.doc(), m_studio.selection())); }, selected, true);
  add(
      "edit.linked", edit, tr("Select by light"), "Ctrl+Alt+L",
      tr("What the selected lights shine on, or the lights that shine on the selected things"),
      [this] { m_studio.select(linkedBy(m_studio.doc(), m_studio.selection())); }, selected);
  add(
      "edit.part", edit, tr("Name a part"), "Ctrl+Alt+P",
      tr("Makes a source of the copy that was clicked last, or of a material on one object when both are selected"),
      [this] {
        const Document& doc = m_studio.doc();
        NodeId of = 0, material = 0, made = 0;
        for (const NodeId id : m_studio.selection())
          if (const Node* n = doc.find(id)) (n->kind->family() == "material" ? material : of) = id;
        const uint32_t copy = of && !material ? m_picture->pickedCopy(of) : 0;
        if (!of || (!material && !copy))
          return m_studio.tell(tr("Click one of the copies that a repeat makes, or select an object and a material"),
                               true);
        if (m_studio.edit(tr("Name a part of %1").arg(qs(doc.find(of)->name)),
                          [&](const Document& d) { return withPart(d, of, copy, material, &made); }))
          m_studio.select({made});
      },
      selected);
  add(
      "edit.take_apart_material", edit, tr("Take apart by material"), "",
      tr("Makes an object of the faces that a cut or a burst brought to light, with their own material"),
      [this] {
        std::vector<NodeId> made;
        if (m_studio.edit(tr("Take apart by material"),
                          [&](const Document& d) { return takenApartByMaterial(d, m_studio.current(), &made); }))
          m_studio.select(made);
      },
      selected);
  add(
      "edit.take_apart", edit, tr("Take apart"), "", tr("Makes an object of each piece that hangs together"),
      [this] {
        m_studio.background(tr("Taking apart"),
                            [this, doc = m_studio.doc(), id = m_studio.current(),
                             assets = m_studio.assets()](const CancelFlag& cancel) mutable -> std::function<void()> {
                              std::vector<NodeId> made;
                              const Document out =
                                  takenApart(doc, id, assets.assets(doc.folder(), &cancel), &made, &cancel);
                              return [this, doc, out, made] {
                                if (!(m_studio.doc() == doc))
                                  return m_studio.tell(tr("Something was changed meanwhile: once more"), true);
                                m_studio.edit(tr("Take apart"), [&](const Document&) { return out; });
                                m_studio.select(made);
                              };
                            });
      },
      selected);
  add(
      "edit.find", edit, tr("Find anything…"), "Ctrl+Space", tr("Any command, thing or parameter by its name"),
      [this] {
        auto* f = new FindAnything(m_studio, m_commands, this);
        f->setAttribute(Qt::WA_DeleteOnClose);
        connect(f, &FindAnything::parameterChosen, this, [this](NodeId node, const QString& param) {
          const Node* n = m_studio.doc().find(node);
          if (n && n->kind->family() == "lens") {
            showRight(1);
            m_lens->show(node);
            if (ParamRow* row = m_lens->settings().row(node, param.toStdString())) {
              m_lens->settings().ensureWidgetVisible(row);
              row->setFocus();
            }
            return;
          }
          showRight(0);
          if (ParamRow* row = m_settings->row(node, param.toStdString())) {
            m_settings->ensureWidgetVisible(row);
            row->setFocus();
          }
        });
        f->open();
      },
      {}, true);

  for (const Kind& k : m_studio.kinds()->all()) {
    const auto f = k.family();
    if (f != "effect" && !standsInScene(k)) continue;
    static std::string last;
    const QString id = qs(k.id);
    add(("scene.add." + k.id).c_str(), scene,
        f == "effect" ? tr("Add effect: %1").arg(qs(k.label)) : tr("Add %1").arg(qs(k.label).toLower()), "",
        qs(k.helpText), [this, id] { addThing(id); }, {}, std::string(f) != last);
    last = std::string(f);
  }
  for (const LensStage& s : allStages()) {
    const std::string id = s.kind.id;
    add(("scene.add." + id).c_str(), scene, tr("Add lens stage: %1").arg(qs(s.kind.label)), "", qs(s.kind.helpText),
        [this, id] {
          showRight(1);
          m_lens->addStageFor(qs(id));
        },
        {}, true);
  }

  const auto atLens = [this](void (LensPage::*f)()) {
    return [this, f] {
      showRight(1);
      (m_lens->*f)();
    };
  };
  const auto anyStage = [this] { return m_lens->open() != 0; };
  add("lens.looks", scene, tr("Looks of the lens stage…"), "Ctrl+Alt+O",
      tr("Looks for the open stage, drawn on the picture"), atLens(&LensPage::looks), anyStage, true);
  add("lens.switch", scene, tr("Switch the lens stage"), "Ctrl+Alt+Space", tr("The open stage, on or off"),
      atLens(&LensPage::switchOpen), anyStage);
  add("lens.solo", scene, tr("Lens stage alone"), "Ctrl+Alt+1",
      tr("The open stage alone, on the light before the lens"), atLens(&LensPage::soloOpen), anyStage);
  add("lens.before", scene, tr("Before the lens stage"), "Ctrl+Alt+U",
      tr("The picture as it comes to the open stage, and again how it leaves the lens"), atLens(&LensPage::beforeOpen),
      anyStage);
  add(
      "lens.earlier", scene, tr("Lens stage earlier"), "Ctrl+Alt+PgUp", tr("The open stage, one place up in the stack"),
      [this] { m_lens->move(-1); }, anyStage);
  add(
      "lens.later", scene, tr("Lens stage later"), "Ctrl+Alt+PgDown", tr("The open stage, one place down in the stack"),
      [this] { m_lens->move(1); }, anyStage);
  add("lens.orders", scene, tr("Keep both orders of the lens stage"), "",
      tr("Proofs of the picture with the open stage before the next one and after it, laid over each other with a "
         "wipe"),
      atLens(&LensPage::keepBothOrders), anyStage);
  add("lens.copy", scene, tr("Copy the lens stage"), "", tr("Another one like it, at the end of the stack"),
      atLens(&LensPage::copyOpen), anyStage);
  add("lens.keep", scene, tr("Keep the lens stage as a preset…"), "",
      tr("Writes it to a file, without what it names of this scene"), atLens(&LensPage::keepPreset), anyStage);
  add("lens.delete", scene, tr("Delete the lens stage"), "", tr("Takes the open stage out of the stack"),
      atLens(&LensPage::removeOpen), anyStage);
  add(
      "scene.materials", scene, tr("Materials…"), "Ctrl+Alt+M",
      tr("Materials of the document and of your library, with their pictures"),
      [this] {
        auto* library = new MaterialLibrary(m_studio, this);
        library->setAttribute(Qt::WA_DeleteOnClose);
        library->open();
      },
      {}, true);
  add(
      "scene.switch", scene, tr("Switch the selected lights"), "Ctrl+M",
      tr("Lights and own light that are selected, on or off"),
      [this] {
        const uint64_t gesture = m_studio.newGesture();
        for (const NodeId id : m_studio.selection()) m_scene->switchLamp(id, gesture);
      },
      {}, true);
  addPlaceCommands(m_commands, m_studio, *m_picture);
  add("picture.keep", picture, tr("Keep as a proof"), "Ctrl+Return",
      tr("Keeps the picture with the document that made it"), [this] { m_studio.keep(); });
  add(
      "picture.go_on", picture, tr("Go on from the chosen proof"), "", tr("Makes the proof's document the current one"),
      [this] { m_studio.goOnFrom(m_proofs->chosen()); }, [this] { return m_proofs->chosen() != 0; });
  const auto mode = [this](Compare c) {
    return [this, c] {
      Studio::View v = m_studio.view();
      v.compare = c;
      if (c != Compare::None && !m_studio.proof(v.proof)) {
        if (m_studio.proofs().empty())
          return m_studio.tell(tr("Keep a proof first: there is nothing to compare with"), true);
        v.proof = m_studio.proofs().back()->number;
      }
      m_studio.setView(v);
    };
  };
  add("picture.live", picture, tr("Picture"), "F5", tr("The live picture alone"), mode(Compare::None), {}, true);
  add("picture.wipe", picture, tr("Wipe"), "F6", tr("Live picture and proof with an edge between"),
      mode(Compare::Wipe));
  add("picture.side", picture, tr("Side by side"), "F7", tr("Live picture and proof beside each other"),
      mode(Compare::SideBySide));
  add("picture.difference", picture, tr("Difference"), "F8", tr("What live picture and proof do not share"),
      mode(Compare::Difference));
  add(
      "picture.frame", picture, tr("Frame the selection"), "Ctrl+J",
      tr("Moves the camera until the selection fills the picture"), [this] { m_picture->frameSelection(); }, {}, true);
  const auto flip = [this](bool Studio::View::*member) {
    return [this, member] {
      Studio::View v = m_studio.view();
      v.*member = !(v.*member);
      m_studio.setView(v);
    };
  };
  add("picture.pause", picture, tr("Pause"), "F9", tr("Stops refining; edits still show"), flip(&Studio::View::paused));
  add("picture.lens", picture, tr("Lens on or off"), "Ctrl+Shift+L", tr("The picture with or without its lens stages"),
      flip(&Studio::View::withLens));
  add("picture.raw", picture, tr("Raw or denoised"), "Ctrl+Shift+R", tr("The picture as it was sampled, or denoised"),
      flip(&Studio::View::raw));
  add("picture.stops", picture, tr("Stops overlay"), "Ctrl+T", tr("False colour by stops from white"),
      flip(&Studio::View::stopsOverlay));
  add("picture.air_depth", picture, tr("Optical depth of the air"), "Ctrl+Alt+A",
      tr("False colour by how much air stands before what is seen: at 1 a third of the light comes through"), [this] {
        Studio::View v = m_studio.view();
        v.pass = v.pass == ShownPass::AirDepth ? ShownPass::Light : ShownPass::AirDepth;
        m_studio.setView(v);
        m_bar->refresh();
      });
  add("picture.clips", picture, tr("Clipping warning"), "Ctrl+Shift+T", tr("Stripes over what the display cannot show"),
      flip(&Studio::View::clipping));
  add("picture.health", picture, tr("Mesh health"), "Ctrl+Alt+T",
      tr("What is wrong with the meshes of the selection: open edges, faces that look inwards, lie double or cross "
         "others"),
      [this] { m_picture->health().setOn(!m_picture->health().on()); });
  add("picture.mend", picture, tr("Mend the meshes"), "Ctrl+Alt+Shift+T",
      tr("Adds a modifier to them that closes holes, turns faces outwards and takes out doubled ones"),
      [this] { m_picture->health().mend(); });
  add("picture.region", picture, tr("Render a region"), "Ctrl+R", tr("Only a part, to be dragged in the picture"),
      [this] {
        m_picture->setRegionTool(!m_picture->regionTool());
        m_bar->refresh();
      });
  const auto tool = [this](PictureView::Tool t) {
    return [this, t] {
      m_picture->setTool(m_picture->tool() == t ? PictureView::Tool::Pick : t);
      m_bar->refresh();
    };
  };
  add("picture.ask", picture, tr("Ask the pixel"), "Ctrl+Shift+A",
      tr("Where the light of a pixel comes from, and what is seen there"), tool(PictureView::Tool::Ask), {}, true);
  add("picture.focus", picture, tr("Focus by a click"), "Ctrl+Shift+F",
      tr("Sets the camera's focus on what is pressed"), tool(PictureView::Tool::Focus));
  add("picture.opening", picture, tr("Beam through an opening"), "Ctrl+Alt+B",
      tr("Press on an opening in the picture and drag into the room: light, haze and reach are made together"),
      tool(PictureView::Tool::Opening));
  add("picture.draw", picture, tr("Draw points"), "Ctrl+Alt+N",
      tr("Presses in the picture set points of the path or turned form that is selected, or of a new path"), [this] {
        if (m_picture->tool() == PictureView::Tool::Draw) return m_picture->setTool(PictureView::Tool::Pick);
        if (!m_picture->drawn()) {
          NodeId made = 0;
          if (!m_studio.edit(tr("Add path"),
                             [&](const Document& d) { return addNode(d, "object.path", "", {}, &made); }))
            return;
          m_studio.select({made});
        }
        m_picture->setTool(PictureView::Tool::Draw);
        m_picture->setFocus();
      });
  add("picture.meter", picture, tr("Meter the exposure"), "Ctrl+Shift+M",
      tr("Sets the camera's exposure so that the picture's middle brightness is middle grey"), [this] { meter(); });
  add(
      "picture.play", picture, tr("Play or stop"), "Ctrl+P", tr("Plays the frames of the range"),
      [this] { m_bar->play(!m_bar->playing()); }, {}, true);
  add("picture.next_frame", picture, tr("Next frame"), "Ctrl+Right", tr("One frame on"),
      [this] { m_bar->stepFrame(1); });
  add("picture.previous_frame", picture, tr("Previous frame"), "Ctrl+Left", tr("One frame back"),
      [this] { m_bar->stepFrame(-1); });
  add(
      "picture.settings", picture, tr("Picture settings"), "Ctrl+Shift+P",
      tr("Size, samples, frames of the picture as a whole"),
      [this] {
        m_studio.select({});
        showRight(0);
      },
      {}, true);

  add("window.alone", window, tr("Picture alone"), "F4", tr("Hides everything but the picture, and back"),
      [this] { pictureAlone(!m_alone); });
  add("window.corner", window, tr("Corner view"), "Ctrl+Shift+K",
      tr("The picture at a quarter of its size, in the corner: does it still read?"),
      [this] { m_picture->setCorner(!m_picture->corner()); });
  add(
      "window.left", window, tr("Fold the left column"), "Ctrl+1", tr("Hides or shows effects and scene"),
      [this] { m_left->setVisible(!m_left->isVisible()); }, {}, true);
  add("window.right", window, tr("Fold the right column"), "Ctrl+2", tr("Hides or shows settings and lens"),
      [this] { m_right->setVisible(!m_right->isVisible()); });
  add("window.route", window, tr("Fold the route"), "Ctrl+3", tr("The route as a line, or as a band"),
      [this] { m_route->setFolded(!m_route->folded()); });
  add("window.drawer", window, tr("Fold the drawer"), "Ctrl+4", tr("Hides or shows the drawer"),
      [this] { fold(QStringLiteral("drawer"), m_drawerPages->isVisible()); });
  add("window.proofs", window, tr("Proofs"), "Ctrl+7", tr("The drawer's kept pictures"),
      [this] { showDrawer(QStringLiteral("proofs")); });
  add("window.balance", window, tr("Balance"), "Ctrl+8", tr("The drawer's balance of lights"),
      [this] { showDrawer(QStringLiteral("balance")); });
  add("window.messages", window, tr("Messages…"), "Ctrl+9",
      tr("What was said in the status line, whole, the last first"), [this] { showMessages(); });
  add(
      "window.settings", window, tr("Settings"), "Ctrl+5", tr("The right column's settings"), [this] { showRight(0); },
      {}, true);
  add("window.lens", window, tr("Lens"), "Ctrl+6", tr("The right column's lens stack"), [this] { showRight(1); });

  add("help.shortcuts", help, tr("Shortcuts…"), "", tr("Every command's keys, to be changed"),
      [this] { editShortcuts(m_commands, this); });
  add("help.about", help, tr("About Ilumbra"), "", tr("Version and licence"), [this] {
    tellInWindow(this, tr("Ilumbra 0.1"),
                 tr("Light effects on 3D objects, by light that is true.\n\nFree software under the GNU General Public "
                    "License, version 3 or later."));
  });
}

void MainWindow::makeMenus() {
  auto* word = new QLabel(QStringLiteral("Ilumbra"), this);
  word->setFont(theme::font(13, 700));
  word->setStyleSheet(QStringLiteral("color: #74c6ae; padding: 0 6px 2px 10px"));
  menuBar()->setCornerWidget(word, Qt::TopLeftCorner);
  m_fileName = new QLabel(this);
  m_fileName->setStyleSheet(QStringLiteral("color: #9a968f; padding: 4px 12px 0 0"));
  // The corner is laid out once: room for the longest text.
  m_fileName->setMinimumWidth(300);
  m_fileName->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  menuBar()->setCornerWidget(m_fileName, Qt::TopRightCorner);
  QMenu* menu = nullptr;
  QString name;
  for (const Command& c : m_commands.all()) {
    if (c.menu.isEmpty()) continue;
    if (c.menu != name) {
      name = c.menu;
      menu = menuBar()->addMenu(name);
      connect(menu, &QMenu::aboutToShow, this, [this, name] {
        for (const Command& k : m_commands.all())
          if (k.menu == name) m_commands.action(k.id)->setEnabled(!k.enabled || k.enabled());
        if (QAction* u = m_commands.action(QStringLiteral("edit.undo")))
          u->setText(m_studio.history().canUndo() ? tr("Undo: %1").arg(qs(m_studio.history().undoLabel()))
                                                  : tr("Undo"));
        if (QAction* r = m_commands.action(QStringLiteral("edit.redo")))
          r->setText(m_studio.history().canRedo() ? tr("Redo: %1").arg(qs(m_studio.history().redoLabel()))
                                                  : tr("Redo"));
      });
      // Disabled entries must not swallow their keys once the menu has closed.
      connect(menu, &QMenu::aboutToHide, this, [this, name] {
        for (const Command& k : m_commands.all())
          if (k.menu == name) m_commands.action(k.id)->setEnabled(true);
      });
      if (c.id == QStringLiteral("file.new")) {
        QMenu* starters = menu->addMenu(tr("Starters"));
        for (const Starter& s : allStarters()) {
          QAction* a = starters->addAction(qs(s.label));
          a->setToolTip(qs(s.teaches));
          connect(a, &QAction::triggered, this, [this, n = qs(s.name)] { openStarter(n); });
        }
      }
    }
    if (c.separatorBefore && !menu->isEmpty()) menu->addSeparator();
    menu->addAction(m_commands.action(c.id));
    if (c.id == QStringLiteral("file.open")) {
      m_recent = menu->addMenu(tr("Recent"));
      connect(m_recent, &QMenu::aboutToShow, this, &MainWindow::refreshRecent);
      refreshRecent();
    }
  }
}

void MainWindow::refreshRecent() {
  m_recent->clear();
  for (const QString& f : QSettings().value(QStringLiteral("recent")).toStringList()) {
    QAction* a = m_recent->addAction(QFileInfo(f).fileName());
    a->setToolTip(f);
    connect(a, &QAction::triggered, this, [this, f] { m_files->whenFree([this, f] { openFile(f); }); });
  }
  m_recent->setEnabled(!m_recent->isEmpty());
}

} // namespace ilumbra
