#pragma once
#include "core/placing/handles.h"

namespace ilumbra {

/// What is set of a thing's movement, in the picture: the keys of its place, but for the one at this frame; of its
/// movers what their kinds declare (MoverKind::handles), such as the end of a bob's way, the middle of an orbit, a
/// swing's arc; the points of the path that it follows. None of what is locked. Those behind the camera are left out.
std::vector<Handle> motionHandles(const Document& doc, const Node& thing, double frame, const Camera& camera);

} // namespace ilumbra
