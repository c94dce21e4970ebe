#pragma once
#include "core/base/vec.h"
#include "core/document/document.h"

namespace ilumbra {

// What goes along a drawn path: groups have these parameters.

/// A point that a line is drawn by: of a path in its space; of a profile (radius, height, 0).
struct LinePoint {
  V3f place{0.0f};
  bool sharp = false; ///< the line turns there at once
};
/// The points of a path (an object with points, "closed" and "steps"), in its own space: those in its slot or, as long
/// as there are none, an arc to try things on.
std::vector<LinePoint> pathPoints(const Document& doc, const Params& path);
/// The line through them, in pieces; closed if its ends are the same. Empty if there are fewer than two points.
/// `finest`: pieces from one smooth point to the next at least, whatever the path says.
std::vector<V3f> pathLine(const Document& doc, const Params& path, int finest = 0);

std::vector<ParamDef> followParams();
/// The path that a thing follows; null: none, or one that goes along with what follows it.
const Node* followedPath(const Document& doc, const Node& thing, double frame);
/// From the space that a follower's own placement is in to that of what holds it: where it is on its path, +z along it
/// where it turns along. The identity for what follows none.
M44f followMatrix(const Document& doc, const Node& thing, double frame);
/// In metres, in the world; 0 without a path.
double pathLength(const Document& doc, const Node& thing, double frame);

} // namespace ilumbra
