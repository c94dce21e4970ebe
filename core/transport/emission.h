#pragma once
#include "core/transport/path_state.h"

namespace ilumbra {

// Light that a path meets, weighed against what was sampled of the same lamp at its last point (multiple importance
// sampling, Veach 1997, 9.2).

/// Of the skies, and of a plate that clear things show in front of them.
void addSky(PathState& path);

/// Of the body of a lamp.
void addLamp(PathState& path, const Hit& hit);

/// Of a material with own light.
void addEmission(PathState& path, const Hit& hit, const Material& m, const PatternPoint& at, const Color& throughput);

} // namespace ilumbra
