#pragma once
#include "core/scene/media.h"
#include "core/transport/path_state.h"

namespace ilumbra {

/// What the media along a segment did to the path.
enum class Crossing { Passed, Scattered, Ended };

/// What the air before the path adds, and what it takes of what lies behind; or the path turns in it. `met`: what lies
/// `far` metres ahead; null: nothing, or it is not to be asked for its own light.
Crossing crossMedia(PathState& path, float far, NodeId body, const Hit* met);

/// The label of light that a haze has scattered so often.
Label mediumLabel(const PathState& path, const Medium& h, int times);

} // namespace ilumbra
