#pragma once
#include "app/studio.h"

#include <QStatusBar>
#include <QTimer>

class QLabel;
class QToolButton;

namespace ilumbra {

class ModelFiles;
class PictureFiles;

/// The line at the foot of the window: how far the picture is, what goes on in the background, and what was said last
/// or is wrong.
class StatusLine : public QStatusBar {
  Q_OBJECT
 public:
  StatusLine(Studio& studio, ModelFiles& models, PictureFiles& pictures, QWidget* parent);
  QString lastTold() const { return m_lastTold; }
  /// All that was said, the last first, in a dialog.
  void showMessages();

 protected:
  bool eventFilter(QObject*, QEvent*) override;

 private:
  void showState();
  void showMessage();
  void offerReload();
  Studio& m_studio;
  ModelFiles& m_models;
  PictureFiles& m_pictures;
  QLabel *m_progress, *m_rate, *m_message;
  QToolButton *m_cancel, *m_reload;
  QString m_lastTold, m_says, m_trouble; ///< said last; what is said now; what is wrong with the picture
  bool m_refused = false;
  QTimer m_slow;                                       ///< runs from a change until its picture is late
  uint64_t m_before = 0;                               ///< edition of the picture that was there at that change
  bool m_building = false;                             ///< it is late: what is shown is of the document before
  std::vector<std::pair<QString, QString>> m_messages; ///< when, and what
};

} // namespace ilumbra
