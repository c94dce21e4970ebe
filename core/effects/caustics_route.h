#pragma once
#include "core/effects/route.h"

namespace ilumbra {

/// Out of its lamps, onto what bends or mirrors the light, from there onto surfaces, and to the camera: measured by
/// photons of its own.
Route measureCausticsRoute(const DevelopedEffect& of);

/// Share of a developed picture's light that an effect of caustics makes, before the lens spreads it.
double causticsShare(const DevelopedEffect& of);

} // namespace ilumbra
