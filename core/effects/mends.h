#pragma once
#include "core/effects/route.h"

namespace ilumbra {

/// How what encloses a lamp is opened to its light: made glass, where its material is its own, or passed by lamps.
std::vector<Mend> opened(const Document& doc, double frame, const Node& shell);

} // namespace ilumbra
