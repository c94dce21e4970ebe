#include "core/advise/pixel.h"

#include "core/base/error.h"
#include "core/compile/camera.h"

#include <fmt/format.h>

namespace ilumbra {

PixelReading askPixel(const Document& doc, double frame, const Scene& scene, const Film& film,
                      const std::vector<Color>& groupScales, const LensResult& developed, int x, int y) {
  if (x < 0 || y < 0 || x >= scene.width || y >= scene.height)
    throw badInput(fmt::format("the pixel {}, {} is not in the picture", x, y));
  const int px = std::min(x * film.width() / scene.width, film.width() - 1),
            py = std::min(y * film.height() / scene.height, film.height() - 1);
  const size_t i = size_t(py) * size_t(film.width()) + size_t(px);
  const float exposure = exposureFactor(doc, frame);
  PixelReading r;
  r.samples = film.samples(i);
  r.value = developed.picture.color(px, py);
  r.luminance = double(luminance(r.value));
  if (r.luminance > 0) r.stops = std::log2(r.luminance / 0.18);
  r.depth = film.depth(i);
  double total = 0;
  const auto add = [&](Contributor c) {
    c.share = std::max(0.0, double(luminance(c.value)));
    total += c.share;
    if (c.share > 0) r.contributors.push_back(std::move(c));
  };
  for (size_t g = 0; g < scene.groups.size(); ++g) {
    const Color light = film.light(i, 0, int(g)) * groupScales[g];
    r.candelas += double(luminance(light));
    add({Contributor::As::Light, scene.groups[g].node, scene.groups[g].name, 0, light * exposure});
  }
  for (const StageResult& s : developed.stages)
    if (const Node* n = doc.find(s.stage))
      add({Contributor::As::Stage, s.stage, n->name, 0, s.work.spread.color(px, py) - s.work.taken.color(px, py)});
  for (Contributor& c : r.contributors) c.share /= std::max(1e-30, total);
  std::stable_sort(r.contributors.begin(), r.contributors.end(),
                   [](const Contributor& a, const Contributor& b) { return a.share > b.share; });
  const Film::Ranked& seen = film.seen(i);
  float all = seen.dropped;
  for (const float w : seen.weight) all += std::max(0.0f, w);
  std::vector<Contributor> things;
  for (size_t k = 0; k < size_t(Film::ranks); ++k)
    if (seen.weight[k] > 0.01f * all)
      things.push_back({Contributor::As::Seen, scene.things[seen.thing[k]].node, scene.things[seen.thing[k]].name,
                        double(seen.weight[k] / all), Color(0.0f)});
  std::stable_sort(things.begin(), things.end(),
                   [](const Contributor& a, const Contributor& b) { return a.share > b.share; });
  r.contributors.insert(r.contributors.end(), things.begin(), things.end());
  return r;
}

} // namespace ilumbra
