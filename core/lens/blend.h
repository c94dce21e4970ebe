#pragma once
#include <string>
#include <vector>

namespace ilumbra {

/// How a stage's light comes to lie over the picture's: the usual arithmetic, channel by channel on linear light. Light
/// has no upper end: `screen` and `overlay` are the usual formulas up to 1 and go on without a step beyond: a screen of
/// light above 1 is the brighter of the two, and an overlay leaves what is above 1 below it as it is.
enum class LensBlend { Add, Screen, Lighter, Multiply, Overlay, Darker, Subtract, Difference, Over };
const std::vector<std::string>& lensBlendNames();
LensBlend lensBlend(const std::string& name);

/// `base` is what is there, `light` what comes over it. Negative values are kept; where a formula has no meaning for
/// them they count as 0.
float blended(LensBlend mode, float base, float light);

} // namespace ilumbra
