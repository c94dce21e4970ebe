#pragma once
#include "core/base/vec.h"

namespace ilumbra {

/// The body on whose surface a point lies, as patterns measure it: all in its own space, in metres before its size.
/// Immutable; safe to ask from several threads.
class PatternBody {
 public:
  virtual ~PatternBody() = default;
  /// To the nearest of its surface; `within` if none is nearer than that.
  virtual float distance(const V3f& place, float within) const = 0;
  /// From a place on its surface, in a direction (unit), to where its surface is met next; `within` if that is further
  /// away or there is none.
  virtual float chord(const V3f& place, const V3f& direction, float within) const = 0;
  /// Which of the parts that hang together a place of its surface belongs to, from 0.
  virtual uint32_t piece(const V3f& place) const = 0;
  /// The colour painted on its vertices about a place of its surface, linear Rec. 709 and alpha; false: there is none.
  virtual bool painted(const V3f& place, V4f& color) const = 0;
  /// Its second texture coordinates there, v upwards; false: it has none.
  virtual bool secondCoordinates(const V3f& place, V2f& uv) const = 0;
};

} // namespace ilumbra
