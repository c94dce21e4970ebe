#pragma once
#include "core/effects/route.h"

namespace ilumbra {

/// Out of its lamps, onto what bends or mirrors the light, from there onto surfaces, and to the camera: measured by
/// photons of its own.
Route measureCausticsRoute(const Document& doc, const Node& effect, double frame, const Scene& scene, const Film& film,
                           const std::vector<Color>& groupScales, const LensResult& developed, const Tasks& tasks);

/// Share of a developed picture's light that an effect of caustics makes, before the lens spreads it.
double causticsShare(const Scene& scene, NodeId effect, const Film& film, const std::vector<Color>& groupScales,
                     const Picture& picture, float exposure, const Tasks& tasks);

} // namespace ilumbra
