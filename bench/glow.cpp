#include "bench/parts.h"

#include "core/base/tasks.h"
#include "core/lens/stages/glow.h"

#include <cstring>
#include <fmt/format.h>

using namespace ilumbra;

void glowRatios(Hall&) {
  const int w = 1920, h = 1080;
  Picture p(w, h), copy(w, h);
  for (size_t i = 0; i < p.rgb.size(); ++i) p.rgb[i] = float(i % 251) / 50;
  const Tasks tasks;
  const double copied = best(20, [&] { std::memcpy(copy.rgb.data(), p.rgb.data(), p.rgb.size() * 4); });
  double worst = 0;
  std::string each;
  for (const float size : {0.005f, 0.03f, 0.12f, 0.5f}) {
    const GaussianSum kernel = glowKernel(size, 1, h);
    const double t = best(3, [&] { convolve(p, kernel, tasks); });
    worst = std::max(worst, t / copied);
    each += fmt::format("{}{:g} %: {:.0f}", each.empty() ? "" : ", ", size * 100, t / copied);
  }
  line("glow at 1920×1080, any size ÷ copying that frame once", "≤ 20", fmt::format("{:.0f}", worst),
       each + fmt::format(" (all threads; the copy {:.2f} ms)", copied * 1e3));
  double error = 0;
  const int n = 400;
  for (const float size : {0.008f, 0.03f, 0.09f, 0.17f}) {
    const GaussianSum kernel = glowKernel(size, 1, n);
    for (int phase = 0; phase < 16; ++phase) {
      Picture dot(n, n);
      const int cx = n / 2 + phase, cy = n / 2 + (phase * 7) % 16;
      for (int c = 0; c < 3; ++c) dot.at(cx, cy)[c] = 1;
      const Picture out = convolve(dot, kernel, tasks);
      double e = 0, norm = 0;
      for (int y = 0; y < n; ++y)
        for (int x = 0; x < n; ++x) {
          const double want = kernel.pixel(x - cx, y - cy), d = double(out.at(x, y)[0]) - want;
          e += d * d;
          norm += want * want;
        }
      error = std::max(error, std::sqrt(e / norm));
    }
  }
  line("glow's impulse response against the declared kernel, L2 at the worst pixel phase", "≤ 1 %",
       fmt::format("{:.2f} %", error * 100), "400×400, sizes 0.8 % to 17 % of the height, 16 phases");
}
