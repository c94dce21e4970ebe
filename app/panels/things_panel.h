#pragma once
#include "app/studio.h"

#include <QStyledItemDelegate>
#include <QWidget>

class QLineEdit;
class QTreeWidget;
class QTreeWidgetItem;
class QToolButton;

namespace ilumbra {

/// A searchable list of things with a head and an add menu: the left column has one for effects and one for the scene.
class ThingsPanel : public QWidget {
  Q_OBJECT
 public:
  enum class What { Effects, Scene };
  ThingsPanel(Studio& studio, What what, QWidget* parent = nullptr);
  void addMenu();
  void rename();
  /// A light, or a material's own light, on or off.
  void switchLamp(NodeId id, uint64_t gesture = 0);
  QTreeWidget* list() const { return m_list; }
  QLineEdit* search() const { return m_search; }

 Q_SIGNALS:
  void addRequested(const QString& kind);
  void importRequested();
  /// Things of a list were dropped onto a line of this one.
  void thingsDropped(const std::vector<NodeId>& things, NodeId onto);
  void starterRequested(const QString& name);

 private:
  void rebuild();
  void showSelection();
  void showShares();
  /// Lights and what has own light show whether they are on; the ring beside them switches it.
  void showLamps();
  void contextMenu(const QPoint& at);
  Studio& m_studio;
  What m_what;
  QTreeWidget* m_list;
  QLineEdit* m_search;
  QToolButton* m_add;
  void showEmpty(bool empty, bool nothingElse);
  QWidget* m_empty = nullptr;
  bool m_quiet = false;
  std::string m_built = "nothing yet"; ///< what the list was made from, to leave it alone when nothing changed
};

/// True for kinds that a person puts into the scene by themselves.
bool standsInScene(const Kind& kind);

} // namespace ilumbra
