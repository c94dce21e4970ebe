#pragma once
#include "core/transport/path_state.h"

namespace ilumbra {

/// Scatters at a surface. False: the path ends.
bool scatterAtSurface(PathState& path, const Hit& hit, const ShadingPoint& g);

} // namespace ilumbra
