#pragma once
// Only for the sources that read and write JSON: nlohmann's header is heavy.
#include "core/document/document.h"

#include <nlohmann/json.hpp>

namespace ilumbra {

using Json = nlohmann::ordered_json;

Json jsonOf(const Value& value);
/// Throws BadInput; `place` begins the message.
Value valueOf(const ParamDef& def, const Json& json, const std::string& place);

} // namespace ilumbra
