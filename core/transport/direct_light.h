#pragma once
#include "core/surface/bsdf.h"
#include "core/transport/path_state.h"

namespace ilumbra {

/// Next-event estimation: one lamp, and every sky. The lamp is resampled from a few candidates by what each would give
/// if nothing stood between (Talbot et al. 2005), so that among many lamps the ray goes where it matters. The weight
/// against hits by scattering takes the candidates' density: any weights that sum to 1 leave the mean alone.
void sampleDirectLight(PathState& path, const PathVertex& v, const ScatteringFunction& scatter);

/// What a wrapped material has of lamps and skies otherwise than by its cosine: its own body does not shade it.
void sampleWrappedLight(PathState& path, const PathVertex& v, const Bsdf& s);

} // namespace ilumbra
