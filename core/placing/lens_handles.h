#pragma once
#include "core/placing/handles.h"

namespace ilumbra {

/// The handles of a lens stage in the picture: the halo's edge, a streak's end, a ring, the hinge line with its reach,
/// the centre of shafts and what else is anchored, and of the areas that it is confined to their middle, size and turn;
/// of an area itself its own. What goes out from a source stands at the first of the stage's sources that is seen, or
/// else in the middle of the frame.
std::vector<Handle> lensHandles(const Document& doc, const Node& stage, double frame, const Scene& scene);

} // namespace ilumbra
