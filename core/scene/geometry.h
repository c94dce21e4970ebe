#pragma once
#include "core/geometry/shape.h"
#include "core/pattern/body.h"
#include "core/scene/embree_handles.h"

#include <embree3/rtcore.h>
#include <mutex>

namespace ilumbra {

/// A shape and its bottom-level Embree scene; patterns measure it as it is at the opening of the shutter.
struct Geometry : PatternBody {
  Geometry(RTCDevice device, Shape shape);
  /// True if the shape has an inside: a sphere, or a mesh without an open edge.
  bool closed() const;
  float distance(const V3f& place, float within) const override;
  float chord(const V3f& place, const V3f& direction, float within) const override;
  uint32_t piece(const V3f& place) const override;
  bool painted(const V3f& place, V4f& color) const override;
  bool secondCoordinates(const V3f& place, V2f& uv) const override;
  Shape shape;
  const Box3f bounds; ///< of the shape, over all times
  EmbreeScene scene;

 private:
  /// What vertices have, between those of the triangle at a place.
  template <typename V> bool between(const std::vector<V>& of, const V3f& place, V& out) const;
  /// The triangle that is nearest to a place; `away` is how far it may be, and then how far it is.
  uint32_t nearest(const V3f& place, float& away) const;
  mutable std::once_flag m_pieced;
  mutable std::vector<uint32_t> m_pieces; ///< by triangle
  mutable int m_closed = -1;              ///< found out when it is first asked for, by the thread that compiles
};

} // namespace ilumbra
