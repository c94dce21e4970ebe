#include "core/session/denoise_cache.h"

#include "core/image/picture_ops.h"

namespace ilumbra {

void DenoiseCache::make(const Scene& scene, const Rendering& r, const std::vector<Color>& groupScales,
                        const Tasks& tasks, const CancelFlag& cancel) {
  if (m_of != &r || m_samples != r.samples() || !m_denoiser) {
    DenoiseCache next;
    next.m_of = &r;
    next.m_samples = r.samples();
    next.m_denoiser.emplace(r.film(), tasks, &cancel);
    next.m_light = sceneLight(scene, r.film(), groupScales, tasks, &*next.m_denoiser, &cancel);
    next.m_groupScales = groupScales;
    *this = std::move(next);
    return;
  }
  m_light = sceneLight(scene, r.film(), groupScales, tasks, &*m_denoiser, &cancel);
  m_groupScales = groupScales;
}

void DenoiseCache::mix(const Scene& scene, const std::vector<Color>& groupScales, const Tasks& tasks) {
  if (!m_of || m_groups.size() != scene.groups.size() || m_groupScales == groupScales) return;
  for (size_t q = 0; q < size_t(scene.table.size()); ++q) {
    Picture& p = m_light.layers[q];
    const size_t row = size_t(p.width) * 3;
    tasks.forEach(p.height, [&](int y) {
      std::fill_n(p.rgb.begin() + std::ptrdiff_t(size_t(y) * row), row, 0.0f);
      for (size_t g = 0; g < groupScales.size(); ++g) {
        const Picture& of = m_groups[g][q];
        if (of.rgb.empty() || isBlack(groupScales[g])) continue;
        for (size_t i = size_t(y) * row; i < size_t(y + 1) * row; i += 3)
          for (int k = 0; k < 3; ++k) p.rgb[i + size_t(k)] += of.rgb[i + size_t(k)] * groupScales[g][k];
      }
    });
  }
  m_groupScales = groupScales;
  refreshBeside(scene, tasks);
}

void DenoiseCache::makeGroup(const Scene& scene, const Tasks& tasks, const CancelFlag& cancel) {
  const int g = int(m_groups.size());
  const auto stored = size_t(scene.table.size());
  std::vector<Picture> made = denoised(
      *m_denoiser, stored,
      [&](size_t l, FilmLight which) {
        return collectLayersOfGroup(m_of->film(), 1u << l, g, Color(1.0f), 1, tasks, which);
      },
      tasks, &cancel);
  for (Picture& p : made)
    if (isBlack(p, tasks)) p = {};
  m_groups.push_back(std::move(made));
}

void DenoiseCache::refreshBeside(const Scene& scene, const Tasks& tasks) {
  m_light.beside = lightBeside(scene, m_of->film(), m_groupScales, tasks);
}

} // namespace ilumbra
