#pragma once
#include "core/base/tasks.h"

#include <cstdint>
#include <vector>

namespace ilumbra {

/// A picture as shown (four bytes a pixel, w by h) at `step` times its size, cut to width by height: bilinear, in
/// 1/(2 step) of the small pixels, clamped at the rims. The view of a draft is taken at its own size: a quarter of the
/// work, and the eye cannot tell.
std::vector<uint8_t> enlargedBytes(const std::vector<uint8_t>& in, int w, int h, int step, int width, int height,
                                   const Tasks& tasks);

} // namespace ilumbra
