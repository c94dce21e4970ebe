#include "bench/parts.h"

#include "bench/measure.h"
#include "core/document/edit.h"
#include "core/lens/stack.h"
#include "demo/scene_builder.h"

#include <cstring>
#include <fmt/format.h>

using namespace ilumbra;

namespace {

// A dark street: some forty lamps of different size and colour over a dim ground.
Picture night(int w, int h) {
  Picture p(w, h);
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x)
      for (int k = 0; k < 3; ++k)
        p.at(x, y)[k] = 0.02f + 0.06f * float(y) / float(h) + 0.01f * float((x * 7 + y * 13 + k) % 17) / 17;
  for (int i = 0; i < 40; ++i) {
    const int cx = (i * 463) % w, cy = h / 5 + (i * 211) % (3 * h / 5), r = 2 + i % 7;
    for (int y = std::max(0, cy - r); y <= std::min(h - 1, cy + r); ++y)
      for (int x = std::max(0, cx - r); x <= std::min(w - 1, cx + r); ++x)
        if ((x - cx) * (x - cx) + (y - cy) * (y - cy) <= r * r)
          for (int k = 0; k < 3; ++k) p.at(x, y)[k] = 20.0f * float(1 + (i + k) % 3);
  }
  return p;
}
} // namespace

void lensRatios(Hall& hall) {
  const int w = 1920, h = 1080;
  const Picture p = night(w, h);
  Picture copy(w, h);
  const Tasks tasks;
  const double copied = best(20, [&] { std::memcpy(copy.rgb.data(), p.rgb.data(), p.rgb.size() * 4); });
  const auto through = [&](const Document& doc) {
    return best(5, [&] {
      LensLight light;
      light.layers.push_back({{}, p});
      applyLens(LensContext::of(doc, 1, w, h, tasks), std::move(light), {.works = false});
    });
  };
  std::string each;
  for (const LensStage& s : allStages()) {
    SceneBuilder b(hall.kinds);
    b.add("camera.lens", "Camera", {});
    b.add(s.kind.id.c_str(), "Stage", {});
    Document doc = b.take();
    const NodeId stage = doc.findByName("Stage")->id;
    if (s.kind.id == "lens.displace") doc = setValue(doc, stage, "map", Constant(0.9));
    if (s.kind.id == "lens.mirror_copy") doc = setValue(doc, stage, "spread_along", Constant(0.02));
    if (s.kind.id == "lens.grade") doc = setValue(doc, stage, "contrast", Constant(1.2));
    each += fmt::format("{}{} {:.0f}", each.empty() ? "" : ", ", s.kind.label.c_str(), through(doc) / copied);
  }
  line("each lens stage at 1920×1080 ÷ copying that frame once", "told", fmt::format("{:.1f} ms a copy", copied * 1e3),
       each + " (as a stack of one, with its defaults; a dark frame with 40 lamps; all threads)");
  SceneBuilder b(hall.kinds);
  b.add("camera.lens", "Camera", {});
  b.add("lens.glow", "Glow", {{"size", "15 %"}});
  b.add("lens.streaks", "Streaks", {{"rays", "6"}});
  b.add("lens.starburst", "Starburst", {});
  b.add("lens.ghosts", "Ghosts", {{"lens", "Normal six, 60 mm"}});
  b.add("lens.fringe", "Fringe", {});
  b.add("lens.vignette", "Vignette", {});
  b.add("lens.grade", "Grade", {{"contrast", "1.1"}});
  b.add("lens.grain", "Grain", {});
  line("the lens stack of a night shot at 1920×1080 ÷ copying that frame once", "≤ 120",
       fmt::format("{:.0f}", through(b.take()) / copied),
       "glow, six streaks, starburst, ghosts of a normal lens, fringe, vignette, grade, grain");
}
