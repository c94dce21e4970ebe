#pragma once
#include "core/base/vec.h"
#include "core/document/document.h"

#include <compare>
#include <map>
#include <set>

namespace ilumbra {

/// The mix: for each light group (a light, or a material with own light) a switch, solo, stops and a tint, over what the
/// light itself says. It traces no ray. `bakeMix` writes it into the lights.
Kind mixKind();
std::vector<Kind> allMixes();

/// What a row speaks of.
struct MixSource {
  NodeId light = 0;  ///< a light, or a material with own light
  NodeId object = 0; ///< of a material whose row is split: the object whose own light it is; 0: all of it
  MixSource(NodeId l = 0, NodeId o = 0) : light(l), object(o) {}
  auto operator<=>(const MixSource&) const = default;
};

/// The row of a source, or null: then its light is as the light says.
const Node* mixRow(const Document& doc, const MixSource& source);
/// Sets one parameter of the row of a source ("on", "solo", "stops", "tint", "split"); the row is made when there is none, and
/// goes when it says nothing any more.
Document setMix(const Document& doc, const MixSource& source, std::string_view param, const Constant& value);
/// Gives the own light of each object of this material a light group and a row of its own, or joins them again to one.
Document splitMix(const Document& doc, NodeId material, bool split);
/// For each material the objects that have it, or a layered one that it is part of, by tree order.
std::map<NodeId, std::vector<NodeId>> objectsByMaterial(const Document& doc, double frame);
/// Every row taken away.
Document clearMix(const Document& doc);

/// What the amount of each light is multiplied by. While one is solo, all others are dark.
class Mix {
public:
  explicit Mix(const Document& doc, double frame);
  Color factor(const MixSource& source) const;
  bool anySolo() const { return m_solo; }
  /// True if each object of the material has a light group of its own.
  bool isSplit(NodeId material) const { return m_split.count(material) > 0; }

private:
  std::map<MixSource, Color> m_factors;
  std::set<NodeId> m_split;
  bool m_solo = false;
};

/// Writes the mix into the lights and materials and takes the rows away: the picture stays as it is. Throws BadInput, naming
/// it, when a tint meets a colour that a pattern drives, or a split row a part of a layered material.
Document bakeMix(const Document& doc);

} // namespace ilumbra
