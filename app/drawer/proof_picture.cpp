#include "app/drawer/proof_picture.h"

#include <algorithm>

namespace ilumbra {

QImage proofPicture(const Proof& proof, const ColorViews& views, int wide) {
  const int w = std::min(wide, std::max(1, proof.width)), h = std::max(1, w * proof.height / std::max(1, proof.width));
  const Picture full = proof.picture();
  Picture small(w, h);
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      const int x0 = x * proof.width / w, x1 = std::max(x0 + 1, (x + 1) * proof.width / w), y0 = y * proof.height / h,
                y1 = std::max(y0 + 1, (y + 1) * proof.height / h);
      Color sum(0.0f);
      for (int j = y0; j < std::min(y1, proof.height); ++j)
        for (int i = x0; i < std::min(x1, proof.width); ++i) sum += full.color(i, j);
      sum *= 1.0f / float((x1 - x0) * (y1 - y0));
      std::copy_n(&sum.x, 3, small.at(x, y));
    }
  const std::vector<float> shown = views.exact(small, settingsOf(proof.doc).text("view"));
  QImage image(w, h, QImage::Format_RGB888);
  for (int y = 0; y < h; ++y)
    for (int k = 0; k < 3 * w; ++k) image.scanLine(y)[k] = uint8_t(shown[size_t(3 * w * y + k)] * 255 + 0.5f);
  return image;
}

} // namespace ilumbra
