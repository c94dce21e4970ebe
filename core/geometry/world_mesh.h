#pragma once
#include "core/geometry/form.h"

namespace ilumbra {

/// Where all copies of a thing stand in the world, forms of what repeats made for it.
std::vector<M44f> placesOf(const Node& node, const BuildFrom& from);
/// A form at all its places as one mesh in the world: positions and triangles that face as the thing does. The form's
/// own copies are taken to be among the places. Throws BadInput beyond `most` triangles.
Mesh worldMesh(const Node& node, Form form, const std::vector<M44f>& places, size_t most = 20'000'000);

} // namespace ilumbra
