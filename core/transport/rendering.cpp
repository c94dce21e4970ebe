#include "core/transport/rendering.h"

#include "core/scene/trace_count.h"
#include "core/transport/photons.h"

#include <cmath>
#include <mutex>

namespace ilumbra {

void Rendering::restart(ScenePtr scene, int step, bool draft, uint32_t firstSample) {
  m_firstSample = firstSample;
  m_scene = std::move(scene);
  m_step = step;
  m_draft = draft;
  m_count = {};
  m_samples = m_pass = 0;
  m_converged = false;
  m_photons.reset();
  m_film.reset((m_scene->width + step - 1) / step, (m_scene->height + step - 1) / step, int(m_scene->groups.size()),
               m_scene->table, m_scene->masks);
  surround();
}

void Rendering::append(const Rendering& later) {
  m_film.append(later.m_film, m_scene->groupScales);
  m_count.rays += later.m_count.rays;
  m_count.paths += later.m_count.paths;
  m_count.dropped += later.m_count.dropped;
  m_count.limited += later.m_count.limited;
  m_samples += later.m_samples;
  m_besideSamples += later.m_besideSamples;
}

void Rendering::readFilm(std::istream& in, uint32_t samples) {
  m_film.read(in);
  m_samples = m_besideSamples = samples;
}

void Rendering::surround() {
  m_besideSamples = 0;
  if (m_scene->overscan > 0)
    m_film.surroundBy(int(std::ceil(m_scene->overscan * float(m_film.height()) / Film::coarse)));
}

void Rendering::widen(ScenePtr scene) {
  m_scene = std::move(scene);
  m_photons.reset();
  surround();
}

static constexpr int block = 8;

void Rendering::setGoals(uint32_t samples, bool everywhere, double noise, const Tasks& tasks) {
  const int columns = (m_film.width() + block - 1) / block, rows = (m_film.height() + block - 1) / block;
  const size_t n = size_t(columns) * size_t(rows) * 2;
  if (everywhere || m_goals.size() != n) {
    m_goals.assign(n, samples);
    return;
  }
  const float mean = m_film.meanLuminance();
  std::vector<float> error(n, 0.0f);
  tasks.forEach(rows, [&](int by) {
    for (int bx = 0; bx < columns; ++bx) {
      float sum[2] = {0, 0};
      int count[2] = {0, 0};
      for (int y = by * block; y < std::min(m_film.height(), (by + 1) * block); ++y)
        for (int x = bx * block; x < std::min(m_film.width(), (bx + 1) * block); ++x) {
          sum[(x + y) & 1] += m_film.relativeError(size_t(y) * size_t(m_film.width()) + size_t(x), mean);
          ++count[(x + y) & 1];
        }
      // White steers black, and black white.
      for (int side = 0; side < 2; ++side)
        if (count[1 - side])
          error[2 * (size_t(by) * size_t(columns) + size_t(bx)) + size_t(side)] =
              sum[1 - side] / float(count[1 - side]);
    }
  });
  m_converged = m_film.noise() <= noise;
  if (m_converged) return;
  const float rest = 0.75f * float(noise);
  for (int by = 0; by < rows; ++by)
    for (int bx = 0; bx < columns; ++bx)
      for (size_t side = 0; side < 2; ++side) {
        // A block beside a noisy one goes on too: a few samples may all have missed what its neighbour found.
        float most = 0;
        for (int y = std::max(0, by - 1); y <= std::min(rows - 1, by + 1); ++y)
          for (int x = std::max(0, bx - 1); x <= std::min(columns - 1, bx + 1); ++x) {
            const float e = error[2 * (size_t(y) * size_t(columns) + size_t(x)) + side];
            most = std::max(most, x == bx && y == by ? e : 0.5f * e);
          }
        if (most <= rest) continue;
        m_goals[2 * (size_t(by) * size_t(columns) + size_t(bx)) + side] += samples - m_samples;
      }
}

Region Rendering::pixelsOf(const Region& region) const {
  if (region.width <= 0) return {0, 0, m_film.width(), m_film.height()};
  const int x0 = std::max(0, region.x) / m_step, y0 = std::max(0, region.y) / m_step;
  const int x1 = std::min(m_film.width(), (region.x + region.width + m_step - 1) / m_step),
            y1 = std::min(m_film.height(), (region.y + region.height + m_step - 1) / m_step);
  return {x0, y0, std::max(0, x1 - x0), std::max(0, y1 - y0)};
}

std::shared_ptr<const PhotonMap> Rendering::photons(uint32_t pass, const Tasks& tasks, const CancelFlag& cancel) {
  if (!m_photons || !m_scene->caustics->same(m_photonPass, pass)) {
    m_photons = tracePhotons(*m_scene, pass, m_draft ? 0.05f : 1, tasks, cancel);
    m_photonPass = pass;
  }
  return m_photons;
}

void Rendering::addSurround(std::vector<Piece>& pieces, uint32_t samples) {
  Film* around = m_film.surround();
  if (!around) return;
  const int m = m_film.margin(), w = around->width(), h = around->height(), high = m_film.height() / Film::coarse,
            wide = m_film.width() / Film::coarse;
  for (const Region& strip : {Region{0, 0, w, m}, Region{0, m, m, high}, Region{m + wide, m, w - m - wide, high},
                              Region{0, m + high, w, h - m - high}})
    pieces.push_back({around, strip, m_step * Film::coarse, m, [samples](int, int) { return samples; }});
}

void Rendering::trace(const Tasks& tasks, const std::vector<Piece>& pieces, const CancelFlag& cancel) {
  constexpr int tile = 16; // small: near the end no core waits long for another
  struct Tile {
    const Piece* of;
    int left, top;
  };
  std::vector<Tile> tiles;
  for (const Piece& p : pieces)
    for (int y = p.pixels.y; y < p.pixels.y + p.pixels.height; y += tile)
      for (int x = p.pixels.x; x < p.pixels.x + p.pixels.width; x += tile) tiles.push_back({&p, x, y});
  // Samples from `from` on, before `to`.
  const auto samples = [&](uint32_t from, uint32_t to, const PhotonMap* photons) {
    std::mutex mutex;
    tasks.forEach(int(tiles.size()), [&](int i) {
      if (cancel.requested()) return;
      const auto [of, left, top] = tiles[size_t(i)];
      Film& film = *of->film;
      const PathTracer tracer(*m_scene, of->step, m_draft, photons, of->margin, m_step > 1);
      const int right = std::min(of->pixels.x + of->pixels.width, left + tile),
                bottom = std::min(of->pixels.y + of->pixels.height, top + tile);
      const auto index = [&](int x, int y) { return size_t(y) * size_t(film.width()) + size_t(x); };
      TraceCount count;
      for (int y = top; y < bottom && !cancel.requested(); ++y) {
        if (m_draft && from == 0 && std::min(to, of->goal(left, y)) == 1 && film.samples(index(left, y)) == 0) {
          tracer.sampleRow(film, left, y, right - left, 0, count);
          continue;
        }
        for (int x = left; x < right; ++x) {
          const uint32_t most = std::min(to, of->goal(x, y));
          for (uint32_t s = film.samples(index(x, y)); s >= from && s < most; ++s) tracer.sample(film, x, y, m_firstSample + s, count);
        }
      }
      const std::lock_guard lock(mutex);
      m_count.rays += count.rays;
      m_count.paths += count.paths;
      m_count.dropped += count.dropped;
      m_count.limited += count.limited;
    });
  };
  if (!m_scene->caustics) return samples(0, ~0u, nullptr);
  // Each sample has photons of its own, the same for all pixels.
  uint32_t first = ~0u, last = 0;
  for (const Piece& p : pieces)
    for (int y = p.pixels.y; y < p.pixels.y + p.pixels.height; ++y)
      for (int x = p.pixels.x; x < p.pixels.x + p.pixels.width; ++x)
        if (const uint32_t done = p.film->samples(size_t(y) * size_t(p.film->width()) + size_t(x)), most = p.goal(x, y);
            done < most) {
          first = std::min(first, done);
          last = std::max(last, most);
        }
  for (uint32_t s = first; s < last && !cancel.requested(); ++s)
    if (const auto map = photons(m_firstSample + s, tasks, cancel)) samples(s, s + 1, map.get());
}

bool Rendering::advance(const Tasks& tasks, uint32_t samples, const CancelFlag& cancel, const Region& region,
                        double noise) {
  const Region pixels = pixelsOf(region);
  if (pixels.width == 0 || pixels.height == 0) return true;
  if (m_pass != samples) {
    setGoals(samples, region.width > 0 || noise <= 0 || m_samples < evenSamples, noise, tasks);
    m_pass = samples;
  }
  const int across = (m_film.width() + block - 1) / block;
  std::vector<Piece> pieces = {
      {&m_film, pixels, m_step, 0, [&](int x, int y) {
         return m_goals[2 * (size_t(y / block) * size_t(across) + size_t(x / block)) + size_t((x + y) & 1)];
       }}};
  if (region.width <= 0 && !m_converged) addSurround(pieces, samples);
  trace(tasks, pieces, cancel);
  if (cancel.requested()) return false;
  m_samples = std::max(m_samples, samples);
  if (pieces.size() > 1) m_besideSamples = std::max(m_besideSamples, samples);
  return true;
}

bool Rendering::catchUp(const Tasks& tasks, const CancelFlag& cancel) {
  const uint32_t samples = std::min(m_samples, std::max(1u, 2 * m_besideSamples));
  std::vector<Piece> pieces;
  addSurround(pieces, samples);
  trace(tasks, pieces, cancel);
  if (cancel.requested()) return false;
  m_besideSamples = samples;
  return true;
}

bool Rendering::refineRegion(const Tasks& tasks, uint32_t samples, const CancelFlag& cancel, const Region& region) {
  trace(tasks, {{&m_film, pixelsOf(region), m_step, 0, [samples](int, int) { return samples; }}}, cancel);
  return !cancel.requested();
}

} // namespace ilumbra
