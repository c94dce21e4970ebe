#include "bench/measure.h"
#include "bench/parts.h"

#include "core/air/voxel_grid.h"
#include "core/compile/compile.h"
#include "core/document/edit.h"
#include "core/geometry/no_assets.h"
#include "core/lens/develop.h"
#include "core/lens/queries.h"
#include "core/scene/media.h"
#include "core/scene/ray_caster.h"
#include "core/scene/trace_count.h"
#include "core/transport/rendering.h"
#include "demo/scene_builder.h"

#include <fmt/format.h>

using namespace ilumbra;

namespace {

Document with(const Document& doc, const char* setting, double value) {
  return setValue(doc, doc.settings().id, setting, Constant(value));
}

// Mean over pixels of the variance of one sample, from two pictures of `samples` each, and seconds a sample.
struct Cost {
  double variance = 0, time = 0, mean = 0;
  uint64_t rays = 0;
};
using Compile = std::function<ScenePtr(const Document&, SceneCache&, const std::vector<LayerQuery>&)>;
Compile in(Hall& hall) {
  return [&](const Document& d, SceneCache& cache, const std::vector<LayerQuery>& more) {
    return hall.compile(d, cache, more);
  };
}

Cost cost(const Compile& compile, const Document& doc, uint32_t samples, NodeId seenOn = 0) {
  const Tasks tasks;
  const CancelFlag never;
  SceneCache cache;
  std::vector<Picture> pictures;
  std::vector<LayerQuery> queries;
  if (seenOn) queries.push_back({.name = "air", .things = {seenOn}});
  Cost c;
  for (int k = 0; k < 2; ++k) {
    Rendering r(compile(with(doc, "seed", 11 + k), cache, queries));
    c.time += seconds([&] { r.advance(tasks, samples, never); }) / (2.0 * samples);
    c.rays += r.count().rays;
    pictures.push_back(
        collect(r.film(), seenOn ? layerIndex(r.scene(), queries.front()) : 0, r.scene().groupScales, 1, tasks));
  }
  for (size_t i = 0; i < pictures[0].pixels(); ++i) {
    const double a = double(luminance(
                     pictures[0].color(int(i % size_t(pictures[0].width)), int(i / size_t(pictures[0].width))))),
                 b = double(luminance(
                     pictures[1].color(int(i % size_t(pictures[1].width)), int(i / size_t(pictures[1].width)))));
    c.variance += 0.5 * (a - b) * (a - b) * samples / double(pictures[0].pixels());
    c.mean += 0.5 * (a + b) / double(pictures[0].pixels());
  }
  return c;
}

// Light scattered once, its place chosen by distance alone over the whole of the way, as the plainest tracer does it.
Cost byDistance(const Scene& scene, float sigma, float anisotropy, uint32_t samples) {
  Cost c;
  TraceCount count;
  const RayCaster rays(scene, count, nullptr);
  std::vector<double> sum(size_t(scene.width) * size_t(scene.height)), squares(sum.size());
  c.time =
      seconds([&] {
        for (uint32_t k = 0; k < samples; ++k)
          for (int y = 0; y < scene.height; ++y)
            for (int x = 0; x < scene.width; ++x) {
              Sampler sampler(uint32_t(x), uint32_t(y), k, 3);
              const V2f jitter = sampler.get2();
              const Ray ray = scene.camera.ray(float(x) + jitter.x, float(y) + jitter.y, sampler.get2(), 0.5f);
              Hit hit;
              const float far = rays.intersect(ray.origin, ray.direction, std::numeric_limits<float>::infinity(), hit)
                                    ? hit.distance
                                    : std::numeric_limits<float>::infinity();
              const float t = -std::log(1 - sampler.get1()) / sigma;
              double value = 0;
              if (t < far) {
                const V3f at = ray.origin + ray.direction * t;
                LightSample s;
                const Emitter& e = scene.emitters.front();
                if (e.light->sample(at, sampler.get2(), s) && !rays.occluded(at, s.direction, s.distance * 0.9998f))
                  value = double(luminance(s.radiance * scene.groupScales[e.group]) *
                                 phase(dot(s.direction, ray.direction), anisotropy) * std::exp(-sigma * s.distance) /
                                 (std::isfinite(s.pdf) ? s.pdf : 1));
              }
              const size_t i = size_t(y) * size_t(scene.width) + size_t(x);
              sum[i] += value;
              squares[i] += value * value;
            }
      }) /
      samples;
  for (size_t i = 0; i < sum.size(); ++i) {
    const double mean = sum[i] / samples;
    c.variance += (squares[i] / samples - mean * mean) / double(sum.size());
    c.mean += mean / double(sum.size());
  }
  return c;
}

// A cloud of 256³ voxels: soft noise within a ball.
std::shared_ptr<const VoxelGrid> cloud() {
  auto g = std::make_shared<VoxelGrid>();
  constexpr int n = 256;
  for (int& s : g->size) s = n;
  g->density.resize(size_t(n) * n * n);
  for (int k = 0; k < 3; ++k) {
    g->toFile[k][k] = 2.0f / n;
    g->toFile[3][k] = -1;
  }
  size_t i = 0;
  for (int z = 0; z < n; ++z)
    for (int y = 0; y < n; ++y)
      for (int x = 0; x < n; ++x, ++i) {
        const V3f p((float(x) + 0.5f) / n * 2 - 1, (float(y) + 0.5f) / n * 2 - 1, (float(z) + 0.5f) / n * 2 - 1);
        const float wave = std::sin(9 * p.x + 3 * std::sin(5 * p.y)) * std::sin(8 * p.y + 2 * std::sin(7 * p.z)) *
                           std::sin(10 * p.z + 2 * p.x);
        g->density[i] = std::max(0.0f, 1 - length(p) + 0.35f * wave);
        g->densest = std::max(g->densest, g->density[i]);
      }
  return g;
}

void thinHaze(Hall& hall) {
  SceneBuilder b(hall.kinds);
  b.settings({{"width", "160"}, {"height", "120"}});
  b.add("material.surface", "Black", {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"roughness", "1"}});
  b.add("object.box", "Room",
        {{"width", "8"}, {"height", "5"}, {"depth", "12"}, {"position", "0, 0, 0"}, {"material", "Black"}});
  b.add("light.spot", "Spot",
        {{"power", "2000"}, {"position", "0, 2.2, 0"}, {"target", "0, -2, 0"}, {"cone", "14"}, {"edge", "0"}});
  b.add("air.haze", "Haze", {{"density", "0.02"}, {"anisotropy", "0.3"}});
  b.add("camera.lens", "Camera", {{"position", "0, 0, 5"}, {"target", "0, 0, 0"}, {"focal_length", "24"}});
  const Document doc = b.take();
  SceneCache cache;
  const ScenePtr scene = hall.compile(doc, cache, {});
  const Cost ours = cost(in(hall), doc, 64), plain = byDistance(*scene, 0.02f, 0.3f, 512);
  const Tasks tasks;
  line("beam in thin haze: variance at equal time, distance sampling ÷ ours", "≥ 20",
       fmt::format("{:.0f}", plain.variance * plain.time / tasks.threads() / (ours.variance * ours.time)),
       fmt::format("a spot of 14° in a black room, 0.02 to the metre, 160×120; by samples {:.0f} (means {:.3g} and "
                   "{:.3g} cd/m²)",
                   plain.variance / ours.variance, plain.mean, ours.mean));
}

