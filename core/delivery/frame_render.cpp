#include "core/delivery/frame_render.h"

#include "core/base/error.h"
#include "core/compile/camera.h"
#include "core/compile/even_patterns.h"
#include "core/delivery/chunk.h"
#include "core/lens/develop.h"
#include "core/lens/queries.h"

#include <chrono>
#include <fmt/format.h>

namespace ilumbra {

RenderedFrame renderFrame(const Document& given, double frame, FrameMaker& maker, const FrameOptions& o) {
  using Clock = std::chrono::steady_clock;
  const auto start = Clock::now();
  const auto elapsed = [&] { return std::chrono::duration<double>(Clock::now() - start).count(); };
  static const CancelFlag never;
  const CancelFlag& cancel = o.cancel ? *o.cancel : never;
  const FileAssets files = maker.assets.assets(given.folder(), &cancel);
  RenderedFrame r{withEvenValues(given, frame, files), {}, {}, nullptr, frame, 0};
  const Params settings = settingsOf(r.doc);
  const int width = int(settings.number("width")), height = int(settings.number("height"));
  if (const Region& g = o.region; g.width && (g.x < 0 || g.y < 0 || g.width < 1 || g.height < 1 ||
                                              g.x + g.width > width || g.y + g.height > height))
    throw usageError(
        fmt::format("the region {},{},{},{} does not lie inside the picture", g.x, g.y, g.width, g.height));
  std::vector<LayerQuery> queries = lensQueries(r.doc);
  for (LayerQuery& q : passQueries(o.passes))
    if (std::find(queries.begin(), queries.end(), q) == queries.end()) queries.push_back(std::move(q));
  const ScenePtr scene = compileScene(r.doc,
                                      {.frame = frame,
                                       .queries = std::move(queries),
                                       .masks = lensMasks(r.doc),
                                       .overscan = lensOverscan(r.doc),
                                       .layerMemory = size_t(4) << 30},
                                      files, maker.cache, &cancel);
  if (!activeCamera(r.doc)) throw badInput("has no camera");
  r.rendering = Rendering(scene);
  const auto target = uint32_t(settings.number("samples"));
  const double noise = settings.number("noise");
  const LensOptions lens{.on = o.lens,
                         .assets = &files,
                         .cancel = &cancel,
                         .convolutions = &maker.convolutions,
                         .works = o.works || std::find(o.passes.begin(), o.passes.end(), "lens") != o.passes.end()};
  if (scene->bare()) {
    r.developed = developPlates(r.doc, frame, *scene, maker.tasks, lens);
    r.seconds = elapsed();
    return r;
  }
  // Up to so many samples, or till the time is over.
  const auto advance = [&](Rendering& rendering, uint32_t before, uint32_t samples, double wantedNoise) {
    while (rendering.samples() < samples && !rendering.converged()) {
      if (!rendering.advance(maker.tasks, rendering.nextPass(samples), cancel, o.region, wantedNoise))
        throw cancelled();
      if (o.progress) o.progress(before + rendering.samples(), o.only ? samples : target, elapsed());
      if (o.seconds > 0 && elapsed() >= o.seconds) return;
    }
  };
  if (o.films) {
    o.films(scene, r.rendering);
  } else if (o.only) {
    r.rendering.restart(scene, 1, false, o.only->from);
    advance(r.rendering, 0, o.only->to - o.only->from, 0);
    r.seconds = elapsed();
    return r;
  } else if (o.chunks > 0) {
    for (const Chunk& c : chunksOf(target, o.chunks)) {
      Rendering part;
      part.restart(scene, 1, false, c.from);
      advance(part, c.from, c.to - c.from, 0);
      r.rendering.append(part);
    }
  } else {
    advance(r.rendering, 0, target, noise);
  }
  if (settings.flag("denoise") && r.rendering.samples() > 1)
    r.denoiser = std::make_shared<Denoiser>(r.rendering.film(), maker.tasks, &cancel);
  r.developed =
      develop(r.doc, frame, *scene, r.rendering.film(),
              sceneLight(*scene, r.rendering.film(), scene->groupScales, maker.tasks, r.denoiser.get(), &cancel),
              maker.tasks, lens);
  r.seconds = elapsed();
  return r;
}

PictureFile pictureOf(const RenderedFrame& r, const std::vector<std::string>& passes, const Tasks& tasks) {
  const Scene& scene = r.rendering.scene();
  if (scene.bare()) return platesFile(r.doc, r.frame, scene, r.developed);
  return pictureFile(r.doc, r.frame, r.rendering, scene.groupScales, r.developed, passes, tasks, r.denoiser.get());
}

} // namespace ilumbra
