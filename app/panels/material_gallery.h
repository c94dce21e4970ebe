#pragma once
#include "app/studio.h"

#include <QDialog>

class QLineEdit;

namespace ilumbra {

class SwatchList;

/// What a material may be made of: the presets, each with a picture rendered in the light of the document. Enter or a
/// double click takes one.
class MatterGallery : public QDialog {
  Q_OBJECT
 public:
  MatterGallery(Studio& studio, NodeId material, QWidget* parent = nullptr);
  SwatchList* list() const { return m_list; }
  void take(const QString& preset);

 private:
  void askForSwatches();
  Studio& m_studio;
  NodeId m_material;
  SwatchList* m_list;
  QLineEdit* m_search;
};

} // namespace ilumbra