void fittedBeam(Hall& hall) {
  SceneBuilder b(hall.kinds);
  b.settings({{"width", "240"}, {"height", "135"}});
  Document doc = with(with(hall.doc, "width", 240), "height", 135);
  NodeId spot = 0, beam = 0, haze = 0;
  doc = addNode(doc, "light.spot", "Bench spot", {}, &spot);
  const auto set = [&](NodeId id, const char* param, const char* text) {
    doc = setValue(doc, id, param, parseValue(doc, *doc.find(id)->kind->param(param), text));
  };
  for (const auto& [param, value] : {std::pair{"power", "3000"},
                                     {"position", "-1.4, 2.2, 0.4"},
                                     {"target", "0, 0, -0.4"},
                                     {"cone", "14"},
                                     {"radius", "0.02"}})
    set(spot, param, value);
  const Document bare = doc;
  doc = addNode(doc, "air.beam", "Bench beam", {}, &beam);
  for (const auto& [param, value] :
       {std::pair{"light", "Bench spot"}, {"reach", "3.2"}, {"density", "0.08"}, {"edge", "0"}, {"fade", "0"}})
    set(beam, param, value);
  const Document fitted = doc;
  doc = addNode(bare, "air.haze", "Bench haze", {}, &haze);
  set(haze, "density", "0.08");
  const Document whole = doc;
  // The noise of what is seen in the air.
  const Cost none = cost(in(hall), bare, 24), cone = cost(in(hall), fitted, 24, beam),
             all = cost(in(hall), whole, 24, haze);
  const double ratio = (all.variance * all.time) / (cone.variance * cone.time);
  line("time to equal noise, haze in the whole hall ÷ a fitted beam", "≥ 5", fmt::format("{:.1f}", ratio),
       fmt::format("orrery-hall 240×135 and a spot; what is seen in the air: a sample takes {:.2f} and {:.2f} of the "
                   "time without air, its variance is {:.2g} and {:.2g} (cd/m²)²",
                   all.time / none.time, cone.time / none.time, all.variance, cone.variance));
}

