#include "core/exchange/frames.h"
#include "core/exchange/carried_document.h"

#include "core/base/error.h"
#include "core/compile/compile.h"
#include "core/compile/even_patterns.h"
#include "core/display/view.h"
#include "core/document/edit.h"
#include "core/exchange/assets.h"
#include "core/exchange/passes.h"
#include "core/image/convolution.h"
#include "core/lens/develop.h"
#include "core/lens/queries.h"

#include <filesystem>
#include <fmt/format.h>
#include <future>
#include <optional>

namespace ilumbra {

std::string frameName(const std::string& output, int frame) {
  const std::filesystem::path p(output);
  return (p.parent_path() / fmt::format("{}.{:04d}{}", p.stem().string(), frame, p.extension().string())).string();
}

// One frame, and its alpha for files that keep it apart.
static std::pair<PictureFile, std::vector<float>> renderFrame(const Document& given, double frame, SceneCache& cache,
                                                              ConvolutionCache& convolutions, AssetCache& assets,
                                                              const Tasks& tasks, const CancelFlag& cancel) {
  const FileAssets files = assets.assets(given.folder(), &cancel);
  const Document doc = withEvenValues(given, frame, files);
  const ScenePtr scene = compileScene(doc,
                                      {.frame = frame,
                                       .queries = lensQueries(doc),
                                       .masks = lensMasks(doc),
                                       .overscan = lensOverscan(doc),
                                       .layerMemory = size_t(4) << 30},
                                      files, cache, &cancel);
  PictureFile file;
  if (scene->bare()) {
    file = platesFile(
        doc, frame, *scene,
        developPlates(doc, frame, *scene, tasks, {.assets = &files, .cancel = &cancel, .convolutions = &convolutions}));
  } else {
    const Params settings = settingsOf(doc);
    Rendering rendering(scene);
    const auto target = uint32_t(settings.number("samples"));
    while (rendering.samples() < target && !rendering.converged())
      if (!rendering.advance(tasks, rendering.nextPass(target), cancel, {}, settings.number("noise")))
        throw cancelled();
    std::optional<Denoiser> denoiser;
    if (settings.flag("denoise") && rendering.samples() > 1) denoiser.emplace(rendering.film(), tasks, &cancel);
    const LensResult developed = develop(
        doc, frame, *scene, rendering.film(),
        sceneLight(*scene, rendering.film(), scene->groupScales, tasks, denoiser ? &*denoiser : nullptr, &cancel),
        tasks, {.assets = &files, .cancel = &cancel, .convolutions = &convolutions, .works = false});
    file =
        pictureFile(doc, frame, rendering, scene->groupScales, developed, {}, tasks, denoiser ? &*denoiser : nullptr);
  }
  const std::vector<float>& picture = file.layers.front().data;
  std::vector<float> alpha(picture.size() / 4);
  for (size_t i = 0; i < alpha.size(); ++i) alpha[i] = picture[4 * i + 3];
  return {std::move(file), std::move(alpha)};
}

int writeFrames(const Document& base, const std::string& output, int first, int last, AssetCache& assets,
                const ColorViews& views, const CancelFlag& cancel, const std::function<void(int frame)>& done,
                const CancelFlag* soon) {
  if (!isPictureName(output)) throw usageError(output + ": a picture is written as .exr, .png, .jpg, .tif or .hdr");
  if (last < first || last - first > 100000)
    throw usageError(fmt::format("{} to {} is no range of frames", first, last));
  const Tasks tasks(0, true);
  SceneCache cache;
  ConvolutionCache convolutions;
  const std::string view = settingsOf(base).text("view");
  // While a frame is written the next is made.
  std::future<void> writing;
  const auto written = [&](int frame) {
    writing.get();
    if (done) done(frame);
  };
  int frame = first;
  for (; frame <= last && !(soon && soon->requested()); ++frame) {
    auto made = renderFrame(atFrame(base, frame), frame, cache, convolutions, assets, tasks, cancel);
    if (writing.valid()) written(frame - 1);
    if (cancel.requested()) throw cancelled();
    const std::string name = frameName(output, frame);
    carryDocument(made.first, atFrame(base, frame), name);
    writing = std::async(std::launch::async, [&views, &view, made = std::move(made), name] {
      writePicture(made.first, name, views, view, &made.second);
    });
  }
  if (writing.valid()) written(frame - 1);
  return frame - 1;
}

} // namespace ilumbra
