#pragma once
#include "core/document/document.h"

#include <string>
#include <vector>

namespace ilumbra {

/// A document of an effect as a look: its numbers and what it is made of (lens stages, materials, patterns, zones, air
/// and lamps), without the objects that it is put on.
Document effectCutting(const Document& doc, NodeId effect);

/// A new effect as addEffect() makes it, with the looks of one that effectCutting() gave: the numbers of all that is
/// made for it are those of its counterpart there, as are its patterns. Where things stand and what they belong to is
/// the new effect's, and nothing that was in the document before is changed. `told` as in addEffect(). Throws BadInput
/// where the file holds no effect.
Document addKeptEffect(const Document& doc, const Document& kept, const std::vector<NodeId>& selection, NodeId* made,
                       std::vector<std::string>* told);

} // namespace ilumbra
