#pragma once
#include "app/studio.h"

class QMenu;

namespace ilumbra {

/// How many keys a value has, and if one of them stands at a frame: "3 keys · one here". Empty: none.
QString keysText(const Value& value, double frame);

/// Adds what sets a key of a parameter at the frame at hand, takes that one away again, and lets the value hold for all
/// frames. Nothing is added for what takes no keys.
void addKeyMenu(QMenu& menu, Studio& studio, const Address& address);

} // namespace ilumbra
