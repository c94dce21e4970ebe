#pragma once
#include "core/document/value.h"
#include "core/label/label.h"

#include <string>
#include <vector>

namespace ilumbra {

/// A film layer is a question about labels: which light is kept. It is split by light group.
struct LayerQuery {
  std::string name;
  bool everything = false;                             ///< all light, whatever the lists say
  std::vector<NodeId> things;                          ///< light seen on these objects, or of these lights
  std::vector<NodeId> materials;                       ///< light seen on these materials
  bool direct = true, mirrored = true, through = true; ///< in which ways the thing may be seen
  uint8_t seen = 0;                                    ///< SeenBits that the way to the thing must have
  std::vector<NodeId> seenIn; ///< only light that the camera sees in or through these; empty: anywhere
  uint8_t events = EventAny;  ///< EventBits that are kept
  /// The film keeps what it has in common with other such queries apart, so that lens stages can pass on shares of each
  /// other's light.
  bool apart = false;
  /// All light, without any condition.
  bool whole() const {
    return everything && direct && mirrored && through && seen == 0 && seenIn.empty() && events == EventAny;
  }
  /// No light at all answers it.
  bool nothing() const { return !everything && things.empty() && materials.empty(); }
  /// The same question; the name does not matter, nor how it is kept.
  bool operator==(const LayerQuery& o) const {
    return everything == o.everything && things == o.things && materials == o.materials && direct == o.direct &&
           mirrored == o.mirrored && through == o.through && seen == o.seen && seenIn == o.seenIn && events == o.events;
  }
};

/// Passes by the way that light has come, which a film can be asked for besides: "emission" (own light and lamps, as
/// they are seen), "direct" (from a lamp, once scattered), "indirect" (scattered more often), "caustics" (from a lamp
/// over mirrors or clear things, once scattered): these four sum to all light; "mirrored" and "through" (what is seen
/// in mirrors only, and behind clear things only).
const std::vector<LayerQuery>& lightPasses();
const LayerQuery& causticsLayer();

} // namespace ilumbra
