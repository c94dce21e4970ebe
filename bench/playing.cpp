// Frames from the cache, against the time that a frame has at 24 a second.
#include "bench/parts.h"

#include "core/display/view.h"
#include "core/document/edit.h"
#include "core/image/convolution.h"
#include "core/lens/develop.h"
#include "core/lens/queries.h"
#include "core/session/kept_frame.h"
#include "core/transport/rendering.h"

#include <fmt/format.h>
#include <optional>

using namespace ilumbra;

void playingRatios(Hall& hall) {
  const Tasks tasks;
  const ColorViews views;
  const ViewTable table(views, "ACES SDR", tasks);
  const CancelFlag never;
  for (const auto& [width, height] : {std::pair{640, 360}, {1280, 720}}) {
    const Document doc = sized(hall.doc, width, height);
    SceneCache cache;
    const ScenePtr scene = hall.compile(doc, cache);
    Rendering rendering(scene);
    rendering.advance(tasks, 2, never);
    const Denoiser denoiser(rendering.film(), tasks);
    LensSight sight;
    const double frame = currentFrame(doc);
    ConvolutionCache convolutions;
    develop(doc, frame, *scene, rendering.film(),
            sceneLight(*scene, rendering.film(), scene->groupScales, tasks, &denoiser), tasks,
            {.convolutions = &convolutions, .sight = &sight, .works = false});
    std::optional<KeptFrame> kept;
    const double packing = seconds([&] { kept.emplace(rendering, doc, scene->groupScales, &denoiser, sight, tasks); });
    const auto shown = [&](bool lens) {
      return best(8, [&] {
        const auto r = kept->develop(doc, frame, tasks,
                                     {.on = lens, .convolutions = &convolutions, .works = false, .shares = false});
        if (!r) std::abort();
        table.apply(r->picture, tasks, 1, true);
      });
    };
    const double bare = shown(false), lens = shown(true);
    const std::string size = fmt::format("{} × {}", width, height);
    line("frames a second from the cache, " + size + ", without lens", "≥ 24", fmt::format("{:.0f}", 1 / bare),
         "unpacked, mixed, through the display view; the hall with three live lights");
    line("frames a second from the cache, " + size + ", lens live", "≥ 12", fmt::format("{:.0f}", 1 / lens),
         "the same with the hall's six glows");
    line("120 frames of " + size + " in the cache, MiB", width == 640 ? "≤ 768" : "told",
         fmt::format("{:.0f}", 120.0 * double(kept->bytes()) / (1 << 20)), "packed, three live lights");
    line("keeping a frame of " + size + " ÷ showing it", "told", fmt::format("{:.1f}", packing / lens),
         "the live lights denoised one by one, and packed");
  }
}
