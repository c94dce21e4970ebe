#pragma once
#include "app/studio.h"

namespace ilumbra {

class DocumentFiles;

/// Pictures out of the set, as it is shown.
class PictureFiles : public QObject {
  Q_OBJECT
 public:
  PictureFiles(Studio& studio, DocumentFiles& files, QObject* parent);

  /// True if the picture of the document as it is now has all its samples.
  bool finished() const;
  /// True while a picture is to be written once it is finished.
  bool waits() const { return !m_path.isEmpty(); }
  /// Writes the picture of the document as it is now, with the samples that it has (at least one), or when it is
  /// finished. `done` runs when it is over, written or not.
  void exportPicture(const QString& path, bool whenFinished, std::function<void()> done = {});

 private:
  Studio& m_studio;
  DocumentFiles& m_files;
  QString m_path; ///< to be written when the picture is finished; empty: none
  std::function<void()> m_done;
};

} // namespace ilumbra
