#include "core/lens/blend.h"

#include <algorithm>
#include <cmath>

namespace ilumbra {

const std::vector<std::string>& lensBlendNames() {
  static const std::vector<std::string> names = {"add",    "screen",   "lighter",    "multiply", "overlay",
                                                 "darker", "subtract", "difference", "over"};
  return names;
}

LensBlend lensBlend(const std::string& name) {
  const auto& names = lensBlendNames();
  const auto it = std::find(names.begin(), names.end(), name);
  return it == names.end() ? LensBlend::Add : LensBlend(it - names.begin());
}

float blended(LensBlend mode, float b, float s) {
  switch (mode) {
  case LensBlend::Add:
    return b + s;
  case LensBlend::Screen:
    return b <= 1 && s <= 1 ? b + std::max(0.0f, s) * (1 - std::max(0.0f, b)) : std::max(b, s);
  case LensBlend::Lighter:
    return std::max(b, s);
  case LensBlend::Multiply:
    return b * std::max(0.0f, s);
  case LensBlend::Overlay:
    if (b < 0.5f) return 2 * b * std::max(0.0f, s);
    return b < 1 ? 2 * b - 1 + 2 * std::max(0.0f, s) * (1 - b) : b;
  case LensBlend::Darker:
    return std::min(b, s);
  case LensBlend::Subtract:
    return b - s;
  case LensBlend::Difference:
    return std::abs(b - s);
  case LensBlend::Over:
    return s;
  }
  return b + s;
}

} // namespace ilumbra
