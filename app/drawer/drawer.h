#pragma once
#include "app/studio.h"

#include <QWidget>

class QHBoxLayout;
class QStackedWidget;
class QToolButton;

namespace ilumbra {

/// A page of the drawer. Its tab, its command "window.ID" and the command's keys come from this.
struct DrawerPage {
  QString id;       ///< "proofs"
  QString label;    ///< "Proofs"
  QString help;     ///< a sentence
  const char* keys; ///< as QKeySequence reads them
  bool groups;      ///< it needs the picture's light groups while it is open (Studio::View::groups)
  std::function<QWidget*(Studio& studio, QWidget* parent)> make;
};
/// Every page, in the order of the tabs. A new one is a file in this folder and a line here.
std::vector<DrawerPage> drawerPages();

/// The drawer under the picture: one page at a time, or the tabs alone.
class Drawer : public QWidget {
  Q_OBJECT
 public:
  static constexpr int foldedHeight = 32; ///< pixels
  Drawer(Studio& studio, QWidget* parent);
  /// Opens a page; the one that is open is folded.
  void showPage(const QString& id);
  void setFolded(bool folded);
  bool folded() const;

 Q_SIGNALS:
  /// It wants more or less room.
  void foldChanged(bool folded);

 private:
  Studio& m_studio;
  const std::vector<DrawerPage> m_all;
  std::vector<QToolButton*> m_tabs; ///< one a page
  QStackedWidget* m_pages;
};

} // namespace ilumbra
