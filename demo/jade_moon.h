#pragma once
#include <string>

namespace ilumbra {

class SceneBuilder;

/// The mesh of the urn, as a GLB file.
std::string alabasterUrnFile();
/// The urn with a light inside, and their materials; `position` is its foot.
void addAlabasterUrn(SceneBuilder& b, const char* position);

} // namespace ilumbra
