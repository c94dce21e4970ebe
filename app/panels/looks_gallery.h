#pragma once
#include "app/studio.h"

#include <QDialog>

class QListWidget;

namespace ilumbra {

/// The looks of a lens stage, each drawn on the picture as it is. Choosing one sets the stage, as one step; before that
/// nothing changes.
class LooksGallery : public QDialog {
  Q_OBJECT
 public:
  LooksGallery(Studio& studio, NodeId stage, QWidget* parent = nullptr);
  QListWidget* list() const { return m_list; }

 private:
  void draw();
  void choose();
  Studio& m_studio;
  NodeId m_stage;
  QListWidget* m_list;
};

} // namespace ilumbra
