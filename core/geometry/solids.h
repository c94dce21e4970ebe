#pragma once
#include "core/geometry/mesh.h"

namespace ilumbra {

enum class Joining { Union, Cut, Common };

/// Two closed bodies made one: what either of them fills, what the first fills without the second, or what both fill. Normals and
/// texture coordinates come from where each piece was; in what is cut (and common) faces of the second are marked as
/// `inside`. Throws BadInput beginning with the name of the body that is open or crosses itself. By CGAL's corefinement.
Mesh joined(const Mesh& first, const Mesh& second, Joining how, const std::string& firstName, const std::string& secondName);

/// What lies on the side of a plane to which `normal` points is cut away; the cut is left open.
Mesh clipped(const Mesh& mesh, const V3f& point, const V3f& normal);

} // namespace ilumbra
