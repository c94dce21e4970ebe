#pragma once
#include "core/scene/scene.h"

#include <set>

namespace ilumbra {

/// Where something is seen in the picture.
struct SeenAt {
  V2f at{0, 0}; ///< pixels of the scene's picture; of what is behind the camera, far outside
  float share =
      0; ///< of what would be seen of it alone: 1 in sight, 0 hidden, out of the film's back or behind the camera
  float depth = 0; ///< metres ahead of the camera
};

/// A thing and all that it holds or carries.
std::set<NodeId> heldBy(const Document& doc, NodeId thing);

/// Where a light, an object or one of its kind (with `thing` 0, a place of the set) is seen at a frame. What hides it
/// is what the camera sees and cannot look through; it is looked for at the scene's own frame alone, by a few dozen
/// rays. What lies beside the frame counts as seen.
SeenAt seenAt(const Document& doc, const Scene& scene, NodeId thing, const V3f& place, double frame);

} // namespace ilumbra
