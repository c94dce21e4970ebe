#pragma once
#include "core/delivery/job.h"

#include <functional>
#include <QDialog>

class QCheckBox;
class QFormLayout;
class QLabel;
class QLineEdit;
class QPushButton;
class QToolButton;

namespace ilumbra {

/// Asks what is to be rendered and written: the rows come from the table of deliveryKind(), the names of files from a
/// folder, a name and kinds of files.
class DeliveryDialog : public QDialog {
  Q_OBJECT
 public:
  /// `path`: where the document lies; empty: nowhere yet. `folder`: where to begin.
  DeliveryDialog(const Document& doc, const QString& path, const QString& folder, QWidget* parent);
  const Job& job() const { return m_job; }
  /// It is to be begun at once.
  bool start() const { return m_start; }

 private:
  void addRow(const ParamDef& def, QFormLayout* to);
  void read();
  void showRows();
  const Document& m_doc;
  const QString m_path;
  Job m_job;
  bool m_start = true, m_more = false;
  struct Row {
    const ParamDef* def;
    QWidget *label, *field;
    std::function<QString()> text;
  };
  std::vector<Row> m_rows;
  std::vector<std::pair<QString, QCheckBox*>> m_kinds; ///< by extension
  QLineEdit *m_folder, *m_name;
  QLabel *m_preview, *m_trouble;
  QPushButton *m_take = nullptr, *m_later = nullptr;
  QToolButton* m_fold = nullptr;
};

} // namespace ilumbra
