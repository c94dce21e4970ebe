#include "bench/parts.h"

#include "core/film/film.h"
#include "core/scene/geometry.h"
#include "core/scene/trace_count.h"
#include "core/transport/camera_path.h"
#include "core/transport/rendering.h"

#include <fmt/format.h>

using namespace ilumbra;

void traversalRatios(Hall& hall) {
  const Document doc = sized(hall.doc, 480, 270);
  SceneCache cache;
  const ScenePtr scene = hall.compile(doc, cache);
  const CancelFlag never;
  const Tasks one(1), two(2);
  const RayLog log = raysOf(*scene, 4);
  Rendering r;
  std::vector<double> shares, scalings, bareScalings;
  for (int run = 0; run < 5; ++run) {
    const auto pass = [&](const Tasks& tasks) {
      r.restart(scene);
      return seconds([&] { r.advance(tasks, 4, never); });
    };
    const auto bare = [&](const Tasks& tasks) {
      constexpr size_t chunk = 4096;
      return seconds([&] {
        tasks.forEach(int((log.rays.size() + chunk - 1) / chunk), [&](int i) {
          replay(log.rays, size_t(i) * chunk, std::min(log.rays.size(), size_t(i + 1) * chunk));
        });
      });
    };
    const double p1 = pass(one), b1 = bare(one), p2 = pass(two), b2 = bare(two);
    shares.push_back(b1 / p1);
    scalings.push_back(p1 / p2);
    bareScalings.push_back(b1 / b2);
  }
  line("share of a path-tracing pass that is Embree traversal", "≥ 0.35", fmt::format("{:.2f}", median(shares)),
       fmt::format("orrery-hall 480×270, 4 samples: {:.2f} M rays replayed bare ÷ the pass, one thread, median of 5",
                   double(log.rays.size()) / 1e6));
  std::vector<double> ratio;
  for (size_t i = 0; i < scalings.size(); ++i) ratio.push_back(scalings[i] / bareScalings[i]);
  line("second core: our scaling ÷ bare Embree's", "≥ 0.95", fmt::format("{:.2f}", median(ratio)),
       fmt::format("the same pass and rays: ours × {:.2f}, bare × {:.2f}", median(scalings), median(bareScalings)));
}
