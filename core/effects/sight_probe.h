#pragma once
#include "core/base/vec.h"

#include <cstdint>
#include <map>
#include <set>
#include <vector>

namespace ilumbra {

class Scene;

/// One ray of the camera that meets a body first, and where its sight ends.
struct SightRay {
  V3f way;        ///< unit, of the camera's ray
  V3f place;      ///< where it meets the body
  V3f normal;     ///< shading normal there, on the camera's side
  float away = 0; ///< metres from the camera to there
  float cosine;   ///< between normal and camera
  float chord =
      0; ///< metres straight through the body to where it ends; 0: it has no inside, or the camera stands in it
  Color carried{0.0f};   ///< share of what it ends at that comes back along it, by channel; 0: it ends in the body
  bool mirrored = false; ///< by the first surface; otherwise let through it
  bool ends = false;     ///< on something, or out of the set; false: in the body
  int thing = -1;        ///< Scene::things that it ends at; -1: the sky
  uint32_t surfaces = 0; ///< mirrored or passed by so many
  V3f end;               ///< place it ends at; of the sky the direction, unit
};

/// What becomes of the camera's sight that meets some things first. The rays run through the scene's own surfaces and
/// bodies, by chance as paths do, a few thousand and the same each time.
struct SightProbe {
  double share = 0; ///< of the frame's area that the things take, as first met
  std::vector<SightRay> rays;
  Color mirrored{0.0f}, through{0.0f};    ///< shares of sight, by channel; what is missing to 1 stays in the bodies
  std::map<int, double> ends, mirroredTo; ///< luminance shares of `through` and of `mirrored` by thing; -1: the sky
  std::set<int> within;                   ///< things met on the straight way through the bodies
  uint64_t traced = 0;                    ///< rays
  Color kept() const { return Color(1.0f) - mirrored - through; }
};

/// `things`: of Scene::things. Nothing is met: no rays.
SightProbe probeSight(const Scene& scene, const std::set<uint16_t>& things);

} // namespace ilumbra
