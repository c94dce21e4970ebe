#pragma once
#include "app/studio.h"
#include "core/document/loop.h"

#include <QWidget>

#include <map>
#include <set>

class QLabel;
class QMenu;
class QScrollArea;
class QToolButton;

namespace ilumbra {

class KeptStrip;
class MotionChart;

/// The drawer's page of motion: what moves over the frames, with the means to begin something.
class MotionPanel : public QWidget {
  Q_OBJECT
 public:
  explicit MotionPanel(Studio& studio, QWidget* parent = nullptr);
  MotionChart& chart() const { return *m_chart; }

 protected:
  void showEvent(QShowEvent*) override;

 private:
  void refresh();
  void findRounds();
  void fillMenu();
  void showSelected();
  Studio& m_studio;
  MotionChart* m_chart;
  QScrollArea* m_area;
  QLabel *m_empty, *m_state;
  QToolButton *m_begin, *m_key, *m_delete, *m_keying, *m_ahead, *m_loop;
  KeptStrip* m_kept;
  QMenu* m_menu;
  /// Of what plays, by what it plays: FramesOfRound.
  std::map<std::string, double> m_rounds;
  std::set<std::string> m_seeking;
  std::vector<LoopBreak> m_breaks;  ///< of
  std::optional<Document> m_loopOf; ///< this document, whatever its frame
};

} // namespace ilumbra
