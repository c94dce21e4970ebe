#pragma once
#include "core/effects/route.h"

namespace ilumbra {

/// Share of a picture's light that the camera sees in the air of an effect's Through.
double airShare(const DevelopedEffect& of);

/// The route of an effect of light in the air: emitted, entering the air (or blocked by whom), turned there (or passing
/// on, or absorbed), and seen by the camera (or out of frame, hidden by whom, lost in air on its way). From 2048 rays a
/// light, the same each time.
Route measureAirRoute(const DevelopedEffect& of);

} // namespace ilumbra
