#pragma once
#include <string>

namespace ilumbra {

class SceneBuilder;

/// The mesh of the shade, as a GLB file.
std::string piercedShadeFile();
/// The lamp with its shade, stem and foot, and their materials; `position` is the core's centre.
void addSunCore(SceneBuilder& b, const char* position);

} // namespace ilumbra
