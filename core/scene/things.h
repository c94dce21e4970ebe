#pragma once
#include "core/document/value.h"

#include <algorithm>
#include <set>
#include <string>
#include <vector>

namespace ilumbra {

/// Something that can be seen and named: an object or a light, or those of its copies that are in the same parts.
struct Thing {
  NodeId node = 0;
  std::string name;
  std::vector<NodeId> parts = {}; ///< the parts (compile/part.h) that it belongs to
  /// True if it, or a part that it belongs to, is one of these.
  bool among(const std::set<NodeId>& ids) const {
    return ids.count(node) > 0 || std::any_of(parts.begin(), parts.end(), [&](NodeId p) { return ids.count(p) > 0; });
  }
};

/// Light that is mixed together after rendering: a light of its own, or all that a material gives.
struct LightGroup {
  std::string name;
  NodeId node = 0;    ///< the light or the material; 0: of lights that share the last group
  Reference material; ///< of own light: the use it stands for
  NodeId object = 0;  ///< of own light that is split in the balance: whose it is; 0: it is not split so
  uint32_t copy = 0;  ///< of light whose copies are split in the balance: which, from 1; 0: they are not
};

/// What an object takes part in; of a sky SwitchSeen, SwitchMirrored and SwitchThrough.
enum Switches : uint16_t {
  SwitchSeen = 1,             ///< the camera sees it straight,
  SwitchMirrored = 2,         ///< in mirrors,
  SwitchThrough = 4,          ///< behind clear things
  SwitchShadow = 8,           ///< it stops light of lamps
  SwitchTakesLight = 16,      ///< lamps light it
  SwitchLightsOthers = 32,    ///< its own light falls on other things
  SwitchCutsOut = 64,         ///< it is a hole in the picture's alpha
  SwitchCatches = 128,        ///< it is not seen itself: it shows the shadows and the light that fall on it
  SwitchMirrorsNothing = 256, ///< where it would mirror, it is dark
  SwitchKeepsLightOut = 512   ///< no light enters its body, nor passes it as a sheet
};

/// How light of lamps gets through an object's clear matter: not at all; on a straight line by Fresnel and absorption;
/// or only bent, as paths (and photons) find it. A lamp may say so itself, or leave it to each thing.
enum class LightThrough : uint8_t { Straight, Focused, Blocked, AsThings };

} // namespace ilumbra
