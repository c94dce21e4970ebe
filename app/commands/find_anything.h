#pragma once
#include "app/studio.h"

#include <QDialog>

class QLineEdit;
class QListWidget;

namespace ilumbra {

class Commands;

/// Finds any command, thing or parameter by name and runs it, selects it or opens it.
class FindAnything : public QDialog {
  Q_OBJECT
 public:
  FindAnything(Studio& studio, Commands& commands, QWidget* parent);
  QLineEdit* field() const { return m_field; }
  QListWidget* list() const { return m_list; }

 Q_SIGNALS:
  void parameterChosen(ilumbra::NodeId node, const QString& param);

 protected:
  bool eventFilter(QObject*, QEvent*) override;

 private:
  void fill();
  void take();
  Studio& m_studio;
  Commands& m_commands;
  QLineEdit* m_field;
  QListWidget* m_list;
};

} // namespace ilumbra
