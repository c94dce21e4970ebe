#include "app/commands/menus.h"

#include "app/dialogs/question.h"
#include "app/document_files.h"
#include "app/drawer/queue_panel.h"
#include "app/main_window.h"
#include "app/model_files.h"
#include "app/picture_files.h"

#include <QCoreApplication>
#include <QFileDialog>

namespace ilumbra {
namespace {

QString tr(const char* text) { return QCoreApplication::translate("FileMenu", text); }

} // namespace

void addFileCommands(MainWindow& w) {
  CommandMenu menu(w.commands(), tr("File"));
  const auto selected = [&w] { return w.studio().currentNode() != nullptr; };
  menu.add("file.new", tr("New scene"), "Ctrl+Shift+E",
           tr("An empty scene; what an effect needs is made when it is added"),
           [&w] { w.files().whenFree([&w] { w.files().newScene(); }); });
  menu.add("file.open", tr("Open…"), "Ctrl+O", tr("Opens a document, or the one that an OpenEXR picture was made of"),
           [&w] {
             w.files().whenFree([&w] {
               const QString f =
                   QFileDialog::getOpenFileName(&w, tr("Open"), w.files().startFolder(),
                                                tr("Ilumbra documents, and pictures that hold one (*.ilum *.exr)"));
               if (!f.isEmpty()) w.openFile(f);
             });
           });
  menu.add("file.save", tr("Save"), "Ctrl+S", tr("Saves the document"), [&w] { w.files().save(); });
  menu.add("file.save_as", tr("Save as…"), "Ctrl+Shift+S",
           tr("Saves the document under another name; its proofs go along"), [&w] { w.files().saveAs(); });
  menu.add("file.recover", tr("Take up unsaved work…"), "",
           tr("Copies that were kept of documents whose window ended without saving"), [&w] { w.files().recover(); });
  menu.add(
      "file.import", tr("Import a model…"), "Ctrl+I",
      tr("Adds a model to the scene: glTF, FBX, OBJ, PLY, STL, 3MF and others; or voxels: OpenVDB"),
      [&w] {
        const QString f =
            QFileDialog::getOpenFileName(&w, tr("Import a model"), w.files().startFolder(),
                                         ModelFiles::filter() + QStringLiteral(";;") + tr("Voxels (*.vdb)"));
        if (!f.isEmpty()) w.importFile(f);
      },
      {}, true);
  menu.add(
      "file.reload", tr("Reload models"), "Ctrl+Alt+I",
      tr("Takes models that have changed on disk anew, or those of the selection; materials, places and effects hold"),
      [&w] { w.models().reload(); });
  menu.add("file.export_picture", tr("Export the picture…"), "Ctrl+E",
           tr("Writes the picture: OpenEXR with passes, PNG, JPEG, TIFF, HDR"), [&w] {
             const QString f = QFileDialog::getSaveFileName(&w, tr("Export the picture"),
                                                            w.files().startFolder() + QStringLiteral("/picture.exr"),
                                                            tr("Pictures (*.exr *.png *.jpg *.tif *.hdr)"));
             if (f.isEmpty()) return;
             if (const auto& image = w.studio().image(); image && !w.pictures().finished()) {
               const bool fresh = image->edition == w.studio().edition();
               const int answer =
                   ask(&w, tr("Export the picture"),
                       fresh ? tr("The picture has %1 of %2 samples.").arg(image->samples).arg(image->target)
                             : tr("The picture has just begun anew."),
                       {{tr("Export it when finished"), tr("Goes on working meanwhile; the file comes by itself")},
                        {tr("Export it now"), tr("With the samples that it has, and their noise")}});
               if (answer >= 0) w.pictures().exportPicture(f, answer == 0);
               return;
             }
             w.pictures().exportPicture(f, false);
           });
  const auto exportModels = [&w](bool selection) {
    const QString f = QFileDialog::getSaveFileName(
        &w, selection ? tr("Export the selection") : tr("Export the scene"),
        w.files().startFolder() + QStringLiteral("/scene.glb"),
        tr("Models (*.glb *.gltf *.obj *.ply *.stl);;Air and dense forms as OpenVDB (*.vdb)"));
    if (!f.isEmpty()) w.models().exportSet(f, selection);
  };
  menu.add("file.export_set", tr("Export the scene…"), "",
           tr("Writes the scene as a model: glTF, OBJ, PLY, STL; or its air as OpenVDB"),
           [exportModels] { exportModels(false); });
  menu.add(
      "file.export_selection", tr("Export the selection…"), "",
      tr("Writes what is selected as a model: glTF, OBJ, PLY, STL; or as OpenVDB, if it is air"),
      [exportModels] { exportModels(true); }, selected);
  menu.add("file.render", tr("Render and write…"), "Ctrl+Alt+J",
           tr("Puts frames, a still or a turntable into the queue: as pictures, with passes, or as a movie"),
           [&w] { w.queue().addDelivery(); });
  menu.add("file.bundle", tr("Gather into a folder…"), "Ctrl+Alt+G",
           tr("Copies the document and all files that it names into one folder, for another machine or to keep"), [&w] {
             const QString folder =
                 QFileDialog::getExistingDirectory(&w, tr("Gather into a folder"), w.files().startFolder());
             if (!folder.isEmpty()) w.models().gather(folder);
           });
  menu.add(
      "file.quit", tr("Quit"), "Ctrl+Q", tr("Leaves Ilumbra"), [&w] { w.close(); }, {}, true);
}

} // namespace ilumbra
