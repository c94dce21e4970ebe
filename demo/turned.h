#pragma once
#include "core/geometry/shape.h"

#include <string>

namespace ilumbra {

/// A closed body of revolution about y through `profile`: (radius, height) in metres along the section, from the axis
/// below along the outside and, for a vessel, back down along the inside to the axis; smooth, but at points given
/// twice.
Mesh turnedBody(const std::vector<V2f>& profile, int segments);
/// A curve through points (Catmull–Rom), each stretch in so many steps.
std::vector<V2f> smoothProfile(const std::vector<V2f>& points, int steps);
/// A file with one such body.
std::string turnedFile(const std::string& name, const std::vector<V2f>& profile, int segments);

} // namespace ilumbra
