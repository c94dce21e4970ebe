#pragma once
#include "app/studio.h"

#include <QWidget>

class QGridLayout;

namespace ilumbra {

class ParamRow;

/// The numbers, colours and choices of one line of a pattern, opened below it: those that count now and that no pattern
/// drives, for these have lines of their own.
class LineInputs : public QWidget {
 public:
  static constexpr int columnWidth = 190; ///< pixels that a column of rows takes at least
  LineInputs(Studio& studio, NodeId node, QWidget* parent);
  NodeId node() const { return m_node; }
  /// Reads the values again; other rows where others count.
  void refresh();
  /// Pixels that it takes at a width.
  int heightAt(int width);
  const std::vector<ParamRow*>& rows() const { return m_rows; }

 protected:
  /// Its keys are not the list's; Escape goes back there.
  void keyPressEvent(QKeyEvent* e) override;

 private:
  std::vector<std::string> wanted() const;
  void lay(int columns);
  Studio& m_studio;
  NodeId m_node;
  std::vector<std::string> m_names;
  std::vector<ParamRow*> m_rows;
  QGridLayout* m_grid;
  int m_columns = 0;
};

} // namespace ilumbra
