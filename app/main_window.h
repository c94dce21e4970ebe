#pragma once
#include "app/commands/commands.h"
#include "app/studio.h"

#include <QMainWindow>

class QLabel;
class QProgressBar;
class QSplitter;
class QStackedWidget;
class QToolButton;

namespace ilumbra {

class DocumentFiles;
class LensPage;
class BalancePanel;
class ModelFiles;
class PictureBar;
class PictureView;
class ProofsPanel;
class RouteView;
class SettingsPanel;
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
  ProofsPanel& proofs() { return *m_proofs; }
  BalancePanel& balance() { return *m_balance; }
  DocumentFiles& files() { return *m_files; }
  ModelFiles& models() { return *m_models; }
  ThingsPanel& effects() { return *m_effects; }
  ThingsPanel& scene() { return *m_scene; }

  /// Opens, saves, imports and exports by path, on a thread of their own; `done` runs on the interface thread.
  void openFile(const QString& path, std::function<void()> done = {});
  void saveFile(const QString& path, std::function<void()> done = {});
  void importFile(const QString& path, std::function<void()> done = {});
  void openStarter(const QString& name);
  /// Renders and writes the document's range of frames in the background; "shot.png" becomes "shot.0001.png" and so on.
  void exportFrames(const QString& path);
  /// Writes the picture of the document as it is now, with the samples that it has (at least one), or when it is
  /// finished. `done` runs when it is over, written or not.
  void exportPicture(const QString& path, bool whenFinished, std::function<void()> done = {});
  void addThing(const QString& kind);
  /// "right", "left", "drawer" or "route": folds or unfolds.
  void fold(const QString& part, bool folded);
  void pictureAlone(bool on);
  /// Opens the drawer at a page, "proofs" or "balance"; the page that is open is folded.
  void showDrawer(const QString& page);
  QString lastTold() const { return m_lastTold; }

 protected:
  void closeEvent(QCloseEvent*) override;
  bool eventFilter(QObject*, QEvent*) override;

 private:
  void makeCommands();
  void makeMenus();
  void showState();
  void showTitle();
  void showMessage();
  void shareLeft();
  void showMessages();
  void refreshRecent();
  bool pictureFinished() const;
  void meter();
  void showRight(int page);

  Studio& m_studio;
  Commands m_commands;
  ThingsPanel *m_effects, *m_scene;
  PictureView* m_picture;
  PictureBar* m_bar;
  RouteView* m_route;
  ProofsPanel* m_proofs;
  BalancePanel* m_balance;
  SettingsPanel* m_settings;
  LensPage* m_lens;
  QSplitter *m_columns, *m_left, *m_middle;
  QWidget *m_right, *m_drawer;
  QStackedWidget* m_drawerPages;
  std::vector<std::pair<QString, QToolButton*>> m_drawerTabs;
  QStackedWidget* m_pages;
  QToolButton *m_settingsTab, *m_lensTab, *m_cancel, *m_reload;
  DocumentFiles* m_files;
  ModelFiles* m_models;
  QLabel *m_progress, *m_rate, *m_message, *m_fileName;
  QMenu* m_recent = nullptr;
  QString m_lastTold, m_says, m_trouble; ///< said last; what is said now; what is wrong with the picture
  bool m_refused = false;
  int m_leftState = 1;                                 ///< how the left column is shared: 1 as in an empty scene
  std::vector<std::pair<QString, QString>> m_messages; ///< when, and what
  QString m_exportPath;
  std::function<void()> m_exportDone;
  bool m_alone = false, m_leaving = false, m_asking = false;
  std::vector<bool> m_visibleBefore;
};

} // namespace ilumbra
