#pragma once
#include "app/studio.h"

class QAction;
class QMenu;

namespace ilumbra {

/// The part of a row's menu that puts a pattern on its parameter: a new one of each kind, or one that is there.
class PatternMenu {
 public:
  /// `menu` null: the parameter takes none.
  PatternMenu(QMenu* menu, Studio& studio, const Value& now);
  /// Does what was chosen; false if that was none of these.
  bool chose(const QAction* action, const Address& address, const QString& where) const;

 private:
  Studio& m_studio;
  QMenu* m_made = nullptr;  ///< kinds, by their id
  QMenu* m_there = nullptr; ///< patterns, by their number
  QAction* m_show = nullptr;
  NodeId m_present = 0;
};

} // namespace ilumbra
