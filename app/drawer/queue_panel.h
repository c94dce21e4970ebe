#pragma once
#include "app/studio.h"
#include "core/delivery/queue.h"

#include <QWidget>

class QLabel;
class QListWidget;
class QTimer;
class QToolButton;

namespace ilumbra {

/// The drawer's page of deliveries: what is rendered and written, in order, by processes of their own, whether or not a
/// window is open. Space pauses the chosen one and goes on with it, Delete takes it out, Alt with Up and Down changes
/// the order.
class QueuePanel : public QWidget {
  Q_OBJECT
 public:
  explicit QueuePanel(Studio& studio, QWidget* parent = nullptr);
  const std::vector<QueueEntry>& entries() const { return m_entries; }
  QListWidget* list() const { return m_list; }
  int chosen() const; ///< its number; 0: none
  /// Asks what is to be written, and puts it into the queue.
  void addDelivery();
  /// Reads the queue again, away from the interface thread.
  void look();

 Q_SIGNALS:
  /// What was read last is shown.
  void looked();

 protected:
  void showEvent(QShowEvent*) override;
  bool eventFilter(QObject*, QEvent*) override;

 private:
  void take(std::vector<QueueEntry> entries, bool paused, bool running);
  void showButtons();
  /// Changes the queue on a thread of its own, then looks.
  void change(std::function<void(const Queue&)> what);
  void pauseChosen();
  void moveChosen(int by);
  void showLog();
  Studio& m_studio;
  std::vector<QueueEntry> m_entries;
  bool m_paused = false, m_running = false, m_known = false;
  QListWidget* m_list;
  QLabel *m_state, *m_empty;
  QToolButton *m_add, *m_start, *m_pause, *m_cancel, *m_remove, *m_log, *m_folder, *m_clear;
  QTimer* m_timer;
};

} // namespace ilumbra
