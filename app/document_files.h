#pragma once
#include "app/dialogs/recovery.h"
#include "app/studio.h"

namespace ilumbra {

/// The documents of a window on the disk: opened, saved, kept aside while they are worked on, taken up again after a
/// crash, and left only when nothing is lost. All reading and writing is off the interface thread; `done` runs on it,
/// once what was asked for has been done.
class DocumentFiles : public QObject {
  Q_OBJECT
 public:
  using Done = std::function<void()>;
  DocumentFiles(Studio& studio, QWidget* window);

  /// An empty scene.
  void newScene();
  void open(const QString& path, Done done = {});
  void openStarter(const QString& name);
  /// Asks for a name where there is none yet.
  void save(Done done = {});
  void saveAs(Done done = {});
  /// Where the file there is not the one that was read or written last, it asks whose work stays.
  void saveTo(const QString& path, Done done = {});

  /// Runs `then` when the document may be left: it is saved, or its changes are given up; else nothing happens.
  void whenFree(Done then);
  /// Runs `then` when the window may be closed: nothing is being written, or it was broken off on purpose.
  void whenLeaving(Done then);
  /// Something that is still to be written, besides what runs in the background; empty: nothing.
  void setPending(const QString& what, Done drop);

  /// Asks about unsaved work of windows that ended without saying so. Over another document it only says that there is
  /// some.
  void offerRecovery();
  /// Asks about each of them.
  void recover();
  /// Where file dialogs begin.
  QString startFolder() const;
  void remember(const QString& path);

 private:
  void write(const QString& path, bool evenIfChanged, Done done);
  void askWhose(const QString& path, Done done);
  void takeTheirs(const QString& path, Done done);
  void takeUp(const recovery::Lost& lost);
  void autosave();
  void keepProofs();
  void writeProofsHome();
  void quietly(const QString& lane, std::function<void()> work, std::function<void(const QString& error)> ended);
  void leaveWhenIdle(Done then);

  Studio& m_studio;
  QWidget* m_window;
  std::shared_ptr<std::atomic<uint64_t>> m_onDisk =
      std::make_shared<std::atomic<uint64_t>>(0); ///< content of the file as we know it; 0: none
  Document m_kept;                                ///< that recovery has
  QString m_autosaveTrouble;                      ///< that was told last
  bool m_proofsDue = false, m_loading = false;
  QString m_pending;
  Done m_dropPending;
};

} // namespace ilumbra
