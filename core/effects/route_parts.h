#pragma once
#include "core/effects/route.h"

namespace ilumbra {

class RayCaster;

// What the routes of all effects are put together from.

/// A share as it is told: "12 %", "0.3 %".
std::string percent(double share);
/// "Sun core", "Sun core and 2 more"; empty for none.
std::string names(const std::vector<const Node*>& nodes);
/// A node and what it carries; of a group, what it holds.
const Node* leaf(const Document& doc, NodeId id, std::vector<const Node*>& out);
/// Light that a thing gives, in lumens; of a sky and a sun, which have no end, 0.
double lumensOf(const Document& doc, double frame, const Scene& scene, const Node& n);
/// Adds to a finding what of an object, a light or a material must be set so that it gives light.
void mendDark(const Document& doc, double frame, const Node& n, Finding& f);
/// What stops light between a point and `far`: the first thing that does not let it by (`eye`: that the camera does not
/// look through), or 0. `distance` receives how far it got.
NodeId blocker(const Scene& scene, const RayCaster& rays, V3f from, const V3f& direction, float far, bool eye,
               float& distance);
/// The address of a value in text.
inline std::string at(const Node& n, const char* param) { return n.name + "." + param; }

} // namespace ilumbra
