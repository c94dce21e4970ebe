#pragma once
#include "core/geometry/mesh.h"

#include <string>

namespace ilumbra {

/// A model file (glTF binary) with one part alone.
std::string partFile(const std::string& name, Mesh mesh);

} // namespace ilumbra
