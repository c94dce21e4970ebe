#pragma once
#include "app/studio.h"
#include "core/exchange/import.h"

class QFileSystemWatcher;
class QTimer;

namespace ilumbra {

/// Models in and out of the set: import with what a file leaves open asked, export, and the watch over files that
/// change on disk.
class ModelFiles : public QObject {
  Q_OBJECT
 public:
  ModelFiles(Studio& studio, QWidget* window);

  /// For a file dialog: every kind of model that is read.
  static QString filter();
  /// Asks what the file leaves open, then imports; `done` runs when the model stands in the set.
  void import(const QString& path, std::function<void()> done = {});
  void importAs(const QString& path, const ImportOptions& options, std::function<void()> done = {});
  /// Writes the set, or what is selected of it; the extension says how.
  void exportSet(const QString& path, bool selection);
  /// Copies the document and all files that it names into a folder.
  void gather(const QString& folder);
  /// Models of the set that have changed on disk since they were read.
  const QStringList& changedModels() const { return m_changed; }
  /// Takes them anew; with none changed, those of the selection.
  void reload();

 Q_SIGNALS:
  void changedOnDisk();

 private:
  void watch();
  Studio& m_studio;
  QWidget* m_window;
  QFileSystemWatcher* m_watcher;
  QTimer* m_settle;
  QStringList m_watched, m_changed, m_touched;
};

} // namespace ilumbra
