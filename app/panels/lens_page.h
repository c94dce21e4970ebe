#pragma once
#include "app/studio.h"

#include <QWidget>

class QLabel;
class QListWidget;
class QToolButton;

namespace ilumbra {

class SettingsPanel;

/// The lens stack: its stages in the order in which light passes them, each with a picture of what it changes; below,
/// all that the chosen one can be set to. Stages are dragged, or moved by keys.
class LensPage : public QWidget {
  Q_OBJECT
 public:
  explicit LensPage(Studio& studio, QWidget* parent = nullptr);
  /// Opens a stage.
  void show(NodeId stage);
  NodeId open() const { return m_open; }
  QListWidget* list() const { return m_list; }
  SettingsPanel& settings() const { return *m_settings; }

  /// A new stage of a kind that takes its light from what is selected; its amount fits the light that is there.
  void addStageFor(const QString& kind);
  /// Sets the amount of a stage so that what it adds shows and does not drown the picture, once the light is known. One
  /// step with `gesture`.
  void fitAmount(NodeId stage, uint64_t gesture = 0);

  // What can be done to the open stage: nothing without one.
  void move(int by);
  void switchOpen();
  void soloOpen();
  void beforeOpen();
  void copyOpen();
  void removeOpen();
  /// The picture as it is and with the open stage and the next one (the one before it, of the last) in turned order:
  /// both become proofs, and are laid over each other with a wipe.
  void keepBothOrders();
  void looks();
  void keepPreset();
  void takePreset();
  /// The same, of a file.
  bool takePreset(const QString& path);

 protected:
  bool eventFilter(QObject* o, QEvent* e) override;
  void showEvent(QShowEvent* e) override;
  void hideEvent(QHideEvent* e) override;

 private:
  QLayout* makeHead();
  void makeActions();
  void connectParts();
  void rebuild();
  void showPictures();
  void showState();
  std::string shape() const;
  void addMenu(QWidget* button);
  void wantPictures(bool wanted);
  Studio& m_studio;
  NodeId m_open = 0;
  std::string m_shape;
  bool m_quiet = false;
  QLabel *m_about, *m_why;
  QListWidget* m_list;
  QToolButton *m_mend, *m_on, *m_solo, *m_before, *m_looks, *m_more;
  QWidget* m_actions;
  SettingsPanel* m_settings;
};

/// A new lens stage that takes its light from what is selected: an effect, whose Lens role it joins, or lamps and
/// things themselves.
Document addStage(const Document& doc, const std::string& kind, const std::vector<NodeId>& selected, NodeId* made);

} // namespace ilumbra
