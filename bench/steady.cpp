// How still pictures are from frame to frame while the camera moves.
#include "bench/parts.h"

#include "core/compile/camera.h"
#include "core/document/edit.h"
#include "core/image/picture_ops.h"
#include "core/lens/develop.h"
#include "core/transport/rendering.h"
#include "demo/starters.h"

#include <cmath>
#include <fmt/format.h>

using namespace ilumbra;

// Denoised frames less clean ones are their noise; its second differences over three frames, which see what changes
// at random and not what slides along, are told against what new noise in each frame would give: √6 of it.
void steadyRatios(Hall& hall) {
  const Tasks tasks;
  const CancelFlag never;
  constexpr int frames = 5;
  for (const auto& [starter, what] :
       {std::pair{"brass-nephroid", "caustics"}, std::pair{"slotted-shutter", "beams in haze"}}) {
    Document doc = sized(
        writeStarter(findStarter(starter), hall.kinds, fmt::format("{}/{}.ilum", hall.folder, starter)), 160, 100);
    // A slow push: a hundredth of the way to what it looks at each frame.
    const Node& camera = *doc.family("camera").front();
    const Params p(camera, 1);
    const Triple from = p.triple("position"), at = p.triple("target");
    Triple to = from;
    for (size_t c = 0; c < 3; ++c) to[c] += 0.01 * frames * (at[c] - from[c]);
    doc = setValue(doc, camera.id, "position",
                   Keys{{{1, from, KeyShape::Linear}, {1 + double(frames), to, KeyShape::Linear}}});
    SceneCache cache;
    const auto shown = [&](int frame, uint32_t samples, bool denoise) {
      const Document now = atFrame(doc, frame);
      Rendering r(compileScene(now, {.frame = double(frame)}, hall.assets.assets(hall.folder), cache));
      r.advance(tasks, samples, never);
      std::optional<Denoiser> denoiser;
      if (denoise) denoiser.emplace(r.film(), tasks);
      const SceneLight light =
          sceneLight(r.scene(), r.film(), r.scene().groupScales, tasks, denoiser ? &*denoiser : nullptr);
      Picture sum = light.layers.front();
      for (size_t l = 1; l < light.layers.size(); ++l) addTo(sum, light.layers[l], tasks);
      // As bright as it looks: dark noise counts, what is burnt out does not.
      const float exposure = exposureFactor(now, frame);
      for (float& v : sum.rgb) v = std::log2(1e-2f + exposure * std::max(0.0f, v));
      return sum;
    };
    std::vector<Picture> noise;
    double own = 0, changes = 0;
    for (int f = 1; f <= frames; ++f) {
      Picture e = shown(f, 8, true);
      const Picture clean = shown(f, 128, false);
      for (size_t i = 0; i < e.rgb.size(); ++i) {
        e.rgb[i] -= clean.rgb[i];
        own += double(e.rgb[i]) * double(e.rgb[i]) / frames;
      }
      noise.push_back(std::move(e));
    }
    for (size_t f = 1; f + 1 < noise.size(); ++f)
      for (size_t i = 0; i < noise[f].rgb.size(); ++i)
        changes +=
            std::pow(double(noise[f - 1].rgb[i]) - 2 * double(noise[f].rgb[i]) + double(noise[f + 1].rgb[i]), 2) /
            (frames - 2);
    line(fmt::format("flicker with a slow camera ÷ that of new noise in each frame: {}", what), "< 1",
         fmt::format("{:.2f}", std::sqrt(changes / own / 6)),
         fmt::format(
             "{} 160×100, 8 samples, denoised, against 128: second differences in time over {} frames, a push of a "
             "hundredth of the way in each; one frame's noise is {:.2f} stops",
             starter, frames, std::sqrt(own / double(noise[0].rgb.size()))));
  }
}
