#pragma once
#include "app/studio.h"

#include <QDialog>

class QListWidget;

namespace ilumbra {

/// Looks, each drawn on the picture as it is. Choosing one takes it, as one step; before that nothing changes.
class LooksGallery : public QDialog {
  Q_OBJECT
 public:
  struct Look {
    std::string name;
    std::function<Document(const Document&)> apply;      ///< called on the session's thread too
    std::function<Document(const Document&)> drawn = {}; ///< how it is drawn; null: as it is applied
  };
  LooksGallery(Studio& studio, const QString& title, const QString& about, std::vector<Look> looks,
               QWidget* parent = nullptr);
  /// Those of a lens stage.
  static LooksGallery* ofStage(Studio& studio, NodeId stage, QWidget* parent);
  QListWidget* list() const { return m_list; }

 private:
  void draw();
  void choose();
  Studio& m_studio;
  const std::shared_ptr<const std::vector<Look>> m_looks;
  QListWidget* m_list;
};

} // namespace ilumbra
