#pragma once
#include "core/base/vec.h"
#include "core/document/document.h"

#include <compare>
#include <map>
#include <optional>
#include <set>

namespace ilumbra {

/// The balance: for each light group (a light, or a material with own light) a switch, solo, stops and a tint, over
/// what the light itself says. It traces no ray. `writeBalance` writes it into the lights.
Kind balanceKind();
std::vector<Kind> allBalances();

/// What a row speaks of.
struct BalanceSource {
  NodeId light = 0;  ///< a light, or a material with own light
  NodeId object = 0; ///< of a material whose row is split: the object whose own light it is; 0: all of it
  uint32_t copy = 0; ///< of a light, or an object's own light, whose copies are split: which of them, from 1; 0: all
  BalanceSource(NodeId l = 0, NodeId o = 0, uint32_t c = 0) : light(l), object(o), copy(c) {}
  auto operator<=>(const BalanceSource&) const = default;
};

/// The row of a source, or null: then its light is as the light says.
const Node* balanceRow(const Document& doc, const BalanceSource& source);
/// The layer that its light leaves in, in files with the passes of lights: that of its row, or else its own name. It
/// goes with the light that the row of all of it names, where the row of a part names none.
std::string layerOfLight(const Document& doc, const BalanceSource& source, const std::string& name);
/// Whether the artist wants a row of its own to act on frames that are kept: null if nothing is said.
std::optional<bool> liveInPlay(const Document& doc, const BalanceSource& source);
/// Sets one parameter of the row of a source ("on", "solo", "stops", "tint", "split", "live", "layer"); the row is made
/// when there is none, and goes when it says nothing any more.
Document setBalance(const Document& doc, const BalanceSource& source, std::string_view param, const Constant& value);
/// Gives each part of a source a light group and a row of its own, or joins them again to one: of a material's own
/// light that of each object; of one object's, and of a light, each of its `copies`.
Document splitBalance(const Document& doc, const BalanceSource& source, bool split, uint32_t copies = 0);
/// For each material the objects that have it, or a layered one that it is part of, by tree order.
std::map<NodeId, std::vector<NodeId>> objectsByMaterial(const Document& doc, double frame);
/// Every row as its light says; what it says of files and of playing stays.
Document withoutBalance(const Document& doc);

/// What the amount of each light is multiplied by. While one is solo, all others are dark.
class Balance {
 public:
  explicit Balance(const Document& doc, double frame);
  Color factor(const BalanceSource& source) const;
  const std::set<BalanceSource>& split() const { return m_split; }
  bool anySolo() const { return m_solo; }
  /// True if each part of the source has a light group of its own.
  bool isSplit(const BalanceSource& source) const { return m_split.count(source) > 0; }
  /// The source that one copy of a light, or of an object with this own light, belongs to.
  BalanceSource ofLight(NodeId light, uint32_t copy) const { return {light, 0, isSplit(light) ? copy : 0}; }
  BalanceSource ofOwnLight(NodeId material, NodeId object, uint32_t copy) const {
    if (!isSplit(material)) return material;
    return {material, object, isSplit({material, object}) ? copy : 0};
  }

 private:
  std::map<BalanceSource, Color> m_factors;
  std::set<BalanceSource> m_split;
  bool m_solo = false;
};

/// Writes the balance into the lights and materials and takes the rows away: the picture stays as it is. Throws
/// BadInput, naming it, when a tint meets a colour that a pattern drives, or a split row a part of a layered material.
Document writeBalance(const Document& doc);

} // namespace ilumbra
