#include "core/label/layer_table.h"

#include "core/base/error.h"

#include <algorithm>
#include <fmt/format.h>

namespace ilumbra {
namespace {

bool has(const std::vector<NodeId>& list, NodeId id) { return std::find(list.begin(), list.end(), id) != list.end(); }

} // namespace

LayerTable::LayerTable(const std::vector<LayerQuery>& queries, const std::vector<std::vector<NodeId>>& things,
                       const std::vector<NodeId>& materials, const std::map<NodeId, NodeId>& onlyOn,
                       const std::vector<std::set<uint16_t>>& worn)
    : m_thing(things.size() + 1, 0), m_material(materials.size() + 1, 0), m_first(things.size() + 1, 0),
      m_wears(things.size() + 1, 0), m_wornBy(materials.size() + 1, 0) {
  std::vector<size_t> order; // of the look-ups' bits
  for (size_t q = 0; q < queries.size(); ++q)
    if (queries[q].apart && !queries[q].whole()) order.push_back(q);
  m_apart = int(order.size());
  if (m_apart > 12)
    throw badInput(
        fmt::format("lens stages take their light from {} different sets of sources; 12 are possible", m_apart));
  for (size_t q = 0; q < queries.size(); ++q)
    if (!queries[q].apart && !queries[q].whole()) order.push_back(q);
  m_others = int(order.size()) - m_apart;
  if (order.size() > 31) throw badInput(fmt::format("{} film layers are asked for; 31 are possible", order.size()));
  m_apartMask = (1u << m_apart) - 1;
  if (onlyOn.size() > 32)
    throw badInput(fmt::format("{} parts of a material on one object are asked for; 32 are possible", onlyOn.size()));
  fillBits(queries, order, things, materials, onlyOn);
  makeCells(order, cellSets(worn));
  m_layers.assign(queries.size(), (1u << cells()) - 1); // all light: every cell
  for (size_t k = 0; k < order.size(); ++k) {
    uint32_t& layers = m_layers[order[k]];
    if (int(k) >= m_apart) {
      layers = 1u << (cells() + int(k) - m_apart);
      continue;
    }
    layers = 0;
    for (int c = 0; c < cells(); ++c)
      if (m_inCell[size_t(c)] >> order[k] & 1) layers |= 1u << c;
  }
}

void LayerTable::fillBits(const std::vector<LayerQuery>& queries, const std::vector<size_t>& order,
                          const std::vector<std::vector<NodeId>>& things, const std::vector<NodeId>& materials,
                          const std::map<NodeId, NodeId>& onlyOn) {
  // Of a list that a query has, the names of a thing in it; without those that hold only where a material is worn.
  const auto names = [&](const std::vector<NodeId>& list, const std::vector<NodeId>& thing) {
    return std::any_of(thing.begin(), thing.end(), [&](NodeId id) { return !onlyOn.count(id) && has(list, id); });
  };
  for (const auto& [part, material] : onlyOn) {
    const uint32_t bit = 1u << m_asks.size();
    for (size_t i = 0; i < things.size(); ++i)
      if (has(things[i], part)) m_wears[i] |= bit;
    for (size_t i = 0; i < materials.size(); ++i)
      if (materials[i] == material) m_wornBy[i] |= bit;
    m_asks.push_back(0);
    for (size_t k = 0; k < order.size(); ++k)
      if (has(queries[order[k]].things, part)) m_asks.back() |= 1u << k;
  }
  for (size_t k = 0; k < order.size(); ++k) {
    const LayerQuery& query = queries[order[k]];
    const uint32_t bit = 1u << k;
    for (size_t i = 0; i < things.size(); ++i) {
      if (query.everything || names(query.things, things[i])) m_thing[i] |= bit;
      if (query.seenIn.empty() || names(query.seenIn, things[i])) m_first[i] |= bit;
    }
    for (uint8_t e : {EventEmitted, EventDirect, EventIndirect, EventCaustic})
      if (query.events & e) m_event[e] |= bit;
    if (!query.everything)
      for (size_t i = 0; i < materials.size(); ++i)
        if (has(query.materials, materials[i])) m_material[i] |= bit;
    for (uint32_t s = 0; s < 4; ++s)
      if ((s & query.seen) == query.seen &&
          (s == 0 ? query.direct : (!(s & SeenMirrored) || query.mirrored) && (!(s & SeenThrough) || query.through)))
        m_seen[s] |= bit;
  }
}

// Which sets of queries kept apart a light can be in. Not all of these need occur in the picture.
std::set<uint32_t> LayerTable::cellSets(const std::vector<std::set<uint16_t>>& worn) const {
  std::set<uint32_t> named, met, sets;
  for (uint16_t i = 0; i < m_thing.size(); ++i) {
    named.insert(m_thing[i] & m_apartMask); // a lamp, a sky or air, which wear nothing
    for (uint16_t j = 0; j < m_material.size(); ++j)
      if (worn.empty() || (i < worn.size() && worn[i].count(j)))
        named.insert((m_thing[i] | m_material[j] | partsAsk({.thing = i, .material = j})) & m_apartMask);
  }
  for (const uint32_t f : m_first) met.insert(f & m_apartMask);
  std::set<uint32_t> seen;
  for (const uint32_t s : m_seen)
    for (const uint8_t e : {EventEmitted, EventDirect, EventIndirect, EventCaustic})
      seen.insert(s & m_event[e] & m_apartMask);
  for (const uint32_t n : named)
    for (const uint32_t m : met)
      for (const uint32_t s : seen) sets.insert(n & m & s);
  sets.insert(0);
  return sets;
}

void LayerTable::makeCells(const std::vector<size_t>& order, const std::set<uint32_t>& sets) {
  if (sets.size() > 24 || sets.size() + size_t(m_others) > 32)
    throw badInput(fmt::format(
        "the sources of lens stages overlap in {} ways, with {} passes besides: 24 are possible, 32 with passes",
        sets.size(), m_others));
  m_cellOf.assign(size_t(1) << m_apart, 0);
  m_inCell.clear();
  for (const uint32_t set : sets) {
    m_cellOf[set] = uint8_t(m_inCell.size());
    m_inCell.push_back(0);
    for (int k = 0; k < m_apart; ++k)
      if (set >> k & 1) m_inCell.back() |= 1u << order[size_t(k)];
  }
}

} // namespace ilumbra
