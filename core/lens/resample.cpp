#include "core/lens/resample.h"

#include "core/lens/glow.h"

#include <algorithm>

namespace ilumbra {

const std::vector<std::string>& edgeNames() {
  static const std::vector<std::string> names = {"black", "held", "mirrored", "wrapped"};
  return names;
}

Edge edgeOf(const std::string& name) { return Edge(std::find(edgeNames().begin(), edgeNames().end(), name) - edgeNames().begin()); }

Picture blurred(const Picture& in, float sigma, const Tasks& tasks) {
  if (sigma < 0.02f) return in;
  GlowKernel kernel;
  kernel.lobes.push_back({1, sigma});
  return convolve(in, kernel, tasks);
}

} // namespace ilumbra
