#pragma once
#include "core/base/tasks.h"
#include "core/image/picture.h"

#include <array>
#include <cstdint>

namespace ilumbra {

/// What a colour of an overlay stands for: stops from white, or 2 to the power of so many where it is no light.
struct StopsColour {
  int stops;
  uint8_t r, g, b;
};
/// The scale of the stops overlay, from dark to bright.
const std::vector<StopsColour>& stopsScale();
/// The colour of the scale for a value of white 1; the darkest for 0.
const StopsColour& stopsColour(float value);
/// Eight-bit pixels, red green blue and 255: the luminance of a picture by the scale.
std::vector<uint8_t> falseColour(const Picture& in, const Tasks& tasks);

/// Colours of the clipping overlay: all channels at their end, one or two of them, none above black.
const std::array<StopsColour, 3>& clipColours();
/// Shares of the pixels.
struct Clipped {
  double white = 0, black = 0;
};
/// Draws diagonal stripes over what a view leaves without any detail. `rgba`: four bytes a pixel, as shown.
Clipped markClipping(std::vector<uint8_t>& rgba, int width, int height, const Tasks& tasks);

} // namespace ilumbra
