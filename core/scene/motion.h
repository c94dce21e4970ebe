#pragma once
#include "core/base/vec.h"

#include <functional>
#include <memory>
#include <vector>

struct RTCQuaternionDecomposition;

namespace ilumbra {

/// How something is placed while the shutter is open: at equal steps of time it is turned, sheared and sized, and
/// moved; between two steps the turn goes along the shortest arc at even speed and all else straight, just as Embree
/// has it for instances given by RTCQuaternionDecomposition.
class Motion {
 public:
  Motion() = default;
  /// Placements (object to world, regular) at equal steps from the shutter's opening to its close: two at least.
  explicit Motion(const std::vector<M44f>& placements);
  /// `time`: 0 where the shutter opens, 1 where it closes.
  M44f at(float time) const;
  /// The same without size and shear.
  Motion rigid() const;
  int steps() const { return int(m_steps.size()); }
  void fill(int step, RTCQuaternionDecomposition& out) const;

 private:
  struct Step {
    float r, i, j, k; ///< quaternion
    V3f move;
    V3f x, y, z; ///< images of the axes before the turn: upper triangular
  };
  Step between(float time) const;
  std::vector<Step> m_steps;
};
/// The turn and the move of a placement alone.
M44f rigidPart(const M44f& placement);
using MotionPtr = std::shared_ptr<const Motion>;

/// The motion of a placement that is a function of the frame, from `open` to `close`; as many steps as it takes to
/// follow it to a thousandth of its way, at most 65. `radius`: how far from its origin the body reaches, in its own
/// metres. Null if it stands still, or is without a body at some time.
MotionPtr motionOf(const std::function<M44f(double frame)>& placement, double open, double close, float radius);

} // namespace ilumbra
