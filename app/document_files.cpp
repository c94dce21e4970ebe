#include "app/document_files.h"

#include "app/dialogs/question.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/hash.h"
#include "core/document/file.h"
#include "core/exchange/carried_document.h"
#include "demo/starters.h"

#include <filesystem>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QSettings>
#include <QStandardPaths>
#include <QTimer>
#include <QWidget>

namespace ilumbra {
namespace {

constexpr size_t mostBytes = size_t(256) << 20;
const QString saving = QStringLiteral("save"), keeping = QStringLiteral("keep"), proofs = QStringLiteral("proofs");

QString fileName(const QString& path) { return QFileInfo(path).fileName(); }

uint64_t contentOf(const std::string& path) { return contentHash(readFile(path, mostBytes)) | 1; }

// "hall.ilum" beside "hall.ilum": "hall 2.ilum".
QString freeBeside(const QString& path) {
  const QFileInfo f(path);
  for (int n = 2;; ++n)
    if (const QString other =
            QStringLiteral("%1/%2 %3.%4").arg(f.absolutePath(), f.completeBaseName()).arg(n).arg(f.suffix());
        !QFileInfo::exists(other))
      return other;
}

} // namespace

DocumentFiles::DocumentFiles(Studio& studio, QWidget* window)
    : QObject(window), m_studio(studio), m_window(window), m_kept(studio.doc()) {
  auto* timer = new QTimer(this);
  connect(timer, &QTimer::timeout, this, &DocumentFiles::autosave);
  timer->start(5000);
  connect(&studio, &Studio::proofsChanged, this, [this] {
    if (m_loading) return;
    m_proofsDue = true;
    keepProofs();
  });
}

QString DocumentFiles::startFolder() const {
  if (!m_studio.path().isEmpty()) return QFileInfo(m_studio.path()).absolutePath();
  return QStandardPaths::writableLocation(QStandardPaths::DocumentsLocation);
}

void DocumentFiles::remember(const QString& path) {
  QSettings s;
  QStringList all = s.value(QStringLiteral("recent")).toStringList();
  all.removeAll(path);
  all.prepend(path);
  while (all.size() > 12) all.removeLast();
  s.setValue(QStringLiteral("recent"), all);
}

void DocumentFiles::newScene() {
  quietly(keeping, [] { recovery::forget(); }, {});
  m_loading = true;
  m_studio.open(Document::create(m_studio.kinds()), {});
  m_loading = false;
  m_onDisk->store(0);
  m_studio.tell(tr("A new scene: add an effect, and what it needs is made with it"));
}

void DocumentFiles::open(const QString& path, Done done) {
  const auto kinds = m_studio.kinds();
  m_studio.background(
      tr("Opening %1").arg(fileName(path)),
      [this, path, kinds, done](const CancelFlag& cancel) -> std::function<void()> {
        const std::string file = path.toStdString();
        const uint64_t content = contentOf(file);
        // What a picture holds is a beginning: saving asks for a name.
        const bool carried = mayCarryDocument(file);
        const Document doc = readAnyDocument(kinds, file, &cancel);
        std::vector<std::string> warnings;
        const ProofSet set = carried ? ProofSet() : readProofs(kinds, file, &warnings, &cancel);
        return [this, doc, set, path, content, warnings, carried, done] {
          quietly(keeping, [] { recovery::forget(); }, {});
          m_loading = true;
          m_studio.open(doc, carried ? QString() : QFileInfo(path).absoluteFilePath(), set);
          m_loading = false;
          m_onDisk->store(carried ? 0 : content);
          m_kept = doc;
          if (!carried) remember(m_studio.path());
          m_studio.tell(carried
                            ? tr("The scene that %1 was made of: save it under a name of its own").arg(fileName(path))
                            : tr("Opened %1").arg(fileName(path)));
          if (!warnings.empty()) m_studio.tell(qs(warnings.front()), true);
          if (done) done();
        };
      });
}

void DocumentFiles::openStarter(const QString& name) {
  const auto kinds = m_studio.kinds();
  const QString folder =
      QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation) + QStringLiteral("/starters");
  QDir().mkpath(folder);
  m_studio.background(tr("Opening a starter"), [this, name, kinds, folder](const CancelFlag&) -> std::function<void()> {
    const Document doc = writeStarter(findStarter(name.toStdString()), kinds,
                                      (folder + QStringLiteral("/") + name + QStringLiteral(".ilum")).toStdString());
    return [this, doc] {
      quietly(keeping, [] { recovery::forget(); }, {});
      m_loading = true;
      // A starter is a beginning: saving asks for a name.
      m_studio.open(doc, {});
      m_loading = false;
      m_onDisk->store(0);
      m_kept = doc;
      m_studio.tell(tr("A starter: save it under a name of your own"));
    };
  });
}

