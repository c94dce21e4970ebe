#pragma once
#include "app/studio.h"

#include <QWidget>

class QLabel;
class QListWidget;
class QToolButton;
class QTreeWidget;

namespace ilumbra {

/// The drawer's page of proofs: kept pictures, and what changed between the chosen one and the live document (or
/// another proof), with the means to go on from it or to carry one difference over.
class ProofsPanel : public QWidget {
  Q_OBJECT
 public:
  explicit ProofsPanel(Studio& studio, QWidget* parent = nullptr);
  void renameChosen();
  void deleteChosen();
  QListWidget* list() const { return m_list; }
  QTreeWidget* changes() const { return m_changes; }
  /// Carries the n-th listed difference into the live document.
  bool carry(int n);
  int chosen() const;

 private:
  void rebuild();
  void compare();
  void showChanges();
  void showQuality();
  Studio& m_studio;
  QListWidget* m_list;
  QTreeWidget* m_changes;
  QLabel* m_head;
  QToolButton *m_even, *m_goOn, *m_rename, *m_delete, *m_against;
  bool m_quiet = false;
  int m_fewer = 0;     ///< the proof of two that has fewer samples; 0: they are alike
  uint32_t m_more = 0; ///< what the other has
};

} // namespace ilumbra
