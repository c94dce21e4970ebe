#pragma once
#include "core/effects/route.h"
#include "core/effects/sight_route.h"

namespace ilumbra {

/// Of what is mirrored, onto what mirrors it, into the picture.
Route measureReflection(const DevelopedEffect& of);

} // namespace ilumbra