void DocumentFiles::save(Done done) {
  if (m_studio.path().isEmpty()) return saveAs(std::move(done));
  saveTo(m_studio.path(), std::move(done));
}

void DocumentFiles::saveAs(Done done) {
  QString f = QFileDialog::getSaveFileName(m_window, tr("Save as"),
                                           m_studio.path().isEmpty() ? startFolder() + QStringLiteral("/untitled.ilum")
                                                                     : m_studio.path(),
                                           tr("Ilumbra documents (*.ilum)"));
  if (f.isEmpty()) return;
  if (!f.endsWith(QStringLiteral(".ilum"))) f += QStringLiteral(".ilum");
  saveTo(f, std::move(done));
}

// The dialog has asked about a file of another name already.
void DocumentFiles::saveTo(const QString& path, Done done) {
  write(path, QFileInfo(path).absoluteFilePath() != m_studio.path(), std::move(done));
}

void DocumentFiles::write(const QString& path, bool evenIfChanged, Done done) {
  m_studio.background(tr("Saving %1").arg(fileName(path)),
                      [this, path, doc = m_studio.doc(), evenIfChanged, onDisk = m_onDisk,
                       done](const CancelFlag&) -> std::function<void()> {
                        const std::string file = path.toStdString();
                        std::error_code e;
                        // What we know of the file is asked now: a save that waited came after another.
                        if (const uint64_t known = onDisk->load();
                            !evenIfChanged && known && std::filesystem::exists(file, e) && contentOf(file) != known)
                          return [this, path, done] { askWhose(path, done); };
                        const Document saved = writeDocument(doc, file);
                        onDisk->store(contentHash(toJson(saved)) | 1);
                        return [this, doc, saved, path, done] {
                          const bool moved = m_studio.path() != QFileInfo(path).absoluteFilePath();
                          // What was kept under the old name is there too, even if its turn had not come yet.
                          if (moved && m_proofsDue) writeProofsHome();
                          m_studio.markSaved(doc, saved, QFileInfo(path).absoluteFilePath());
                          remember(m_studio.path());
                          // What was edited meanwhile is not saved, and stays kept aside.
                          if (!m_studio.modified()) {
                            m_kept = m_studio.doc();
                            quietly(keeping, [] { recovery::forget(); }, {});
                          }
                          if (moved) m_proofsDue = true;
                          keepProofs();
                          m_studio.tell(
                              m_studio.modified()
                                  ? tr("Saved %1; what was changed meanwhile is not in it yet").arg(fileName(path))
                                  : tr("Saved %1").arg(fileName(path)));
                          if (done) done();
                        };
                      },
                      {.lane = saving, .waits = true, .matters = false});
}

void DocumentFiles::askWhose(const QString& path, Done done) {
  const QString beside = freeBeside(path);
  switch (ask(m_window, tr("%1 was changed by another program").arg(fileName(path)),
              tr("It is not as it was when it was opened or saved here. Whose work stays?"),
              {{tr("Save mine beside it"), tr("Writes %1; the other file stays as it is").arg(fileName(beside))},
               {tr("Keep mine"), tr("Writes this document over it; what was changed there is lost")},
               {tr("Take theirs"), tr("Brings the file in as a step that can be undone; it is not written")}})) {
  case 0:
    return write(beside, true, std::move(done));
  case 1:
    return write(path, true, std::move(done));
  case 2:
    return takeTheirs(path, std::move(done));
  default:
    m_studio.tell(tr("Not saved: %1 was changed by another program").arg(fileName(path)), true);
  }
}

void DocumentFiles::takeTheirs(const QString& path, Done done) {
  m_studio.background(tr("Reading %1").arg(fileName(path)),
                      [this, path, kinds = m_studio.kinds(), done](const CancelFlag&) -> std::function<void()> {
                        const uint64_t content = contentOf(path.toStdString());
                        const Document theirs = readDocument(kinds, path.toStdString());
                        return [this, path, theirs, content, done] {
                          m_studio.edit(tr("Take %1 as it is").arg(fileName(path)),
                                        [&](const Document& d) { return atFrame(theirs, currentFrame(d)); });
                          m_studio.markSaved(m_studio.doc(), m_studio.doc(), path);
                          m_onDisk->store(content);
                          m_studio.tell(tr("Took %1 as it is; undo brings yours back").arg(fileName(path)));
                          if (done) done();
                        };
                      },
                      {.lane = saving, .waits = true});
}

