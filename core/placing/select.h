#pragma once
#include "core/base/tasks.h"
#include "core/document/document.h"
#include "core/pattern/assets.h"

namespace ilumbra {

/// All objects that wear one of these materials, or a material of one of these objects.
std::vector<NodeId> wearersOf(const Document& doc, const std::vector<NodeId>& things);
/// Of lights: the objects that take their light; of objects: the lights that shine on them, by what the lights are
/// linked to.
std::vector<NodeId> linkedBy(const Document& doc, const std::vector<NodeId>& things);

/// A part (render/part.h) of a thing: one that says the same already, or a new one. `copy`: from 1; 0: all. `material`:
/// 0: all of it.
Document withPart(const Document& doc, NodeId of, uint32_t copy, NodeId material, NodeId* part);

/// An object taken apart into its connected pieces: it keeps the largest, and each other becomes an object beside it,
/// with the same material and place. `made` receives all of them. Throws BadInput if it is one piece, or more than 64.
Document takenApart(const Document& doc, NodeId object, const Assets& assets, std::vector<NodeId>* made = nullptr,
                    const CancelFlag* cancel = nullptr);

/// An object whose cut faces have a material of their own, as two: it keeps the outside, and what came to light becomes
/// an object beside it that wears that material. (Imported models are one object for each material from the start.)
/// Throws BadInput if it has one material alone.
Document takenApartByMaterial(const Document& doc, NodeId object, std::vector<NodeId>* made = nullptr);

} // namespace ilumbra
