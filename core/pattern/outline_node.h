#pragma once
#include "core/pattern/plane_outline.h"
#include "core/pattern/shape.h"

#include <memory>

namespace ilumbra {

/// What closed lines in the x-y plane of a space hold. Inputs: the place, edge, outside, inside.
struct OutlineNode {
  static constexpr bool looks = true;
  static constexpr size_t inputs = 4;
  std::shared_ptr<const PlaneOutline> outline;
  V2f middle{0, 0};
  bool frontOnly = false; ///< only on what faces the object's own +z
  float wide = 1;         ///< what x is multiplied with: of a picture, its width by its height

  Sample4 one(const InputsOf<float>& in, const PatternPoint& at) const {
    if (frontOnly && !(at.normal.z > 0)) return in[2];
    return result(in, outline->inside(about({in[0].x, in[0].y}, at.evenScreen)));
  }
  // No distance changes faster than the place.
  Bounds4 operator()(const InputsOf<Interval>& in, const PointOf<Interval>& at) const {
    const V3f m = middleOf(in[0]);
    const float half = (halfDiagonal(in[0]) + 1e-6f) * std::max(1.0f, wide),
                d = outline->inside(about({m.x, m.y}, at.evenScreen));
    const Bounds4 there = result(in, numbers::outwards(d - half, d + half, 2));
    if (!frontOnly || at.normal.z.low > 0) return there;
    Bounds4 out;
    for (int k = 0; k < 4; ++k) out[k] = numbers::hull(there[k], in[2][k]);
    return out;
  }

 private:
  // A place about the middle, as wide as it is high.
  V2f about(const V2f& at, bool even) const {
    return {even && wide != 1 ? at.x - 0.5f - (middle.x - 0.5f) * wide : (at.x - middle.x) * wide, at.y - middle.y};
  }
  template <class T> ValuesOf<T> result(const InputsOf<T>& in, const T& inside) const {
    using namespace numbers;
    // Seen from afar, an edge is no wider than what is known of the way to it.
    const T widest(2 * outline->within());
    return ilumbra::between(in[2], in[3], edged(inside, min(in[1].x, widest), min(in[0].w, widest)));
  }
};

} // namespace ilumbra
