#pragma once
#include <memory>
#include <string>

namespace ilumbra {

class Kinds;

/// Lens stages at 1920×1080 against copying that frame, each alone and the stack of a night shot.
void lensRatios(const std::shared_ptr<const Kinds>& kinds,
                void (*line)(const std::string&, const std::string&, const std::string&, const std::string&));

} // namespace ilumbra
