#pragma once
#include "core/advise/route.h"

namespace ilumbra {

/// Out of its lamps, onto what bends or mirrors the light, from there onto surfaces, and to the camera: measured by photons of its own.
Route measureCausticsRoute(const Document& doc, const Node& effect, double frame, const Scene& scene, const Film& film, const std::vector<Color>& amounts, const LensResult& developed, const Tasks& tasks);

/// Share of the picture's light, before the lens, that effects of caustics make.
double causticsShare(const Scene& scene, NodeId effect, const Film& film, const std::vector<Color>& amounts, const Tasks& tasks);

} // namespace ilumbra
