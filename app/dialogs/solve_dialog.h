#pragma once
#include "app/studio.h"
#include "core/session/solve.h"

#include <QDialog>

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;

namespace ilumbra {

/// Asks what is wanted of the selected effect, or of a thing that is to be in focus, and finds the parameter that does
/// it. What is found is shown before it is taken; taking it is one step.
class SolveDialog : public QDialog {
  Q_OBJECT
 public:
  SolveDialog(Studio& studio, NodeId thing, QWidget* parent);
  ~SolveDialog() override;
  const std::optional<Solution>& found() const { return m_found; }
  QComboBox* goals() const { return m_goals; }
  QLineEdit* value() const { return m_value; }
  /// Begins to solve; found() then holds what came of it.
  void solve();
  void take();

 private:
  void measure();
  void showGoal();
  Goal goal() const;
  Studio& m_studio;
  const NodeId m_thing;
  const Document m_doc; ///< as it was when the dialog opened: answers are of this
  std::vector<Goal::What> m_all;
  std::optional<Solution> m_found;
  std::shared_ptr<CancelFlag> m_cancel = std::make_shared<CancelFlag>();
  uint64_t m_asked = 0;
  QComboBox* m_goals;
  QLineEdit* m_value;
  QLabel *m_now, *m_answer;
  QPushButton *m_find, *m_take;
};

} // namespace ilumbra
