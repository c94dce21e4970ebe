#pragma once
#include "app/studio.h"

class QAction;
class QMenu;

namespace ilumbra {

/// The part of a row's menu about named inputs: what the row shows becomes one, of its own thing or of what uses that;
/// one is named anew or taken away; and a use has its own copy of what is shared, or joins it again.
class InputMenu {
 public:
  InputMenu(QMenu& menu, Studio& studio, const Address& address);
  /// Does what was chosen; false if that was none of these.
  bool chose(const QAction* action, QWidget* parent) const;

 private:
  void places(QMenu& menu, const ParamDef& def);
  Studio& m_studio;
  Address m_address;
  std::map<const QAction*, std::function<void(QWidget*)>> m_acts;
};

/// The name of an input as rows show it.
QString inputLabel(const std::string& name);

} // namespace ilumbra
