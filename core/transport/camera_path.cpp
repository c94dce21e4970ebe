#include "core/transport/camera_path.h"

#include "core/base/hash.h"
#include "core/transport/path.h"
#include <optional>

namespace ilumbra {

namespace {

uint32_t streamOf(int px, int py, uint32_t index, uint32_t seed) {
  return mixBits(uint32_t(px) + mixBits(uint32_t(py) + mixBits(index + mixBits(seed))));
}

// Beside the frame other numbers are drawn than in it.
uint32_t seedOf(const Scene& scene, int margin) { return margin > 0 ? mixBits(scene.seed + 1) : scene.seed; }

// The camera's ray through a pixel of the film.
Ray startCameraPath(PathState& path, float x, float y, float step) {
  ++path.count.paths;
  path.film->begin(path.pixel);
  const V2f jitter = samplePixelFilter(path.sampler.get2());
  const V2f lens = path.sampler.get2();
  float time = 0.5f;
  if (path.scene.moves) {
    time = path.sampler.get1();
    path.rays.setTime(time);
  }
  const Ray ray = path.scene.camera.ray((x + 0.5f + jitter.x) * step, (y + 0.5f + jitter.y) * step, lens, time);
  path.origin = path.previousPoint = ray.origin;
  path.direction = ray.direction;
  path.footprintSpread = path.scene.camera.pixelAngle() * step;
  for (const Instance* c : path.scene.cameraInside)
    path.mediumStack.enter({c, path.scene.materials[path.scene.objects[c->object].material].get(), false});
  return ray;
}

} // namespace

void PathTracer::sample(Film& film, int px, int py, uint32_t index, TraceCount& count, RayLog* log) const {
  const size_t pixel = size_t(py) * size_t(film.width()) + size_t(px);
  const uint32_t seed = seedOf(m_scene, m_margin);
  PathState path(m_scene, film, pixel, Sampler(uint32_t(px), uint32_t(py), index, seed), streamOf(px, py, index, seed),
                 m_draft, m_photons, count, log);
  if (m_whole) path.achromatic = true;
  startCameraPath(path, float(px - m_margin), float(py - m_margin), m_step);
  tracePath(path);
}

void PathTracer::sampleRow(Film& film, int px, int py, int n, uint32_t index, TraceCount& count) const {
  constexpr int wide = 8;
  if (m_scene.moves) {
    for (int x = px; x < px + n; ++x) sample(film, x, py, index, count);
    return;
  }
  const RayCaster rays(m_scene, count, nullptr);
  const uint32_t seed = seedOf(m_scene, m_margin);
  for (int x = px; x < px + n; x += wide) {
    const int k = std::min(wide, px + n - x);
    std::array<std::optional<PathState>, wide> paths;
    Ray ray[wide];
    for (int i = 0; i < k; ++i) {
      const size_t pixel = size_t(py) * size_t(film.width()) + size_t(x + i);
      paths[size_t(i)].emplace(m_scene, film, pixel, Sampler(uint32_t(x + i), uint32_t(py), index, seed),
                               streamOf(x + i, py, index, seed), m_draft, m_photons, count, nullptr);
      if (m_whole) paths[size_t(i)]->achromatic = true;
      ray[i] = startCameraPath(*paths[size_t(i)], float(x + i - m_margin), float(py - m_margin), m_step);
    }
    Hit hits[wide];
    bool met[wide];
    rays.intersectEight(ray, k, hits, met);
    for (int i = 0; i < k; ++i) tracePath(*paths[size_t(i)], &hits[i], met[i]);
  }
}

} // namespace ilumbra
