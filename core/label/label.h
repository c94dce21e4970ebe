#pragma once
#include <cstdint>

namespace ilumbra {

/// In which way a thing was seen: bits, both may be set.
enum SeenBits : uint8_t { SeenMirrored = 1, SeenThrough = 2 };

/// How light came to the thing on which it is seen: bits, one is set.
enum EventBits : uint8_t {
  EventEmitted = 1,  ///< the thing's own light, or a lamp's body
  EventDirect = 2,   ///< from a lamp, once scattered
  EventIndirect = 4, ///< scattered more often
  EventCaustic = 8,  ///< from a lamp over mirrors or clear things, once scattered
  EventAny = 15
};

/// Where a piece of light came from and where the camera saw it. Every contribution of a path carries one.
struct Label {
  uint16_t group = 0; ///< light group that sent it out
  uint16_t first = 0; ///< what the camera's ray met first: the mirror or the glass itself
  uint8_t event = EventEmitted;
  uint16_t thing = 0; ///< what the camera sees there, through mirrors and clear things: an object, or the light itself
  uint16_t material = 0; ///< of that thing; noMaterial for lights
  uint8_t seen = 0;      ///< SeenBits on the way to that thing
};
inline constexpr uint16_t noMaterial = 0xffff;

} // namespace ilumbra
