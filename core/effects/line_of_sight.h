#pragma once
#include "core/document/document.h"
#include "core/scene/scene.h"

#include <map>

namespace ilumbra {

/// What of the light that sources send towards the camera's side arrives there, and what becomes of the rest; lumens.
struct Sight {
  double sent = 0, arrives = 0;
  double outside = 0;               ///< out of frame
  double hidden = 0;                ///< switched off for the camera
  std::map<NodeId, double> blocked; ///< by who blocks it
  uint64_t rays = 0;
};

/// Rays from the camera to points spread over the sources (objects, lamps, materials), 1024 a body: what of the side
/// that faces the camera is in sight, and who hides the rest. Clear things and things the camera does not see let it
/// pass.
Sight lookAt(const Document& doc, double frame, const Scene& scene, const std::vector<const Node*>& sources);

} // namespace ilumbra
