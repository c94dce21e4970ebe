#pragma once
#include "core/geometry/shape.h"
#include "core/scene/embree_handles.h"

#include <embree3/rtcore.h>

namespace ilumbra {

/// A shape and its bottom-level Embree scene.
struct Geometry {
  Geometry(RTCDevice device, Shape shape);
  /// True if the shape has an inside: a sphere, or a mesh without an open edge.
  bool closed() const;
  Shape shape;
  const Box3f bounds; ///< of the shape, over all times
  EmbreeScene scene;

 private:
  mutable int m_closed = -1; ///< found out when it is first asked for, by the thread that compiles
};

} // namespace ilumbra
