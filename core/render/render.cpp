#include "core/render/render.h"

#include <mutex>

namespace ilumbra {

void Rendering::restart(ScenePtr scene, int step, bool draft) {
  m_scene = std::move(scene);
  m_step = step;
  m_draft = draft;
  m_count = {};
  m_samples = 0;
  m_film.reset((m_scene->width + step - 1) / step, (m_scene->height + step - 1) / step, int(m_scene->groups.size()), m_scene->table);
}

bool Rendering::advance(const Tasks& tasks, uint32_t samples, const CancelFlag& cancel, const Region& region) {
  constexpr int tile = 32;
  const bool part = region.width > 0;
  const int x0 = part ? std::max(0, region.x) / m_step : 0, y0 = part ? std::max(0, region.y) / m_step : 0;
  const int x1 = part ? std::min(m_film.width(), (region.x + region.width + m_step - 1) / m_step) : m_film.width();
  const int y1 = part ? std::min(m_film.height(), (region.y + region.height + m_step - 1) / m_step) : m_film.height();
  if (x1 <= x0 || y1 <= y0) return true;
  const int columns = (x1 - x0 + tile - 1) / tile, rows = (y1 - y0 + tile - 1) / tile;
  const PathTracer tracer(*m_scene, m_step, m_draft);
  std::mutex mutex;
  tasks.forEach(columns * rows, [&](int i) {
    if (cancel.requested()) return;
    TraceCount count;
    const int left = x0 + (i % columns) * tile, top = y0 + (i / columns) * tile;
    for (int y = top; y < std::min(y1, top + tile) && !cancel.requested(); ++y) {
      if (m_draft && samples == 1 && m_film.samples(size_t(y) * size_t(m_film.width()) + size_t(left)) == 0) {
        tracer.sampleRow(m_film, left, y, std::min(x1, left + tile) - left, 0, count);
        continue;
      }
      for (int x = left; x < std::min(x1, left + tile); ++x) {
        const size_t pixel = size_t(y) * size_t(m_film.width()) + size_t(x);
        for (uint32_t s = m_film.samples(pixel); s < samples; ++s) tracer.sample(m_film, x, y, s, count);
      }
    }
    const std::lock_guard lock(mutex);
    m_count.rays += count.rays;
    m_count.paths += count.paths;
    m_count.dropped += count.dropped;
    m_count.limited += count.limited;
  });
  if (cancel.requested()) return false;
  m_samples = std::max(m_samples, samples);
  return true;
}

} // namespace ilumbra
