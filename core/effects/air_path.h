#pragma once
#include "core/document/document.h"
#include "core/scene/scene.h"

#include <map>
#include <set>

namespace ilumbra {

/// What becomes of light that is sent towards air: sums of weights (lumens), each of the one before it.
struct AirPath {
  double sent = 0, meets = 0, enters = 0;
  double scatters = 0, absorbs = 0, passes = 0; ///< of what enters
  double seen = 0, outside = 0, dimmed = 0;     ///< of what is scattered: arrives, is out of frame, is lost on its way
  double depth = 0;                             ///< optical depth of what enters, weighted
  double near = 0;                              ///< of what is blocked: within a hand of where the air begins
  std::map<NodeId, double> blocked;             ///< before it enters, by whom
  std::map<NodeId, double> hides;               ///< of what is scattered, by whom
  bool inside = false;                          ///< the camera is in the air
  uint64_t rays = 0;
};

/// 2048 rays out of each of the lights (or, of what is far away, back from the air towards it), through some hazes of
/// the scene, the same each time.
AirPath followThroughAir(const Scene& scene, const std::set<NodeId>& lights, const std::set<NodeId>& hazes);

} // namespace ilumbra
