#pragma once
#include "core/light/light.h"
#include "core/scene/instances.h"

#include <limits>

namespace ilumbra {

/// What can be sampled as a source of light: a lamp, a sky, or own light on one copy of an object.
struct Emitter {
  const Light* light = nullptr; ///< owned by Scene::lights; as it stands at mid-shutter
  MotionPtr motion;             ///< how it moves, rigidly; null: it stands still
  M44f rest;                    ///< of what moves: from the world at mid-shutter to its own space
  uint16_t group = 0;           ///< in Scene::groups
  uint16_t thing = 0;           ///< in Scene::things
  Color baked{1.0f};            ///< 1 for a group of its own; the amount where lights share a group
  float weight = 0;             ///< luminance of its amount, for choosing; never 0
  uint16_t switches = 0;        ///< of a sky: its Switches
  float range = std::numeric_limits<float>::infinity(); ///< metres at which its light has faded
  V3f centre{0.0f};                                     ///< of a light at finite distance: as its reach says
  float flux = 1;                                       ///< of the same: its rough lumens at unit power
  std::vector<bool> linked;                             ///< by thing: takes its light; empty: all do
  LightThrough clear = LightThrough::AsThings;          ///< whatever clear things say, its light gets through them so
  bool caustics = true;                                 ///< photons may carry its light

  LightThrough through(const InstancedObject& thing) const {
    return clear == LightThrough::AsThings ? thing.lightThrough : clear;
  }
  /// What of its light comes to a thing at a distance in metres: 0 to 1.
  float share(uint16_t thingThere, float distance) const {
    if (!linked.empty() && !linked[thingThere]) return 0;
    return rangeShare(distance, range);
  }
};

} // namespace ilumbra