void DocumentFiles::whenFree(Done then) {
  const size_t kept = m_studio.path().isEmpty() ? m_studio.proofs().size() : 0;
  if (!m_studio.modified() && kept == 0) return then();
  const QString name = m_studio.path().isEmpty() ? tr("This scene") : fileName(m_studio.path());
  const QString what = m_studio.modified()
                           ? tr("%1 has changes that are not saved.").arg(name)
                           : tr("%n proofs were kept of a scene that was never saved.", nullptr, int(kept));
  switch (ask(
      m_window, tr("Not saved yet"), what,
      {{tr("Save, then go on"), m_studio.path().isEmpty() ? tr("Asks for a name first") : tr("Writes %1").arg(name)},
       {tr("Go on without saving"), kept && !m_studio.modified()
                                        ? tr("The proofs are thrown away")
                                        : tr("What was changed since the last save is thrown away")},
       {tr("Stay"), tr("Nothing happens")}})) {
  case 0:
    return save(std::move(then));
  case 1:
    return then();
  default:
    return;
  }
}

void DocumentFiles::setPending(const QString& what, Done drop) {
  m_pending = what;
  m_dropPending = std::move(drop);
}

void DocumentFiles::whenLeaving(Done then) {
  QStringList going = m_studio.works().running();
  if (!m_pending.isEmpty()) going << m_pending;
  if (going.isEmpty()) return whenFree([this, then] { leaveWhenIdle(then); });
  const int answer = ask(m_window, tr("Something is still going on"), tr("%1.").arg(going.join(QStringLiteral("; "))),
                         {{tr("Finish, then leave"), tr("The window closes by itself when it is done")},
                          {tr("Stop it"), tr("What is not finished is not written, and the window closes")},
                          {tr("Stay"), tr("Nothing happens")}},
                         2);
  if (answer != 0 && answer != 1) return;
  if (answer == 1) {
    if (m_dropPending) std::exchange(m_dropPending, {})();
    m_pending.clear();
    m_studio.works().cancelWhatMatters();
  }
  m_studio.tell(tr("Leaving when %1 is done").arg(going.join(QStringLiteral("; "))));
  whenFree([this, then] { leaveWhenIdle(then); });
}

void DocumentFiles::leaveWhenIdle(Done then) {
  if (m_studio.works().running().isEmpty() && m_pending.isEmpty() && !m_studio.works().busy(saving) &&
      !m_studio.works().busy(proofs) && !m_studio.works().busy(keeping)) {
    recovery::forget();
    return then();
  }
  QTimer::singleShot(50, this, [this, then] { leaveWhenIdle(then); });
}

// A piece of work without a result that nobody waits for; `ended` hears of what went wrong, or of nothing.
void DocumentFiles::quietly(const QString& lane, std::function<void()> work,
                            std::function<void(const QString& error)> ended) {
  m_studio.background(tr("Keeping copies"),
                      [work = std::move(work), ended = std::move(ended)](const CancelFlag&) -> std::function<void()> {
                        QString error;
                        try {
                          work();
                        } catch (const std::exception& e) {
                          error = QString::fromUtf8(e.what());
                        }
                        return [ended, error] {
                          if (ended) ended(error);
                        };
                      },
                      {.lane = lane, .waits = true, .matters = false});
}

void DocumentFiles::autosave() {
  if (!m_studio.modified() || m_studio.works().busy(keeping)) return;
  const Document doc = m_studio.doc();
  if (doc == atFrame(m_kept, m_studio.frame()) || doc == m_kept) return;
  quietly(
      keeping, [doc, original = m_studio.path()] { recovery::keep(doc, original); },
      [this, doc](const QString& error) {
        if (error.isEmpty()) m_kept = doc;
        // The same trouble every five seconds would be in the way.
        else if (error != m_autosaveTrouble)
          m_studio.tell(tr("No copy is kept in case of a crash: %1. Save now and then").arg(error), true);
        m_autosaveTrouble = error;
      });
}

