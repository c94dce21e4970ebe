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
  Shape shape;
  RTCScene scene = nullptr;
};

} // namespace ilumbra
