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

Picture halved(const Picture& p, const Tasks& tasks) {
  Picture out((p.width + 1) / 2, (p.height + 1) / 2);
  tasks.forEach(out.height, [&](int y) {
    const float *a = p.at(0, 2 * y), *b = p.at(0, std::min(2 * y + 1, p.height - 1));
    float* o = out.at(0, y);
    for (int x = 0; x < out.width; ++x) {
      const int left = 6 * x, right = 3 * std::min(2 * x + 1, p.width - 1);
      for (int c = 0; c < 3; ++c) *o++ = 0.25f * (a[left + c] + a[right + c] + b[left + c] + b[right + c]);
    }
  });
  return out;
}

Picture enlarged(const Picture& p, int step, int width, int height) {
  if (step == 1) return p;
  Picture out(width, height);
  const auto place = [&](int x, int most, int& x0, int& x1) {
    const float f = std::clamp((float(x) + 0.5f) / float(step) - 0.5f, 0.0f, float(most - 1));
    x0 = int(f);
    x1 = std::min(x0 + 1, most - 1);
    return f - float(x0);
  };
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x) {
      int x0, x1, y0, y1;
      const float ty = place(y, p.height, y0, y1), tx = place(x, p.width, x0, x1);
      const float *a = p.at(x0, y0), *b = p.at(x1, y0), *c = p.at(x0, y1), *d = p.at(x1, y1);
      float* o = out.at(x, y);
      for (int k = 0; k < 3; ++k) o[k] = (a[k] * (1 - tx) + b[k] * tx) * (1 - ty) + (c[k] * (1 - tx) + d[k] * tx) * ty;
    }
  return out;
}

} // namespace ilumbra
