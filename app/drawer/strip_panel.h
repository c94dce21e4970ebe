#pragma once
#include "app/studio.h"
#include "core/session/strip.h"

#include <QWidget>

class QLabel;
class QListWidget;
class QToolButton;

namespace ilumbra {

/// The drawer's page of test strips: one parameter, or two crossed, at several values side by side, each picture better
/// by the second. Return, or a double press, takes the chosen one; K keeps it as a proof with its document; F goes
/// finer around it; Delete stops the work.
class StripPanel : public QWidget {
  Q_OBJECT
 public:
  explicit StripPanel(Studio& studio, QWidget* parent = nullptr);
  /// Tries a parameter about the value that it has.
  void tryValues(const Address& at);
  const std::vector<StripCell>& cells() const { return m_cells; }
  QListWidget* list() const { return m_list; }
  bool done() const { return m_progress >= 1; }
  uint64_t rays() const { return m_rays; }
  /// Makes the value of a picture the document's.
  void take(int row);
  void finer(int row);

 Q_SIGNALS:
  /// One of the pictures has come.
  void arrived();

 protected:
  bool eventFilter(QObject*, QEvent*) override;
  void resizeEvent(QResizeEvent*) override;

 private:
  void make();
  void arrive(const StripMaker::Shown& shown);
  void show(size_t cell, const QImage& image, const QString& tip);
  /// What the live picture's film cannot give is rendered.
  void render(std::vector<size_t> cells);
  void choose();
  void more();
  void keep(int row);
  void typeValues();
  void showHead();
  StripMaker& maker();
  Studio& m_studio;
  std::vector<StripAxis> m_axes;
  StripSpread m_spread = StripSpread::AroundNow;
  QString m_low, m_high;
  int m_count = 9;
  bool m_typed = false; ///< the values of the first axis are as they were typed
  std::vector<StripCell> m_cells;
  Document m_of;                  ///< the document that they vary
  uint64_t m_strip = 0;           ///< another number: another strip
  std::vector<size_t> m_rendered; ///< which cells the maker's are
  uint64_t m_request = 0, m_rays = 0;
  double m_progress = 1;
  QLabel *m_head, *m_state, *m_empty;
  QListWidget* m_list;
  QToolButton *m_choose, *m_more, *m_take;
  std::unique_ptr<StripMaker> m_maker; ///< last: its thread ends first
};

} // namespace ilumbra
