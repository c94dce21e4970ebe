#pragma once
#include "core/base/vec.h"
#include "core/document/document.h"

#include <map>

namespace ilumbra {

/// The mix: for each light group (a light, or a material with own light) a switch, solo, stops and a tint, over what the
/// light itself says. It traces no ray. `bakeMix` writes it into the lights.
Kind mixKind();
std::vector<Kind> allMixes();

/// The row of a light or material, or null: then its light is as the light says.
const Node* mixRow(const Document& doc, NodeId source);
/// Sets one parameter of the row of a source ("on", "solo", "stops", "tint"); the row is made when there is none, and goes
/// when it says nothing any more.
Document setMix(const Document& doc, NodeId source, std::string_view param, const Constant& value);
/// Every row taken away.
Document clearMix(const Document& doc);

/// What the amount of each light is multiplied by. While one is solo, all others are dark.
class Mix {
public:
  explicit Mix(const Document& doc, double frame);
  Color factor(NodeId source) const;
  bool anySolo() const { return m_solo; }

private:
  std::map<NodeId, Color> m_factors;
  bool m_solo = false;
};

/// Writes the mix into the lights and materials and takes the rows away: the picture stays as it is. Throws BadInput, naming
/// it, when a tint meets a colour that a pattern drives.
Document bakeMix(const Document& doc);

} // namespace ilumbra
