#pragma once
#include "core/effects/route.h"

namespace ilumbra {

/// Why things do not show as they should, apart from any effect: rules over the document and its compiled scene, and
/// rays where one must look. Each finding names the thing, its parameter and a mend:
///   a light inside a closed opaque object; clear matter that blocks light; clear or scattering matter on an open mesh;
///   clear matter of index 1; a scattering distance out of proportion to the body; a light without power, or far too
///   weak to be seen at the camera's exposure (a number in the wrong unit, mostly); and about_patterns.h.
std::vector<Finding> findThings(const Document& doc, double frame, const Scene& scene);

} // namespace ilumbra
