#pragma once
#include "core/scene/scene.h"

#include <optional>

namespace ilumbra {

/// What is seen at a place of the picture.
struct Seen {
  V3f point{0.0f};
  V3f normal{0, 1, 0}; ///< unit, geometric, on the side that is seen
  V3f vertex{0.0f};    ///< the nearest corner of the triangle that is seen; of an exact sphere the point itself
  V3f centre{0.0f};    ///< of the object's box
  NodeId node = 0;
};

/// The nearest object that the camera sees at a place in pixels, `but` these things and what belongs to them aside.
std::optional<Seen> lookAt(const Scene& scene, float x, float y, const std::vector<NodeId>& but = {});
/// The same from any place in a direction (unit).
std::optional<Seen> lookFrom(const Scene& scene, const V3f& origin, const V3f& direction,
                             const std::vector<NodeId>& but = {});

/// The object or lamp seen at a place of the picture, given in pixels; `skip` counts what lies in front and is passed.
/// Returns the node, or 0, and the point.
NodeId pick(const Scene& scene, float x, float y, int skip, V3f& point, uint32_t* copy = nullptr);

} // namespace ilumbra
