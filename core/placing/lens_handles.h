#pragma once
#include "core/placing/handles.h"

namespace ilumbra {

/// The handles of a lens stage in the picture: the halo's edge, a streak's end, a ring, the hinge line with its reach,
/// the centre of shafts and what else is anchored, and of the areas that it is confined to their middle, size and turn;
/// of an area itself, or of an outline that is drawn in the picture, its own. What goes out from a source stands at the
/// first of the stage's sources that is seen, or else in the middle of the frame.
std::vector<Handle> lensHandles(const Document& doc, const Node& stage, double frame, const Scene& scene);

/// True of what is drawn in the picture by points: an area of a lens stage, or a pattern that lies in the picture. Its
/// points are handles, and between two of them new ones can be pulled out; the first drag gives it points of its own.
bool isOutline(const Node& node, double frame);
/// One more point, halfway between the last and the first.
Document addOutlinePoint(const Document& doc, NodeId drawn, double frame);
/// A point set at a place of the picture, after the last.
Document drawOutlinePoint(const Document& doc, NodeId drawn, double frame, const Scene& scene, const V2f& at,
                          bool sharp);

} // namespace ilumbra
