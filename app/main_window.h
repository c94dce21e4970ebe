#pragma once
#include "app/commands/commands.h"
#include "app/studio.h"

#include <QMainWindow>

class QLabel;
class QSplitter;
class QStackedWidget;
class QToolButton;

namespace ilumbra {

class DocumentFiles;
class Drawer;
class LensPage;
class BalancePanel;
class ModelFiles;
class PictureBar;
class PictureFiles;
class PictureView;
class ProofsPanel;
class QueuePanel;
class RouteView;
class SettingsPanel;
class StatusLine;
class ThingsPanel;

/// The main window: lists to the left, picture, route and drawer in the middle, settings and lens to the right.
class MainWindow : public QMainWindow {
  Q_OBJECT
 public:
  explicit MainWindow(Studio& studio, QWidget* parent = nullptr);
  ~MainWindow() override;

  Studio& studio() { return m_studio; }
  Commands& commands() { return m_commands; }
  PictureView& picture() { return *m_picture; }
  PictureBar& bar() { return *m_bar; }
  RouteView& route() { return *m_route; }
  SettingsPanel& settings() { return *m_settings; }
  LensPage& lens() { return *m_lens; }
  ProofsPanel& proofs();
  BalancePanel& balance();
  QueuePanel& queue();
  DocumentFiles& files() { return *m_files; }
  ModelFiles& models() { return *m_models; }
  PictureFiles& pictures() { return *m_pictures; }
  ThingsPanel& effects() { return *m_effects; }
  ThingsPanel& scene() { return *m_scene; }
  StatusLine& status() { return *m_status; }
  QString lastTold() const;

  /// Opens, saves and imports by path, on a thread of their own; `done` runs on the interface thread.
  void openFile(const QString& path, std::function<void()> done = {});
  void saveFile(const QString& path, std::function<void()> done = {});
  void importFile(const QString& path, std::function<void()> done = {});
  void openStarter(const QString& name);
  void addThing(const QString& kind);
  /// "right", "left", "drawer" or "route": folds or unfolds.
  void fold(const QString& part, bool folded);
  bool folded(const QString& part) const;
  void pictureAlone(bool on);
  bool isPictureAlone() const { return m_alone; }
  /// Opens the drawer at a page (DrawerPage::id); the page that is open is folded.
  void showDrawer(const QString& page);
  enum class Right { Settings, Lens };
  void showRight(Right page);

 protected:
  void closeEvent(QCloseEvent*) override;
  bool eventFilter(QObject*, QEvent*) override;

 private:
  void makeLeft();
  void makeMiddle();
  void makeRight();
  void makeMenus();
  void connectParts();
  void showTitle();
  void shareLeft();
  void refreshRecent();

  Studio& m_studio;
  Commands m_commands;
  DocumentFiles* m_files;
  ModelFiles* m_models;
  PictureFiles* m_pictures;
  ThingsPanel *m_effects, *m_scene;
  PictureView* m_picture;
  PictureBar* m_bar;
  RouteView* m_route;
  Drawer* m_drawer;
  SettingsPanel* m_settings;
  LensPage* m_lens;
  StatusLine* m_status;
  QSplitter *m_left, *m_middle;
  QWidget* m_right;
  QStackedWidget* m_pages;
  QToolButton *m_settingsTab, *m_lensTab;
  QLabel* m_fileName;
  QMenu* m_recent = nullptr;
  int m_leftState = 1; ///< how the left column is shared: 1 as in an empty scene
  bool m_alone = false, m_leaving = false, m_asking = false;
  std::vector<bool> m_visibleBefore;
};

} // namespace ilumbra
