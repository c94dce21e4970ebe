#pragma once
#include "app/studio.h"

#include <QElapsedTimer>
#include <QWidget>

class QHBoxLayout;
class QLineEdit;
class QTimer;
class QToolButton;

namespace ilumbra {

class Commands;
class PictureView;

/// The bar over the picture: camera, comparison, pass, overlays, pause, exposure, view, frame and play, keep.
class PictureBar : public QWidget {
  Q_OBJECT
 public:
  PictureBar(Studio& studio, PictureView& view, QWidget* parent = nullptr);
  void refresh();
  void play(bool on);
  bool playing() const;
  void stepFrame(int by);

 protected:
  void resizeEvent(QResizeEvent*) override;

 private:
  void addModes(QHBoxLayout* row);
  void addSwitches(QHBoxLayout* row);
  void addPlayback(QHBoxLayout* row);
  QToolButton* addButton(QHBoxLayout* row, const QString& text, const QString& help, bool checkable);
  void cameraMenu();
  void moreMenu();
  void fit();
  void exposureMenu();
  /// To where the clock says that playing is.
  void followClock();
  Studio& m_studio;
  PictureView& m_view;
  QToolButton *m_camera, *m_pass, *m_stops, *m_clips, *m_region, *m_pause, *m_lens, *m_raw, *m_exposure, *m_display,
      *m_play, *m_more, *m_keep;
  std::vector<QToolButton*> m_modes, m_hidden;
  QLineEdit* m_frame;
  QTimer* m_timer;
  QElapsedTimer m_clock, m_counting;
  double m_playedFrom = 1; ///< the frame at which the clock was started
  int m_shown = 0;         ///< pictures since m_counting was
  uint64_t m_gesture = 0;
};

QToolButton* flatButton(QWidget* parent, const QString& text, const QString& help, const char* cls = "flat");
/// Sets a button's text, cut to so many pixels; the whole then stands in its tip.
void fitText(QToolButton* button, const QString& whole, int widest);

} // namespace ilumbra
