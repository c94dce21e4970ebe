#include "core/scene/plates.h"

#include "core/scene/camera.h"

#include <algorithm>
#include <cmath>

namespace ilumbra {

Color plateSeen(const Plates& plates, const Camera& camera, const V3f& direction, float& alpha) {
  const Picture& p = plates.behind.light;
  // Shares of half the frame, from its middle.
  const float half = 0.5f * camera.seenHeight(), ahead = dot(direction, camera.forward());
  V2f at(dot(direction, camera.right()) / (half * float(p.width) / float(p.height)),
         -dot(direction, camera.up()) / half);
  const float most = std::max({std::abs(at.x), std::abs(at.y), 1e-12f});
  if (most <= ahead)
    at /= ahead;
  else
    at *= (0.5f + (ahead > 0 ? 0.5f * std::exp(-0.5f * (most / ahead - 1)) : 0)) / most;
  const auto place = [](float v, int size, int& from, int& to) {
    const float t = std::clamp((0.5f + 0.5f * v) * float(size) - 0.5f, 0.0f, float(size - 1));
    from = int(t);
    to = std::min(from + 1, size - 1);
    return t - float(from);
  };
  int x0, x1, y0, y1;
  const float fx = place(at.x, p.width, x0, x1), fy = place(at.y, p.height, y0, y1);
  Color out(0.0f);
  alpha = 0;
  for (const auto& [px, py, w] :
       {std::tuple{x0, y0, (1 - fx) * (1 - fy)}, {x1, y0, fx * (1 - fy)}, {x0, y1, (1 - fx) * fy}, {x1, y1, fx * fy}}) {
    out += p.color(px, py) * w;
    alpha += plates.behind.alpha[size_t(py) * size_t(p.width) + size_t(px)] * w;
  }
  return out;
}

static float sheetAlpha(const Plates::Sheet& s, size_t pixel) { return s.alpha.empty() ? 0 : s.alpha[pixel]; }

Picture platesLight(const Plates& plates, const Tasks& tasks) {
  const Plates::Sheet &back = plates.behind, &front = plates.front;
  if (front.alpha.empty()) return back.light;
  if (back.alpha.empty()) return front.light;
  Picture out = front.light;
  const size_t row = size_t(out.width);
  tasks.forEach(out.height, [&](int y) {
    for (size_t i = size_t(y) * row; i < (size_t(y) + 1) * row; ++i)
      for (size_t c = 0; c < 3; ++c) out.rgb[3 * i + c] += back.light.rgb[3 * i + c] * (1 - front.alpha[i]);
  });
  return out;
}

std::vector<PlatePart> platesParts(const Plates& plates) {
  std::vector<PlatePart> out = plates.behind.parts;
  for (PlatePart& p : out)
    for (size_t i = 0; i < p.covers.size(); ++i) {
      const float bare = 1 - sheetAlpha(plates.front, i);
      p.covers[i] *= bare;
      for (size_t c = 0; c < 3; ++c) p.light.rgb[3 * i + c] *= bare;
    }
  out.insert(out.end(), plates.front.parts.begin(), plates.front.parts.end());
  return out;
}

float platesAlpha(const Plates& plates, size_t pixel) {
  const float front = sheetAlpha(plates.front, pixel);
  return front + (1 - front) * sheetAlpha(plates.behind, pixel);
}

Picture platesBehind(const Plates& plates, int width, int height, const Tasks& tasks) {
  if (plates.behind.alpha.empty()) return {};
  const Picture& full = plates.behind.light;
  Picture out(width, height);
  tasks.forEach(height, [&](int y) {
    for (int x = 0; x < width; ++x) {
      const size_t k = size_t((2 * y + 1) * full.height / (2 * height)) * size_t(full.width) +
                       size_t((2 * x + 1) * full.width / (2 * width));
      const float over = plates.front.alpha.empty() ? 0 : plates.front.alpha[k];
      for (size_t c = 0; c < 3; ++c) out.at(x, y)[c] = full.rgb[3 * k + c] * (1 - over);
    }
  });
  return out;
}

float plateAlpha(const Plates* plates, float own, size_t pixel) {
  if (!plates) return own;
  const float front = sheetAlpha(plates->front, pixel);
  return front + (1 - front) * (own + (1 - own) * sheetAlpha(plates->behind, pixel));
}

} // namespace ilumbra
