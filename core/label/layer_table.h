#pragma once
#include "core/label/layer_query.h"

#include <map>
#include <set>

namespace ilumbra {

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
  /// What the constructor does: the bits of each thing, material, event and way of seeing, by the queries in `order`;
  /// then which sets of queries light can be in, and a cell for each.
  void fillBits(const std::vector<LayerQuery>& queries, const std::vector<size_t>& order,
                const std::vector<std::vector<NodeId>>& things, const std::vector<NodeId>& materials,
                const std::map<NodeId, NodeId>& onlyOn);
  std::set<uint32_t> cellSets(const std::vector<std::set<uint16_t>>& worn) const;
  void makeCells(const std::vector<size_t>& order, const std::set<uint32_t>& sets);

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
