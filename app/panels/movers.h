#pragma once
#include "app/studio.h"

class QMenu;

namespace ilumbra {

/// Adds a submenu with what can move a parameter, each checked if it does; choosing one begins or ends it. Empty menus
/// are not added.
void addMoverMenu(QMenu& menu, Studio& studio, const Address& address);

/// Makes keys of what movers do to a parameter over the document's range, as near as cannot be told by eye; says how
/// many.
void bakeMovers(Studio& studio, const Address& address);

/// What is selected goes along the path that is selected too, or along a new one; says how long that is and how fast.
void followPath(Studio& studio);

} // namespace ilumbra
