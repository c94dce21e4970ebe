#pragma once
#include "core/document/edit.h"

namespace ilumbra {

/// What an effect puts over the materials of its objects: another material, by a mask.
struct Dress {
  NodeId mask = 0;  ///< the pattern; of one effect alone: by it the layers are known again
  NodeId above = 0; ///< the material
  std::string name; ///< of the effect, for what is made
  /// What each object may set for itself: inputs of the layer. Those of what it wore are passed on too.
  std::vector<NamedInput> inputs = {};
};

/// The objects, groups by all that they hold, wear the dress over what they wore, and no others do: those that wore it
/// wear again what is below. Objects that share a material share the layer over it.
Document dressed(const Document& doc, const std::vector<NodeId>& objects, const Dress& dress);

/// The document without an effect: what its objects wore below its look is theirs again.
Document withoutEffect(const Document& doc, NodeId effect);

/// Objects among things, groups by all that they hold.
std::vector<NodeId> objectsAmong(const Document& doc, const std::vector<NodeId>& things);

} // namespace ilumbra
