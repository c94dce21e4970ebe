#pragma once
#include "core/document/document.h"
#include "core/pattern/plane_outline.h"

namespace ilumbra {

// A closed line that is drawn by points: the children of its slot "points", in their order.

/// A point of it: x to the right, y up, about its middle, in the units of where it lies (shares of the picture's height
/// in the picture).
struct OutlinePoint {
  V2f place;
  bool sharp = false;
};
/// Kind of a point, by what a change of it makes necessary.
Kind outlinePointKind(const char* id, Invalidation stage);
/// Parameters of its size and turn, degrees to the left.
std::vector<ParamDef> outlineParams(Invalidation stage);
/// Its own points, or those that it comes with while it has none.
std::vector<OutlinePoint> outlinePoints(const Document& doc, const Node& drawn, double frame);
/// The closed line through points: round, but at sharp ones. Empty with fewer than three.
std::vector<V2f> outlineRing(const std::vector<OutlinePoint>& points);
/// Where a point lies about the middle when size and turn are as the parameters say.
V2f placedPoint(const V2f& point, const Params& drawn);
/// And back.
V2f unplacedPoint(const V2f& place, const Params& drawn);

/// Where the middle of a pattern's outline lies in the picture: shares of its width and height, from its bottom left
/// corner, about the thing that it follows.
V2f outlineMiddle(const Document& doc, const Node& pattern, double frame);

} // namespace ilumbra
