#pragma once
#include "core/air/haze.h"
#include "core/effects/route.h"

namespace ilumbra {

/// Share of a picture's light that the camera sees in the air of an effect's Through.
double airShare(const Document& doc, const Node& effect, const Scene& scene, const Film& film,
                const std::vector<Color>& groupScales, const Picture& picture, const Tasks& tasks);

/// The route of an effect of light in the air: emitted, entering the air (or blocked by whom), turned there (or passing
/// on, or absorbed), and seen by the camera (or out of frame, hidden by whom, lost in air on its way). From 2048 rays a
/// light, the same each time.
Route measureAirRoute(const Document& doc, const Node& effect, double frame, const Scene& scene, const Film& film,
                      const std::vector<Color>& groupScales, const LensResult& developed, const Tasks& tasks);

} // namespace ilumbra