void DocumentFiles::keepProofs() {
  if (m_proofsDue && !m_studio.works().busy(proofs)) writeProofsHome();
}

void DocumentFiles::writeProofsHome() {
  m_proofsDue = false;
  const QString home = m_studio.path().isEmpty() ? recovery::own() : m_studio.path();
  auto left = std::make_shared<std::vector<int>>();
  quietly(
      proofs,
      [left, home = home.toStdString(), set = m_studio.proofSet(), views = m_studio.sharedViews()] {
        *left = writeProofs(home, set, *views);
      },
      [this, left](const QString& error) {
        if (!error.isEmpty())
          m_studio.tell(tr("The proofs are not on the disk: %1").arg(error), true);
        else if (!left->empty())
          m_studio.tell(tr("All proofs together may take %1 MB on the disk: the oldest %2 of them will be gone when "
                           "this window closes. Delete some")
                            .arg(proofRoom >> 20)
                            .arg(left->size()),
                        true);
        keepProofs();
      });
}

void DocumentFiles::offerRecovery() {
  const auto lost = recovery::findLost();
  if (lost.empty()) return;
  // A question about one document must not stand over another.
  const bool about =
      std::any_of(lost.begin(), lost.end(), [&](const recovery::Lost& l) { return l.original == m_studio.path(); });
  const bool empty = m_studio.path().isEmpty() && m_studio.doc().nodes().size() <= 1;
  if (empty || (about && !m_studio.path().isEmpty())) return recover();
  m_studio.tell(
      tr("There is unsaved work of %1 from before: File, Take up unsaved work")
          .arg(lost.front().original.isEmpty() ? tr("a scene without a name") : fileName(lost.front().original)),
      true);
}

void DocumentFiles::recover() {
  const auto all = recovery::findLost();
  if (all.empty()) return m_studio.tell(tr("There is no unsaved work from before"));
  for (const recovery::Lost& lost : all) {
    const QString name = lost.original.isEmpty() ? tr("A scene that was never saved") : lost.original;
    switch (
        ask(m_window, tr("Unsaved work"),
            tr("%1 had changes when Ilumbra ended without saving, at %2.")
                .arg(name, QFileInfo(lost.file).lastModified().toString(QStringLiteral("d MMMM, HH:mm"))),
            {{tr("Take it up again"), tr("Opens it with those changes; the file itself is left alone until you save")},
             {tr("Later"), tr("The copy is kept, and you are asked again at the next start")},
             {tr("Throw the changes away"), tr("Deletes the copy for good")}})) {
    case 0:
      return whenFree([this, lost] { takeUp(lost); });
    case 2:
      recovery::forget(lost);
      break;
    default:
      return;
    }
  }
}

void DocumentFiles::takeUp(const recovery::Lost& lost) {
  m_studio.background(tr("Taking up unsaved work"),
                      [this, lost, kinds = m_studio.kinds()](const CancelFlag& cancel) -> std::function<void()> {
                        const Document doc = recovery::read(kinds, lost);
                        std::vector<std::string> warnings;
                        // Undo leads back to the file, if it can be read.
                        Document base = Document::create(kinds);
                        uint64_t content = 0;
                        ProofSet set;
                        if (!lost.original.isEmpty()) {
                          try {
                            base = readDocument(kinds, lost.original.toStdString());
                            content = contentOf(lost.original.toStdString());
                          } catch (const Error& e) {
                            warnings.push_back(e.what());
                          }
                        }
                        set = readProofs(kinds, (lost.original.isEmpty() ? lost.file : lost.original).toStdString(),
                                         &warnings, &cancel);
                        // The new copy is there before the old one goes.
                        recovery::keep(doc, lost.original);
                        return [this, lost, doc, base, set, content, warnings] {
                          m_loading = true;
                          m_studio.open(base, lost.original, set);
                          m_loading = false;
                          m_onDisk->store(content);
                          m_studio.edit(tr("Take up unsaved work"), [&](const Document&) { return doc; });
                          m_kept = m_studio.doc();
                          if (lost.original.isEmpty() && !set.proofs.empty()) {
                            m_proofsDue = true;
                            keepProofs();
                            quietly(proofs, [lost] { recovery::forget(lost); }, {});
                          } else {
                            recovery::forget(lost);
                          }
                          m_studio.tell(warnings.empty() ? tr("Taken up again: save to keep it") : qs(warnings.front()),
                                        !warnings.empty());
                        };
                      });
}

} // namespace ilumbra
