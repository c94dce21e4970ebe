#pragma once
#include "app/studio.h"

#include <QDialog>

class QLabel;
class QLineEdit;
class QPushButton;

namespace ilumbra {

class SwatchList;

/// The materials at hand: those of the document, and those kept as files in the person's library folder, each with a
/// picture rendered in the light of the set. Enter or a double click puts one on the selected objects, or, with none
/// selected, takes it into the document.
class MaterialLibrary : public QDialog {
  Q_OBJECT
 public:
  explicit MaterialLibrary(Studio& studio, QWidget* parent = nullptr);
  SwatchList* list() const { return m_list; }
  /// The folder of the library; made when something is kept in it.
  static QString folder();
  static void setFolder(const QString& folder);
  /// Writes a material of the document into the library under its name, " 2" and so on if that is taken. False (and
  /// told) if it cannot be written.
  static bool keep(Studio& studio, NodeId material);
  /// Takes the material of a file into the document; 0 (and told) if there is none.
  static NodeId take(Studio& studio, const QString& file, uint64_t gesture = 0);
  void use();

 private:
  void fill();
  void choose();
  Studio& m_studio;
  SwatchList* m_list;
  QLineEdit* m_search;
  QLabel* m_where;
  QPushButton *m_use, *m_keep, *m_remove;
};

} // namespace ilumbra
