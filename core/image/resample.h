#pragma once
#include "core/base/tasks.h"
#include "core/image/picture.h"

#include <string>

namespace ilumbra {

/// What lies beyond a picture's edge.
enum class Edge { Black, Clamp, Mirror, Wrap };
const std::vector<std::string>& edgeNames();
Edge edgeOf(const std::string& name);

/// A picture's light between pixels: linear between the four nearest, whose middles lie at halves. Exact at middles, so
/// that a shift by whole pixels is exact; never below or above its neighbours, so that no dark rims come up beside
/// lamps.
class PictureReader {
 public:
  PictureReader(const Picture& p, Edge edge) : m_p(p), m_edge(edge) {}
  Color at(float x, float y) const {
    const float fx = x - 0.5f, fy = y - 0.5f, bx = std::floor(fx), by = std::floor(fy);
    if (!(std::abs(bx) < 1e8f) || !(std::abs(by) < 1e8f)) return Color(0.0f);
    const int x0 = int(bx), y0 = int(by);
    const float tx = fx - bx, ty = fy - by;
    if (x0 >= 0 && y0 >= 0 && x0 + 1 < m_p.width && y0 + 1 < m_p.height) {
      const float *a = m_p.at(x0, y0), *b = m_p.at(x0, y0 + 1);
      const float w00 = (1 - tx) * (1 - ty), w10 = tx * (1 - ty), w01 = (1 - tx) * ty, w11 = tx * ty;
      return {a[0] * w00 + a[3] * w10 + b[0] * w01 + b[3] * w11, a[1] * w00 + a[4] * w10 + b[1] * w01 + b[4] * w11,
              a[2] * w00 + a[5] * w10 + b[2] * w01 + b[5] * w11};
    }
    return (pixel(x0, y0) * (1 - tx) + pixel(x0 + 1, y0) * tx) * (1 - ty) +
           (pixel(x0, y0 + 1) * (1 - tx) + pixel(x0 + 1, y0 + 1) * tx) * ty;
  }
  /// One channel alone.
  float channel(float x, float y, int k) const {
    const float fx = x - 0.5f, fy = y - 0.5f, bx = std::floor(fx), by = std::floor(fy);
    if (!(std::abs(bx) < 1e8f) || !(std::abs(by) < 1e8f)) return 0;
    const int x0 = int(bx), y0 = int(by);
    const float tx = fx - bx, ty = fy - by;
    if (x0 < 0 || y0 < 0 || x0 + 1 >= m_p.width || y0 + 1 >= m_p.height) return at(x, y)[k];
    const float *a = m_p.at(x0, y0) + k, *b = m_p.at(x0, y0 + 1) + k;
    return (a[0] * (1 - tx) + a[3] * tx) * (1 - ty) + (b[0] * (1 - tx) + b[3] * tx) * ty;
  }
  Color pixel(int x, int y) const {
    const int i = index(x, m_p.width), j = index(y, m_p.height);
    return i < 0 || j < 0 ? Color(0.0f) : m_p.color(i, j);
  }

 private:
  int index(int i, int n) const {
    if (i >= 0 && i < n) return i;
    switch (m_edge) {
    case Edge::Black:
      return -1;
    case Edge::Clamp:
      return std::clamp(i, 0, n - 1);
    case Edge::Wrap:
      return (i % n + n) % n;
    case Edge::Mirror: {
      const int m = (i % (2 * n) + 2 * n) % (2 * n);
      return m < n ? m : 2 * n - 1 - m;
    }
    }
    return -1;
  }
  const Picture& m_p;
  Edge m_edge;
};

/// Each row of a picture as a task.
template <typename F> void forEachRow(const Picture& p, const Tasks& tasks, F f) {
  tasks.forEach(p.height, [&](int y) { f(y); });
}

/// A picture every pixel of which is read elsewhere: `from(x, y)` gives the place for a pixel's middle.
template <typename F> Picture warped(const Picture& in, Edge edge, const Tasks& tasks, F from) {
  Picture out(in.width, in.height);
  const PictureReader reader(in, edge);
  tasks.forEach(in.height, [&](int y) {
    float* o = out.at(0, y);
    for (int x = 0; x < in.width; ++x, o += 3) {
      const V2f at = from(float(x) + 0.5f, float(y) + 0.5f);
      const Color c = reader.at(at.x, at.y);
      o[0] = c.x;
      o[1] = c.y;
      o[2] = c.z;
    }
  });
  return out;
}

/// Means over blocks: numbers of width × height pixels, so many channels each, as those of fewer.
std::vector<float> shrunk(const std::vector<float>& values, int width, int height, int channels, int toWidth,
                          int toHeight, const Tasks& tasks);

/// Every second pixel's mean with its three neighbours; sides are rounded up.
Picture halved(const Picture& in, const Tasks& tasks);
/// At `step` times the size, cut to width by height: bilinear, so that a draft looks soft, not blocky.
Picture enlarged(const Picture& in, int step, int width, int height);

/// Blurred by a round Gaussian of this width in pixels, by the glow's pyramid; black beyond its edges.
Picture blurred(const Picture& in, float sigma, const Tasks& tasks);

} // namespace ilumbra
