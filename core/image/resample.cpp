#include "core/image/resample.h"

#include "core/image/gaussians.h"

#include <algorithm>

namespace ilumbra {

const std::vector<std::string>& edgeNames() {
  static const std::vector<std::string> names = {"black", "held", "mirrored", "wrapped"};
  return names;
}

Edge edgeOf(const std::string& name) {
  return Edge(std::find(edgeNames().begin(), edgeNames().end(), name) - edgeNames().begin());
}

Picture blurred(const Picture& in, float sigma, const Tasks& tasks) {
  if (sigma < 0.02f) return in;
  GaussianSum kernel;
  kernel.lobes.push_back({1, sigma});
  return convolve(in, kernel, tasks);
}

std::vector<float> shrunk(const std::vector<float>& values, int width, int height, int channels, int toWidth,
                          int toHeight, const Tasks& tasks) {
  std::vector<float> out(size_t(toWidth) * size_t(toHeight) * size_t(channels));
  tasks.forEach(toHeight, [&](int y) {
    const int y0 = y * height / toHeight, y1 = std::max(y0 + 1, (y + 1) * height / toHeight);
    for (int x = 0; x < toWidth; ++x) {
      const int x0 = x * width / toWidth, x1 = std::max(x0 + 1, (x + 1) * width / toWidth);
      for (int k = 0; k < channels; ++k) {
        float sum = 0;
        for (int j = y0; j < y1; ++j)
          for (int i = x0; i < x1; ++i)
            sum += values[(size_t(j) * size_t(width) + size_t(i)) * size_t(channels) + size_t(k)];
        out[(size_t(y) * size_t(toWidth) + size_t(x)) * size_t(channels) + size_t(k)] =
            sum / float((y1 - y0) * (x1 - x0));
      }
    }
  });
  return out;
}

} // namespace ilumbra
