#include "bench/hall.h"

#include "core/document/edit.h"
#include "core/film/film.h"
#include "core/lens/queries.h"
#include "core/transport/camera_path.h"
#include "demo/starters.h"

#include <cstdio>
#include <embree3/rtcore.h>
#include <filesystem>
#include <fmt/format.h>
#include <unistd.h>

using namespace ilumbra;

Hall::Hall() : folder((std::filesystem::temp_directory_path() / fmt::format("ilumbra-bench-{}", ::getpid())).string()) {
  std::filesystem::create_directories(folder);
  doc = writeStarter(findStarter("orrery-hall"), kinds, folder + "/hall.ilum");
}

Hall::~Hall() { std::filesystem::remove_all(folder); }

ScenePtr Hall::compile(const Document& d, SceneCache& cache, const std::vector<LayerQuery>& more) {
  std::vector<LayerQuery> queries = lensQueries(d);
  queries.insert(queries.end(), more.begin(), more.end());
  return compileScene(d,
                      {.frame = 1, .queries = std::move(queries), .masks = lensMasks(d), .overscan = lensOverscan(d)},
                      assets.assets(folder), cache);
}

Document sized(const Document& doc, int width, int height) {
  const NodeId s = doc.settings().id;
  return setValue(setValue(doc, s, "width", Constant(double(width))), s, "height", Constant(double(height)));
}

void line(const std::string& what, const std::string& must, const std::string& measured, const std::string& how) {
  fmt::print("| {} | {} | {} | {} |\n", what, must, measured, how);
  std::fflush(stdout);
}

void replay(const std::vector<RayLog::Entry>& rays, size_t from, size_t to) {
  for (size_t i = from; i < to; ++i) {
    const RayLog::Entry& e = rays[i];
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCRayHit q;
    q.ray.org_x = e.origin.x;
    q.ray.org_y = e.origin.y;
    q.ray.org_z = e.origin.z;
    q.ray.dir_x = e.direction.x;
    q.ray.dir_y = e.direction.y;
    q.ray.dir_z = e.direction.z;
    q.ray.tnear = e.near;
    q.ray.tfar = e.far;
    q.ray.time = 0;
    q.ray.mask = ~0u;
    q.ray.id = 0;
    q.ray.flags = 0;
    q.hit.geomID = q.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
    if (e.shadow)
      rtcOccluded1(e.in, &context, &q.ray);
    else
      rtcIntersect1(e.in, &context, &q);
  }
}

RayLog raysOf(const Scene& scene, uint32_t samples) {
  RayLog log;
  Film film(scene.width, scene.height, int(scene.groups.size()), scene.table);
  const PathTracer tracer(scene);
  TraceCount count;
  for (int y = 0; y < scene.height; ++y)
    for (int x = 0; x < scene.width; ++x)
      for (uint32_t s = 0; s < samples; ++s) tracer.sample(film, x, y, s, count, &log);
  return log;
}
