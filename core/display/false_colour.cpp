#include "core/display/false_colour.h"

#include "core/base/colorspace.h"

#include <atomic>

namespace ilumbra {

const std::vector<StopsColour>& stopsScale() {
  // From dark to bright, in equal steps of lightness, warm where light clips; our own scale.
  static const std::vector<StopsColour> scale = {{-8, 18, 18, 22},   {-6, 34, 40, 62},   {-4, 44, 74, 98},
                                                 {-3, 52, 104, 116}, {-2, 82, 134, 122}, {-1, 128, 160, 128},
                                                 {0, 186, 184, 140}, {1, 222, 190, 112}, {2, 232, 158, 82},
                                                 {4, 222, 112, 76},  {6, 206, 74, 92},   {8, 244, 226, 232}};
  return scale;
}

const std::array<StopsColour, 3>& clipColours() {
  static const std::array<StopsColour, 3> colours = {{{2, 206, 74, 92}, {1, 227, 162, 74}, {0, 70, 120, 108}}};
  return colours;
}

const StopsColour& stopsColour(float value) {
  const float stops = value > 0 ? std::log2(value) : -100;
  const StopsColour* c = &stopsScale().front();
  for (const StopsColour& s : stopsScale())
    if (stops >= float(s.stops) - 0.5f) c = &s;
  return *c;
}

std::vector<uint8_t> falseColour(const Picture& in, const Tasks& tasks) {
  std::vector<uint8_t> out(in.pixels() * 4);
  tasks.forEach(in.height, [&](int y) {
    uint8_t* o = out.data() + 4 * size_t(y) * size_t(in.width);
    for (int x = 0; x < in.width; ++x, o += 4) {
      const StopsColour& c = stopsColour(luminance(in.color(x, y)));
      o[0] = c.r;
      o[1] = c.g;
      o[2] = c.b;
      o[3] = 255;
    }
  });
  return out;
}

Clipped markClipping(std::vector<uint8_t>& rgba, int width, int height, const Tasks& tasks) {
  std::atomic<size_t> white{0}, black{0};
  tasks.forEach(height, [&](int y) {
    size_t whites = 0, blacks = 0;
    for (int x = 0; x < width; ++x) {
      uint8_t* o = rgba.data() + 4 * (size_t(y) * size_t(width) + size_t(x));
      const int full = (o[0] == 255) + (o[1] == 255) + (o[2] == 255);
      const bool none = !o[0] && !o[1] && !o[2];
      whites += full == 3;
      blacks += none;
      if ((!full && !none) || ((x + y) >> 1) % 3) continue;
      const StopsColour& c = full == 3 ? clipColours()[0] : full ? clipColours()[1] : clipColours()[2];
      o[0] = c.r;
      o[1] = c.g;
      o[2] = c.b;
    }
    white += whites;
    black += blacks;
  });
  const double n = std::max(1.0, double(width) * height);
  return {double(white) / n, double(black) / n};
}

} // namespace ilumbra
