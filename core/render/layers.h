#pragma once
#include "core/base/vec.h"
#include "core/document/value.h"

#include <map>
#include <set>
#include <string>
#include <vector>

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

/// A film layer is a question about labels: which light is kept. It is split by light group.
struct LayerQuery {
  std::string name;
  bool everything = false;                             ///< all light, whatever the lists say
  std::vector<NodeId> things;                          ///< light seen on these objects, or of these lights
  std::vector<NodeId> materials;                       ///< light seen on these materials
  bool direct = true, mirrored = true, through = true; ///< in which ways the thing may be seen
  std::vector<NodeId> seenIn; ///< only light that the camera sees in or through these; empty: anywhere
  uint8_t events = EventAny;  ///< EventBits that are kept
  /// The film keeps what it has in common with other such queries apart, so that lens stages can pass on shares of each
  /// other's light.
  bool apart = false;
  /// All light, without any condition.
  bool whole() const { return everything && direct && mirrored && through && seenIn.empty() && events == EventAny; }
  /// No light at all answers it.
  bool nothing() const { return !everything && things.empty() && materials.empty(); }
  /// The same question; the name does not matter, nor how it is kept.
  bool operator==(const LayerQuery& o) const {
    return everything == o.everything && things == o.things && materials == o.materials && direct == o.direct &&
           mirrored == o.mirrored && through == o.through && seenIn == o.seenIn && events == o.events;
  }
};

/// Passes by the way that light has come, which a film can be asked for besides: "emission" (own light and lamps, as
/// they are seen), "direct" (from a lamp, once scattered), "indirect" (scattered more often), "caustics" (from a lamp
/// over mirrors or clear things, once scattered): these four sum to all light; "mirrored" and "through" (what is seen
/// in mirrors only, and behind clear things only).
const std::vector<LayerQuery>& lightPasses();
const LayerQuery& causticsLayer();

/// Queries compiled against the things and materials of one scene: a label costs five look-ups. What the film stores
/// are layers: first cells, of which each light falls into one, told apart by the queries that are kept apart; then one
/// for each other query that is not all light. A query is answered by the sum of its layers.
class LayerTable {
 public:
  LayerTable() = default;
  /// `things`: for each the ids by which queries name it: itself, and the parts that it belongs to. `onlyOn`: of parts
  /// that are meant where one material is worn, that material. `worn`: for each thing the materials that can be seen on
  /// it; empty: any. At most 12 queries kept apart that make at most 24 cells, 32 layers in all, and 32 such parts;
  /// throws BadInput beyond.
  LayerTable(const std::vector<LayerQuery>& queries, const std::vector<std::vector<NodeId>>& things,
             const std::vector<NodeId>& materials, const std::map<NodeId, NodeId>& onlyOn = {},
             const std::vector<std::set<uint16_t>>& worn = {});
  /// One bit a layer that stores light with this label.
  uint32_t match(const Label& l) const {
    const uint32_t asked =
        (m_thing[l.thing] |
         (l.material == noMaterial ? 0 : m_material[l.material] | (m_asks.empty() ? 0 : partsAsk(l)))) &
        m_seen[l.seen & 3] & m_first[l.first] & m_event[l.event & 15];
    return 1u << m_cellOf[asked & m_apartMask] | asked >> m_apart << cells();
  }
  /// How many layers are stored.
  int size() const { return cells() + m_others; }
  int queries() const { return int(m_layers.size()); }
  int cells() const { return int(m_inCell.size()); }
  /// One bit a layer whose sum answers a query.
  uint32_t layers(int query) const { return m_layers[size_t(query)]; }
  /// The queries kept apart that a cell belongs to: one bit each, by their index.
  uint32_t queriesOf(int cell) const { return m_inCell[size_t(cell)]; }

 private:
  uint32_t partsAsk(const Label& l) const {
    uint32_t parts = m_wears[l.thing] & m_wornBy[l.material], queries = 0;
    for (size_t i = 0; parts; ++i, parts >>= 1)
      if (parts & 1) queries |= m_asks[i];
    return queries;
  }
  // Bits of the look-ups: the queries kept apart, then the others that have a layer of their own.
  int m_apart = 0, m_others = 0;
  uint32_t m_apartMask = 0;
  std::vector<uint8_t> m_cellOf = {0}; ///< by the bits of the queries kept apart
  std::vector<uint32_t> m_inCell = {0}, m_layers;
  std::vector<uint32_t> m_thing, m_material, m_first;
  std::vector<uint32_t> m_wears, m_wornBy, m_asks; ///< parts by thing, by material, and the queries that name each
  uint32_t m_seen[4] = {0, 0, 0, 0}, m_event[16] = {};
};

} // namespace ilumbra
