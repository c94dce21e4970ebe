#pragma once
#include "core/effects/route.h"

namespace ilumbra {

/// Why patterns on materials do not show as they should, looked up on an object that wears each: one that gives more
/// than its parameter takes, or less; one that is far larger or finer than the object; one that lies in texture
/// coordinates that are not there, or in which a seam shows; edges or crevices where the object has none in reach.
void aboutPatterns(const Document& doc, double frame, const Scene& scene, std::vector<Finding>& out);

} // namespace ilumbra
