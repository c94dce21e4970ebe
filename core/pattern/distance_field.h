#pragma once
#include "core/base/vec.h"

#include <limits>

namespace ilumbra {

/// How far places are from the surfaces of some things. Immutable.
class DistanceField {
 public:
  virtual ~DistanceField() = default;
  /// Metres from a place of the world to the nearest surface; `within` if none is nearer than that, which is quicker
  /// to find out.
  virtual float distance(const V3f& world, float within = std::numeric_limits<float>::infinity()) const = 0;
  /// True if the place lies inside one of the bodies.
  virtual bool inside(const V3f& world) const = 0;
  /// The same for the same surfaces.
  virtual uint64_t key() const = 0;
};

} // namespace ilumbra