void cloudOfVoxels(Hall& hall) {
  const auto sunny = [&](SceneBuilder& b) {
    b.settings({{"width", "320"}, {"height", "240"}});
    b.add("light.sun", "Sun", {{"power", "40000"}, {"height", "50"}, {"bearing", "-40"}});
    b.add("camera.lens", "Camera", {{"position", "0, 0.6, 5"}, {"target", "0, 0, 0"}, {"focal_length", "40"}});
  };
  SceneBuilder voxels(hall.kinds), balls(hall.kinds);
  sunny(voxels);
  sunny(balls);
  voxels.add("air.grid", "Cloud", {{"file", "cloud.vdb"}, {"density", "6"}, {"anisotropy", "0.4"}});
  for (int i = 0; i < 16; ++i) {
    const std::string name = fmt::format("Ball {}", i + 1);
    balls.set(balls.add("object.sphere", name.c_str(),
                        {{"radius", "0.45"},
                         {"position", fmt::format("{:.2f}, {:.2f}, {:.2f}", -0.9 + 0.6 * (i % 4), -0.9 + 0.6 * (i / 4),
                                                  0.3 * (i % 3) - 0.3)
                                          .c_str()}}),
              {{"shown", "off"}});
    balls.add("air.haze", "Haze", {{"fills", name.c_str()}, {"density", "2"}, {"anisotropy", "0.4"}});
  }
  const auto grid = cloud();
  const auto withGrid = [&](const Document& d, SceneCache& cache, const std::vector<LayerQuery>&) {
    struct Cloud : NoAssets {
      std::shared_ptr<const VoxelGrid> grid;
      explicit Cloud(std::shared_ptr<const VoxelGrid> g) : grid(std::move(g)) {}
      std::shared_ptr<const VoxelGrid> volume(const std::string&, const GridNames&) const override { return grid; }
    };
    return compileScene(d, {.frame = 1, .queries = {}}, Cloud(grid), cache);
  };
  const Cost a = cost(withGrid, voxels.take(), 16), b = cost(withGrid, balls.take(), 16);
  line("rays a second through a cloud of 256³ voxels ÷ through 16 balls of haze", "told",
       fmt::format("{:.2f}", (double(a.rays) / a.time) / (double(b.rays) / b.time)),
       fmt::format("under a sun, 320×240: {:.2f} and {:.2f} M rays a second", double(a.rays) / (32 * a.time) / 1e6,
                   double(b.rays) / (32 * b.time) / 1e6));
}

void playingMist(Hall& hall) {
  SceneBuilder b(hall.kinds);
  b.settings({{"width", "960"}, {"height", "540"}});
  b.add("camera.lens", "Camera", {});
  const NodeId mist = b.add("pattern.mist", "Swathes", {{"height", "0.55"}, {"space", "camera"}});
  b.add("mist.layer", "Far bank", {{"scale", "0.5"}, {"octaves", "5"}, {"drift", "0.03, 0, 0"}, {"loop", "120"}},
        {mist, "layers"});
  b.add("mist.layer", "Near bank",
        {{"family", "rolling"}, {"scale", "0.22"}, {"drift", "0.075, 0.004, 0"}, {"loop", "120"}}, {mist, "layers"});
  b.add("plate.picture", "Mist plate", {{"shows", "colour"}, {"lies", "in front"}, {"coverage", "pattern Swathes"}});
  const Document doc = b.take();
  const Tasks tasks;
  SceneCache cache;
  const auto frames = [&](bool playing) {
    return seconds([&] {
             for (int f = 1; f <= 24; ++f) {
               const Document now = with(doc, "frame", f);
               developPlates(now, f,
                             *compileScene(now, {.frame = double(f), .queries = lensQueries(now), .playing = playing},
                                           NoAssets(), cache),
                             tasks);
             }
           }) /
           24;
  };
  const Picture picture =
      developPlates(doc, 1, *compileScene(doc, {.queries = lensQueries(doc)}, NoAssets(), cache), tasks).picture;
  const double copy = seconds([&] {
                        for (int i = 0; i < 24; ++i) {
                          const Picture other = picture;
                          if (other.rgb.back() < 0) std::abort(); // so that it is made
                        }
                      }) /
                      24;
  const double playing = frames(true), still = frames(false);
  line(
      "a frame of a mist plate that plays ÷ copying it once", "told", fmt::format("{:.0f}", playing / copy),
      fmt::format("two layers that loop, 960×540: {:.0f} ms; {:.0f} ms where it stands", 1000 * playing, 1000 * still));
}

} // namespace

void airRatios(Hall& hall) {
  thinHaze(hall);
  fittedBeam(hall);
  cloudOfVoxels(hall);
  playingMist(hall);
}
