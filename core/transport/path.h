#pragma once
#include "core/transport/path_state.h"

namespace ilumbra {

/// Follows what a path has split off to its end: its light goes to the film and to its own total.
void followBranch(PathState& path);
/// Follows a path to its end, and ends its sample. `first`: what its first ray meets, if that is known, and `firstMet`
/// whether it meets anything.
void tracePath(PathState& path, const Hit* first = nullptr, bool firstMet = false);

} // namespace ilumbra
