#pragma once
#include "core/effects/route.h"

namespace ilumbra {

/// Out of its sources, past what stands before them to the camera, and through its lens stages.
Route measureGlowRoute(const DevelopedEffect& of);

} // namespace ilumbra
