#include "core/session/proof.h"

#include <half.h>

namespace ilumbra {

Picture Proof::picture() const {
  Picture p(width, height);
  for (size_t i = 0; i < half.size(); ++i) {
    Imath::half h;
    h.setBits(half[i]);
    p.rgb[i] = h;
  }
  return p;
}

Proof makeProof(int number, std::string name, const Document& doc, double frame, const Picture& picture, uint32_t samples, int parent) {
  Proof p{number, std::move(name), doc, frame, picture.width, picture.height, {}, samples, parent};
  p.half.reserve(picture.rgb.size());
  for (const float v : picture.rgb) p.half.push_back(Imath::half(std::clamp(std::isfinite(v) ? v : 0.0f, -65504.0f, 65504.0f)).bits());
  return p;
}

Picture differencePicture(const Picture& a, const Picture& b) {
  Picture d(a.width, a.height);
  if (b.width != a.width || b.height != a.height) return d;
  for (size_t i = 0; i < d.rgb.size(); ++i) d.rgb[i] = std::abs(a.rgb[i] - b.rgb[i]);
  return d;
}

PictureComparison comparePictures(const Picture& a, const Picture& b) {
  PictureComparison c;
  if (a.width != b.width || a.height != b.height) {
    c.sameSize = false;
    return c;
  }
  double squares = 0, la = 0, lb = 0;
  size_t differing = 0;
  for (size_t i = 0; i < a.pixels(); ++i) {
    bool differs = false;
    for (size_t k = 0; k < 3; ++k) {
      const double d = std::abs(double(a.rgb[3 * i + k]) - double(b.rgb[3 * i + k]));
      squares += d * d;
      differs |= d != 0;
      if (d > c.most || !std::isfinite(d)) {
        c.most = d;
        c.mostX = int(i % size_t(a.width));
        c.mostY = int(i / size_t(a.width));
      }
    }
    differing += differs;
    la += double(luminance({a.rgb[3 * i], a.rgb[3 * i + 1], a.rgb[3 * i + 2]}));
    lb += double(luminance({b.rgb[3 * i], b.rgb[3 * i + 1], b.rgb[3 * i + 2]}));
  }
  const double n = double(std::max<size_t>(1, a.pixels()));
  c.rms = std::sqrt(squares / (3 * n));
  c.differing = double(differing) / n;
  c.meanStops = la > 0 && lb > 0 ? std::log2(lb / la) : 0;
  return c;
}

} // namespace ilumbra
