#pragma once
#include <string_view>

namespace ilumbra {

/// The id of the material that lays one shared material over another.
inline constexpr std::string_view layeredMaterial = "material.layer";

} // namespace ilumbra
