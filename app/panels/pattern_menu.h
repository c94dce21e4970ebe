#pragma once
#include "app/studio.h"
#include "core/pattern/presets.h"

class QAction;
class QMenu;
class QMimeData;

namespace ilumbra {

/// The part of a row's menu that puts a pattern on its parameter: a new one of each kind, one that changes what is
/// there, or one that the scene has.
class PatternMenu {
 public:
  /// `menu` null: the parameter at `address` takes none. Its pictures are drawn as its parts are opened.
  PatternMenu(QMenu* menu, Studio& studio, const Address& address);
  /// Does what was chosen; false if that was none of these.
  bool chose(const QAction* action, const Address& address, const QString& where) const;

 private:
  Studio& m_studio;
  QList<QAction*> m_made, m_there, m_presets, m_kept; ///< with the id of a kind, the number of a pattern, the name of a
                                                      ///< preset, the path of a file
  QAction *m_show = nullptr, *m_keep = nullptr, *m_folder = nullptr;
  NodeId m_present = 0;
};

/// A new pattern of a kind drives a parameter, as one step that is told. One that shows a picture asks for it first,
/// unless `file` names it. False: it was refused, or nothing was chosen.
bool drivePattern(Studio& studio, const Address& address, const std::string& kind, QString file = {});
/// The same with a pattern that is kept in the library.
bool drivePatternFile(Studio& studio, const Address& address, const QString& file);
/// The same with a preset.
bool drivePatternPreset(Studio& studio, const Address& address, const PatternPreset& preset);
/// The first file that is carried, or empty.
QString pictureIn(const QMimeData* data);

} // namespace ilumbra
