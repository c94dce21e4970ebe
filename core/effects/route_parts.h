#pragma once
#include "core/effects/route.h"

#include <set>

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
/// Light of an effect's sources together.
struct Emitted {
  double lumens = 0;
  bool endless = false; ///< some of it comes from a sky or a sun, which have no end
  /// "1 600 lm", or `far` where all of it has no end.
  std::string reading(const char* far) const;
};
/// What lamps, objects and materials give; those that give none are told as findings of From.
Emitted emittedBy(const DevelopedEffect& of, const std::vector<const Node*>& sources, Route& route);
/// How much of what is seen in a pixel is among some things: `part` of `total`, both 0 where nothing is.
struct SeenShare {
  float part = 0, total = 0;
};
SeenShare seenAmong(const Film& film, size_t pixel, const Scene& scene, const std::set<NodeId>& things);
/// A loss to a thing by its name.
Loss lossTo(const Document& doc, NodeId thing, double share);
/// The greatest first, without those below a share.
void sortLosses(std::vector<Loss>& losses, double least = 0);
/// The effect's own switch told first, where it is off, and then the worst first.
Route finished(Route route, const DevelopedEffect& of, const char* role);
/// Adds to a finding what of an object, a light or a material must be set so that it gives light.
void mendDark(const Document& doc, double frame, const Node& n, Finding& f);
/// What stops light between a point and `far`: the first thing that does not let it by (`eye`: that the camera does not
/// look through), or 0. `distance` receives how far it got.
NodeId blocker(const Scene& scene, const RayCaster& rays, V3f from, const V3f& direction, float far, bool eye,
               float& distance);
/// The address of a value in text.
inline std::string at(const Node& n, const char* param) { return n.name + "." + param; }

} // namespace ilumbra
