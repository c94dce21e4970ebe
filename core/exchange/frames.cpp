#include "core/exchange/frames.h"

#include "core/base/error.h"
#include "core/color/view.h"
#include "core/document/edit.h"
#include "core/exchange/assets.h"
#include "core/exchange/passes.h"
#include "core/render/plate.h"

#include <filesystem>
#include <fmt/format.h>
#include <optional>

namespace ilumbra {

std::string frameName(const std::string& output, int frame) {
  const std::filesystem::path p(output);
  return (p.parent_path() / fmt::format("{}.{:04d}{}", p.stem().string(), frame, p.extension().string())).string();
}

void writeFrames(const Document& base, const std::string& output, int first, int last, AssetCache& assets, const ColorViews& views, const CancelFlag& cancel, const std::function<void(int frame)>& done) {
  if (!isPictureName(output)) throw usageError(output + ": a picture is written as .exr, .png, .jpg, .tif or .hdr");
  if (last < first || last - first > 100000) throw usageError(fmt::format("{} to {} is no range of frames", first, last));
  const Tasks tasks(0, true);
  SceneCache cache;
  for (int frame = first; frame <= last; ++frame) {
    const Document doc = setValue(base, base.settings().id, "frame", Constant(double(frame)));
    const ScenePtr scene = compileScene(doc, {.frame = double(frame), .queries = lensQueries(doc), .layerMemory = size_t(4) << 30}, assets.assets(doc.folder(), &cancel), cache, &cancel);
    const Params settings = settingsOf(doc);
    Rendering rendering(scene);
    // Nothing that a ray could meet: one sample says that.
    const bool empty = scene->instances.empty() && scene->skies.empty() && !scene->air;
    const auto target = empty ? 1u : uint32_t(settings.number("samples"));
    while (rendering.samples() < target && !rendering.calm())
      if (!rendering.advance(tasks, rendering.nextPass(target), cancel, {}, settings.number("noise"))) throw cancelled();
    std::optional<Denoiser> denoiser;
    if (settings.flag("denoise") && rendering.samples() > 1) denoiser.emplace(rendering.film(), tasks, &cancel);
    const LensResult developed = develop(doc, frame, *scene, collectLayers(*scene, rendering.film(), scene->amounts, tasks, denoiser ? &*denoiser : nullptr), tasks);
    const PictureFile file = pictureFile(doc, frame, rendering, scene->amounts, developed, {}, tasks, denoiser ? &*denoiser : nullptr);
    std::vector<float> alpha(developed.picture.pixels());
    for (size_t i = 0; i < alpha.size(); ++i) alpha[i] = plateAlpha(scene->plates.get(), rendering.film(), i);
    if (cancel.requested()) throw cancelled();
    writePicture(file, frameName(output, frame), views, settings.text("view"), &alpha);
    if (done) done(frame);
  }
}

} // namespace ilumbra
