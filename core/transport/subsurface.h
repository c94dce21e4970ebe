#pragma once
#include "core/transport/path_state.h"

namespace ilumbra {

/// True if the path scatters within the next `distance` metres. The way is sampled by one channel, chosen by what the
/// path still carries, and weighed over all three.
bool walkSubsurface(PathState& path, float distance, const Interior& in);

/// Out of a scattering body, evenly to all sides but for what the boundary keeps. False: the path ends.
bool leaveSubsurface(PathState& path, const Hit& hit, const ShadingPoint& g);

} // namespace ilumbra
