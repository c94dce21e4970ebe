#pragma once
#include "core/base/vec.h"
#include "core/document/document.h"

namespace ilumbra {

// Where things stand.

inline V3f vec(const Triple& t) { return {float(t[0]), float(t[1]), float(t[2])}; }

/// Position, turn, size and what hides and locks: of what has a place of its own.
std::vector<ParamDef> placementParams();
/// Own-to-parent matrix from the placement parameters, and from the path that it follows (follow.h).
M44f placementOf(const Document& doc, const Node& node, double frame);
/// Own-to-world matrix through all groups that hold the node.
M44f worldMatrix(const Document& doc, const Node& node, double frame);

/// Local-to-world for something that stands at `position` and looks at `target` along -z, with its own roll.
M44f aimMatrix(const Params& params);
/// Own-to-world matrix of anything that stands somewhere: a camera or lamp by its aim, or its place alone.
M44f standingMatrix(const Document& doc, const Node& node, double frame);

/// Unit vector towards a body in the sky: degrees above the horizon, and around the vertical from -z (behind the set)
/// towards +x.
V3f skyBody(float height, float bearing);

} // namespace ilumbra
