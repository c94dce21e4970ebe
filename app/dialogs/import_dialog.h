#pragma once
#include "core/exchange/import.h"

#include <QDialog>

class QCheckBox;
class QComboBox;
class QLabel;
class QLineEdit;

namespace ilumbra {

/// What a model's file does not tell by itself: its unit, its upward axis, which clip plays, and whether it is one of a
/// numbered sequence; with how large the model comes out.
class ImportDialog : public QDialog {
  Q_OBJECT
 public:
  ImportDialog(const QString& path, const ModelSurvey& survey, QWidget* parent = nullptr);
  /// True if the file leaves something open.
  static bool asks(const ModelSurvey& survey);
  ImportOptions options() const;

 private:
  double unit() const;
  void show();
  ModelSurvey m_survey;
  QComboBox *m_unit, *m_up, *m_motion = nullptr;
  QLineEdit* m_length;
  QCheckBox* m_numbered = nullptr;
  QLabel* m_size;
};

/// What was taken otherwise than the file has it, a line each.
void showReport(const QString& title, const QStringList& lines, QWidget* parent);

} // namespace ilumbra
