#pragma once
#include "core/base/tasks.h"
#include "core/geometry/mesh_tools.h"

namespace ilumbra {

enum class Joining { Union, Cut, Common };

/// Two closed bodies made one: what either of them fills, what the first fills without the second, or what both fill.
/// Normals and texture coordinates come from where each piece was; in what is cut (and common) faces of the second are
/// marked as `inside`. Throws BadInput beginning with the name of the body that is open or crosses itself. By CGAL's
/// corefinement.
Mesh joined(const Mesh& first, const Mesh& second, Joining how, const std::string& firstName,
            const std::string& secondName);

/// What lies on the side of a plane to which `normal` points is cut away; the cut is left open.
Mesh clipped(const Mesh& mesh, const V3f& point, const V3f& normal);

/// Triangles that run through others, apart from corners and edges that they share. Throws Cancelled.
std::vector<uint32_t> crossingFaces(const Welded& mesh, const CancelFlag* cancel = nullptr);
/// A ring of points filled with triangles of its corners, with the least bending and area (Liepa 2003, by CGAL).
std::vector<Mesh::Triangle> filledRing(const std::vector<V3f>& ring);

} // namespace ilumbra
