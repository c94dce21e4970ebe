#pragma once
#include "core/transport/path_state.h"

namespace ilumbra {

// Light that a path meets, weighed against what was sampled of the same lamp at its last point (multiple importance
// sampling, Veach 1997, 9.2).

// What the camera's own ray meets is Film::addCertain()'s, as far as it is sharp.

/// Of the skies, and of a plate that clear things show in front of them.
void addSky(PathState& path);

/// Of the body of a lamp.
void addLamp(PathState& path, const Hit& hit);

/// Of a material with own light.
void addEmission(PathState& path, const Hit& hit, const Material& m, const PatternPoint& at, const Color& throughput);

/// Of what the path's ray meets (null: the skies), if that shines itself and only its own light need be known of it:
/// for a path that is turned aside in the air before. Adds it only with `add`; false: there is none, or it is not so
/// simple.
bool addOwnLightAhead(PathState& path, const Hit* hit, bool add);

} // namespace ilumbra
