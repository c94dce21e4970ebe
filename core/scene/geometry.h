#pragma once
#include "core/geometry/shape.h"

#include <embree3/rtcore.h>

namespace ilumbra {

/// A shape and its bottom-level Embree scene.
struct Geometry {
  Geometry(RTCDevice device, Shape shape);
  ~Geometry();
  Geometry(const Geometry&) = delete;
  Geometry& operator=(const Geometry&) = delete;
  /// True if the shape has an inside: a sphere, or a mesh without an open edge.
  bool closed() const;
  Shape shape;
  const Box3f bounds; ///< of the shape, over all times
  RTCScene scene = nullptr;

 private:
  mutable int m_closed = -1; ///< found out when it is first asked for, by the thread that compiles
};

} // namespace ilumbra
