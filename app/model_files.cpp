#include "app/model_files.h"

#include "app/dialogs/import_dialog.h"
#include "app/theme.h"
#include "core/base/error.h"
#include "core/compile/compile.h"
#include "core/delivery/bundle.h"
#include "core/document/file.h"
#include "core/exchange/export.h"
#include "core/placing/framing.h"
#include "core/scene/scene.h"

#include <QFileInfo>
#include <QFileSystemWatcher>
#include <QTimer>
#include <set>

namespace ilumbra {
namespace {

QStringList linesOf(const std::vector<std::string>& notes) {
  QStringList lines;
  for (const std::string& n : notes) lines << qs(n);
  return lines;
}

QStringList modelsOf(const Document& doc, const std::vector<NodeId>* only = nullptr) {
  QStringList files;
  std::set<std::string> seen; // parts of one model are many
  const auto add = [&](const Node& n) {
    if (n.kind->id != "object.mesh") return;
    const std::string name = Params(n, 0).text("file");
    if (name.empty() || !seen.insert(name).second) return;
    const QString f = QFileInfo(qs(resolveFile(doc, name))).absoluteFilePath();
    if (!files.contains(f)) files << f;
  };
  if (only) {
    for (const NodeId id : *only)
      for (const NodeId inside : treeOf(doc, id)) add(*doc.find(inside));
  } else {
    for (const Node* n : doc.family("object")) add(*n);
  }
  return files;
}

} // namespace

ModelFiles::ModelFiles(Studio& studio, QWidget* window)
    : QObject(window), m_studio(studio), m_window(window), m_watcher(new QFileSystemWatcher(this)),
      m_settle(new QTimer(this)) {
  m_settle->setSingleShot(true);
  m_settle->setInterval(400); // programs write in pieces
  connect(&studio, &Studio::documentChanged, this, &ModelFiles::watch);
  connect(m_watcher, &QFileSystemWatcher::fileChanged, this, [this](const QString& path) {
    if (!m_touched.contains(path)) m_touched << path;
    m_settle->start();
  });
  connect(m_settle, &QTimer::timeout, this, [this] {
    bool anew = false;
    for (const QString& f : std::exchange(m_touched, {})) {
      if (!QFileInfo::exists(f)) continue;
      m_watcher->addPath(f); // one that was replaced is another file
      if (m_changed.contains(f)) continue;
      m_changed << f;
      anew = true;
    }
    if (anew) Q_EMIT changedOnDisk();
  });
  watch();
}

void ModelFiles::watch() {
  const QStringList now = modelsOf(m_studio.doc());
  if (now == m_watched) return;
  for (const QString& f : m_watched)
    if (!now.contains(f)) {
      m_watcher->removePath(f);
      m_changed.removeAll(f);
    }
  for (const QString& f : now)
    if (!m_watched.contains(f) && QFileInfo::exists(f)) m_watcher->addPath(f);
  m_watched = now;
  Q_EMIT changedOnDisk();
}

QString ModelFiles::filter() {
  return tr("Models (*.glb *.gltf *.fbx *.obj *.ply *.stl *.3mf *.dae *.3ds *.off *.amf *.x *.lwo *.ac *.blend *.ase "
            "*.GLB *.GLTF *.FBX *.OBJ *.PLY *.STL *.3MF *.DAE *.3DS);;All files (*)");
}

void ModelFiles::import(const QString& path, std::function<void()> done) {
  m_studio.background(
      tr("Reading %1").arg(QFileInfo(path).fileName()),
      [this, path, assets = m_studio.assets(), done](const CancelFlag& cancel) mutable -> std::function<void()> {
        assets.model(QFileInfo(path).absoluteFilePath().toStdString(), &cancel);
        const ModelSurvey s = survey(path.toStdString(), assets);
        return [this, path, s, done] {
          if (!ImportDialog::asks(s)) return importAs(path, {}, done);
          auto* d = new ImportDialog(path, s, m_window);
          connect(d, &QDialog::accepted, this, [this, d, path, done] { importAs(path, d->options(), done); });
          d->open();
        };
      });
}

void ModelFiles::importAs(const QString& path, const ImportOptions& options, std::function<void()> done) {
  const Document doc = m_studio.doc();
  m_studio.background(
      tr("Importing %1").arg(QFileInfo(path).fileName()),
      [this, path, options, doc, assets = m_studio.assets(),
       done](const CancelFlag& cancel) mutable -> std::function<void()> {
        Imported imported = importModel(doc, path.toStdString(), assets, options);
        if (cancel.requested()) return {};
        SceneCache cache;
        const ScenePtr scene =
            compileScene(imported.doc, {.frame = currentFrame(doc), .width = 16, .height = 16, .queries = {}},
                         assets.assets(doc.folder(), &cancel), cache, &cancel);
        std::vector<std::string> told = imported.notes;
        for (const std::string& t : scene->warnings)
          if (std::find(told.begin(), told.end(), t) == told.end()) told.push_back(t);
        const Document stood = standUp(imported.doc, *scene, &told);
        return [this, doc, stood, imported, path, options, told, done] {
          // What was edited meanwhile stays: then it is read into the set as it is now.
          if (!(m_studio.doc() == doc)) return importAs(path, options, done);
          m_studio.edit(tr("Import %1").arg(QFileInfo(path).fileName()), [&](const Document&) { return stood; });
          if (imported.root) m_studio.select({imported.root});
          const QStringList lines = linesOf(told);
          const QString title = tr("Imported %1").arg(QFileInfo(path).fileName());
          if (lines.size() > 2) {
            m_studio.tell(tr("%1; %n remark(s)", nullptr, int(lines.size())).arg(title));
            showReport(title, lines, m_window);
          } else {
            m_studio.tell(lines.isEmpty() ? title : lines.join(QStringLiteral("; ")));
          }
          if (done) done();
        };
      });
}

void ModelFiles::exportSet(const QString& path, bool selection) {
  const Document doc = m_studio.doc();
  ExportOptions options;
  if (selection) options.only = m_studio.selection();
  m_studio.background(
      tr("Exporting the scene"),
      [this, path, doc, options,
       assets = m_studio.assets()](const CancelFlag& cancel) mutable -> std::function<void()> {
        const std::vector<std::string> notes = exportSetTo(doc, path.toStdString(), assets, options, &cancel);
        return [this, path, notes] {
          const QStringList lines = linesOf(notes);
          const QString title = tr("Wrote %1").arg(QFileInfo(path).fileName());
          m_studio.tell(lines.isEmpty() ? title : title + QStringLiteral("; ") + lines.join(QStringLiteral("; ")));
          if (lines.size() > 2) showReport(title, lines, m_window);
        };
      });
}

void ModelFiles::gather(const QString& folder) {
  const QString path = m_studio.path();
  m_studio.background(
      tr("Gathering files"),
      [this, folder, doc = m_studio.doc(),
       name = path.isEmpty() ? std::string("document") : QFileInfo(path).completeBaseName().toStdString()](
          const CancelFlag& cancel) -> std::function<void()> {
        const Bundle b = writeBundle(doc, name, folder.toStdString(), &cancel);
        return [this, b] {
          const QString title = tr("Gathered the document with %n file(s), %1 MiB", nullptr, int(b.files.size()))
                                    .arg(double(b.bytes) / (1 << 20), 0, 'f', 1);
          m_studio.tell(b.missing.empty() ? title : title + tr("; %n are missing", nullptr, int(b.missing.size())),
                        !b.missing.empty());
          if (!b.missing.empty()) showReport(title, linesOf(b.missing), m_window);
        };
      });
}

void ModelFiles::reload() {
  const std::vector<NodeId> selected = m_studio.selection();
  QStringList files = m_changed.isEmpty() ? modelsOf(m_studio.doc(), &selected) : m_changed;
  if (files.isEmpty()) return m_studio.tell(tr("No model has changed on disk, and none is selected"));
  const Document doc = m_studio.doc();
  m_studio.background(
      tr("Reloading"),
      [this, doc, files, assets = m_studio.assets()](const CancelFlag& cancel) mutable -> std::function<void()> {
        Document out = doc;
        QStringList lines;
        for (const QString& f : files) {
          assets.model(f.toStdString(), &cancel);
          const Imported r = reloadModel(out, f.toStdString(), assets);
          out = r.doc;
          for (const QString& l : linesOf(r.notes)) lines << tr("%1: %2").arg(QFileInfo(f).fileName(), l);
        }
        return [this, doc, out, files, lines] {
          if (!(m_studio.doc() == doc)) return reload(); // as it is now
          m_studio.edit(tr("Reload"), [&](const Document&) { return out; });
          for (const QString& f : files) m_changed.removeAll(f);
          Q_EMIT changedOnDisk();
          m_studio.tell(lines.join(QStringLiteral("; ")));
        };
      });
}

} // namespace ilumbra
