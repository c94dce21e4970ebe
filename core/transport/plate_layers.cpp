#include "core/transport/plate_layers.h"

namespace ilumbra {

PlateLayers plateLayers(const Plates& plates, const Film& film, const std::vector<float>& alpha, const Tasks& tasks) {
  const int w = film.width(), h = film.height();
  // A draft has fewer pixels than the plates.
  const Picture& full = plates.behind.alpha.empty() ? plates.front.light : plates.behind.light;
  PlateLayers out{Picture(w, h), Picture(w, h), {}};
  for (const Plates::Sheet* sheet : {&plates.behind, &plates.front})
    for (const PlatePart& p : sheet->parts)
      out.parts.push_back({p.id, p.plate, Picture(w, h), std::vector<float>(size_t(w) * size_t(h), 0.0f)});
  tasks.forEach(h, [&](int y) {
    for (int x = 0; x < w; ++x) {
      const size_t i = size_t(y) * size_t(w) + size_t(x),
                   k = size_t((2 * y + 1) * full.height / (2 * h)) * size_t(full.width) +
                       size_t((2 * x + 1) * full.width / (2 * w));
      const float bare = 1 - clamp01(alpha.empty() ? film.alpha(i) : alpha[i]),
                  over = plates.front.alpha.empty() ? 0 : plates.front.alpha[k];
      for (size_t c = 0; c < 3; ++c) {
        out.keep.rgb[3 * i + c] = 1 - over;
        const float back = plates.behind.alpha.empty() ? 0 : plates.behind.light.rgb[3 * k + c] * bare,
                    front = plates.front.alpha.empty() ? 0 : plates.front.light.rgb[3 * k + c];
        out.add.rgb[3 * i + c] = back * (1 - over) + front;
      }
      size_t part = 0;
      for (const Plates::Sheet* sheet : {&plates.behind, &plates.front}) {
        const float left = sheet == &plates.behind ? bare * (1 - over) : 1;
        for (const PlatePart& p : sheet->parts) {
          out.parts[part].covers[i] = left * p.covers[k];
          for (size_t c = 0; c < 3; ++c) out.parts[part].light.rgb[3 * i + c] = left * p.light.rgb[3 * k + c];
          ++part;
        }
      }
    }
  });
  return out;
}

} // namespace ilumbra
