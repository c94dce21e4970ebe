#pragma once
#include "app/studio.h"

#include <QListWidget>

class QTimer;

namespace ilumbra {

/// Materials as pictures with their names below; pictures come as they are rendered, by their keys
/// (Studio::swatchArrived): those nearest to the current one first, or to the middle of what is in sight.
class SwatchList : public QListWidget {
  Q_OBJECT
 public:
  explicit SwatchList(Studio& studio, QWidget* parent = nullptr);
  QListWidgetItem* add(const QString& name, const QString& tip, const QString& key, const QPixmap& first = {});
  /// Shows what has the text in its name or tip, and makes the first of it the current one.
  void search(const QString& text);
  /// The current one, if it is in sight.
  QListWidgetItem* chosen() const;
  /// The keys, nearest first.
  std::vector<std::string> nearestFirst() const;

 private:
  Studio& m_studio;
  QTimer* m_order; ///< started by what changes the order
};

} // namespace ilumbra
