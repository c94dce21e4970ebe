#pragma once
#include "core/transport/path_state.h"

namespace ilumbra {

/// Follows a path to its end. `first`: what its first ray meets, if that is known, and `firstMet` whether it meets
/// anything.
void tracePath(PathState& path, const Hit* first = nullptr, bool firstMet = false);

} // namespace ilumbra
