#pragma once
#include "core/transport/path_state.h"

namespace ilumbra {

/// Invisible, but for what it takes: the ray goes on by the share of light that is not shadowed here, estimated by one
/// source chosen by its unshadowed light; light bounced from other things is added. False: nothing goes on.
bool catchShadow(PathState& path, const Hit& hit, const V3f& facing);

} // namespace ilumbra
