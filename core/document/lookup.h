#pragma once
#include "core/document/document.h"

namespace ilumbra {

/// What edits and addresses look up first. Throw BadInput, naming what there is not and the nearest that there is.
const Node& need(const Document& doc, NodeId id);
const ParamDef& needParam(const Node& n, std::string_view param);
/// What a use of a shared thing may set for itself: one of its named inputs or, if it has none, any of its parameters.
/// Null: there is no such input.
const ParamDef* inputDefinition(const Node& shared, const std::string& input);

} // namespace ilumbra
