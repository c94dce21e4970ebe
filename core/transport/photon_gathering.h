#pragma once
#include "core/scene/media.h"
#include "core/transport/path_state.h"

namespace ilumbra {

/// Light that photons have brought here.
void gatherPhotons(PathState& path, const PathVertex& v, const ScatteringFunction& scatter);

/// Light that photons carry through the air that the path passes.
void gatherPhotonBeams(PathState& path, const RayMedia& way, float end, NodeId body);

} // namespace ilumbra
