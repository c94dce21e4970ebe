#pragma once
#include "core/document/document.h"

namespace ilumbra {

/// What edits and addresses look up first. Throw BadInput, naming what there is not and the nearest that there is.
const Node& need(const Document& doc, NodeId id);
const ParamDef& needParam(const Node& n, std::string_view param);

} // namespace ilumbra
