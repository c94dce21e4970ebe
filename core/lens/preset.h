#pragma once
#include "core/lens/stage.h"

namespace ilumbra {

/// What a look or a preset may change of a stage: not whether it is on, not what it takes its light from, not where it
/// acts and what it follows.
bool belongsToLook(const ParamDef& def);
/// The stage with a look: what else belongs to looks goes back to its default, amount and blend too.
Document withLook(const Document& doc, NodeId stage, const StageLook& look);

/// The stack in another order; stages that are not named stay at the end.
Document inOrder(const Document& doc, const std::vector<NodeId>& stages);

/// A document of this one stage, with its areas, curves and patterns, but of nothing in its scene: to be kept as a
/// file.
Document stagePreset(const Document& doc, NodeId stage);
/// Takes the values, curves and elements of a preset of the same kind; sources, areas and anchors stay. Throws BadInput
/// if the file holds no such stage.
Document withPreset(const Document& doc, NodeId stage, const Document& preset);
/// Adds all stages of a preset, or of any document, at the end of the stack, without what they name of their scene: of
/// each other they go on.
Document addPreset(const Document& doc, const Document& preset, std::vector<NodeId>* made = nullptr);

} // namespace ilumbra
