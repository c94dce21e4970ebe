#pragma once
#include "app/studio.h"

#include <optional>
#include <QFileInfo>
#include <QPixmap>

namespace ilumbra {

/// The person's library: a folder for each kind of look, in which each is a document of its own.
class Library {
 public:
  /// `shelf`: the name of its folder.
  explicit Library(QString shelf) : m_shelf(std::move(shelf)) {}
  /// Made when something is kept in it.
  QString folder() const;
  void setFolder(const QString& folder) const;
  /// What is kept, by name.
  QFileInfoList kept() const;
  /// Writes a thing of the document with all that it uses, an effect with what it is made of and a small picture of the
  /// scene as it is, under its name, " 2" and so on if that is taken. False (and
  /// told) if it cannot be written.
  bool keep(Studio& studio, NodeId thing) const;
  /// The picture that lies beside what was kept; null: there is none.
  static QPixmap picture(const QFileInfo& kept);

 private:
  QString m_shelf;
};

Library materialLibrary(), patternLibrary(), effectLibrary();
/// Where a thing of this family is kept; null: it is no look.
std::optional<Library> libraryOf(std::string_view family);

} // namespace ilumbra
