#pragma once
#include "app/studio.h"
#include "core/advise/readings.h"

#include <QWidget>

class QLabel;
class QListWidget;
class QTimer;
class QToolButton;

namespace ilumbra {

class HaloChart;

/// The drawer's page of readings: what the picture, its region or the selected effect measures, worst first, each with
/// its mend, and the halo drawn from its core outwards; beside those of a proof, if one is chosen.
class ReadingsPanel : public QWidget {
  Q_OBJECT
 public:
  explicit ReadingsPanel(Studio& studio, QWidget* parent = nullptr);
  const std::optional<Readings>& readings() const { return m_readings; }
  QListWidget* list() const { return m_list; }
  /// Compares with the readings of a proof; 0: with none.
  void compareWith(int proof);
  /// Applies the first mend of a line; false: it has none.
  bool mendAt(int row);

 Q_SIGNALS:
  /// What was read last is shown.
  void read();

 protected:
  void showEvent(QShowEvent*) override;

 private:
  /// Reads the picture that is shown, on a thread of its own, unless it is known.
  void look();
  void show(Readings now, std::optional<Readings> other);
  void more();
  Studio& m_studio;
  std::optional<Readings> m_readings;
  std::shared_ptr<const SessionImage> m_of; ///< that they are of
  NodeId m_effect = 0;
  Region m_region;
  int m_proof = 0;
  bool m_again = false;
  QLabel *m_verdict, *m_head;
  QListWidget* m_list;
  HaloChart* m_chart;
  QToolButton* m_more;
  QTimer* m_timer;
};

} // namespace ilumbra
