#include "bench/parts.h"

#include "core/film/denoise.h"
#include "core/film/film.h"
#include "core/geometry/no_assets.h"
#include "core/lens/develop.h"
#include "core/transport/rendering.h"
#include "demo/scene_builder.h"
#include "demo/starters.h"

#include <fmt/format.h>

using namespace ilumbra;

namespace {

double squaredError(const Picture& a, const Picture& b) {
  double sum = 0;
  for (size_t i = 0; i < a.rgb.size(); ++i) {
    const double d = double(a.rgb[i]) - double(b.rgb[i]);
    sum += d * d;
  }
  return sum / double(a.rgb.size());
}

// A matte room with many small lamps over many bodies.
Document lampRoom(const std::shared_ptr<const Kinds>& kinds, int lamps, int width, int height) {
  SceneBuilder b(kinds);
  b.settings({{"width", std::to_string(width).c_str()}, {"height", std::to_string(height).c_str()}});
  b.add("material.surface", "Chalk", {{"base_color", "0.6, 0.58, 0.55"}, {"ior", "1"}, {"roughness", "1"}});
  b.add("object.plane", "Floor", {{"width", "12"}, {"depth", "12"}, {"material", "Chalk"}});
  b.add("object.plane", "Wall",
        {{"width", "12"}, {"depth", "5"}, {"position", "0, 2.5, -4"}, {"turn", "90, 0, 0"}, {"material", "Chalk"}});
  for (int i = 0; i < 36; ++i)
    b.add("object.torus", "Ring",
          {{"radius", "0.32"},
           {"tube", "0.11"},
           {"segments", "256"},
           {"sides", "96"},
           {"position", fmt::format("{}, 0.4, {}", -2.5 + i % 6, -2.5 + i / 6).c_str()},
           {"turn", fmt::format("{}, {}, 0", i * 37 % 90, i * 53 % 90).c_str()},
           {"material", "Chalk"}});
  for (int i = 0; i < lamps; ++i)
    b.add("light.point", "Lamp",
          {{"power", fmt::format("{}", 20 + i * 7919 % 160).c_str()},
           {"radius", "0.03"},
           {"position", fmt::format("{:.3f}, {:.3f}, {:.3f}", -4 + 8 * ((i * 0.618) - std::floor(i * 0.618)),
                                    0.6 + 1.8 * ((i * 0.414) - std::floor(i * 0.414)), -3.5 + 7.0 * i / lamps)
                            .c_str()},
           {"seen", "off"}});
  b.add("camera.lens", "Camera", {{"position", "0, 2.6, 6.2"}, {"target", "0, 0.5, 0"}, {"focal_length", "32"}});
  return b.take();
}

} // namespace

void samplingRatios(Hall& hall) {
  const Tasks tasks;
  const CancelFlag never;
  SceneCache cache;
  const auto compile = [&](const Document& d) {
    return compileScene(d, {.frame = 1, .queries = {}}, NoAssets(), cache);
  };
  const auto picture = [&](const Rendering& r) { return collect(r.film(), 0, r.scene().groupScales, 1, tasks); };
  {
    const ScenePtr scene = compile(lampRoom(hall.kinds, 1, 480, 270));
    const RayLog log = raysOf(*scene, 4);
    const Tasks one(1);
    Rendering r;
    std::vector<double> shares;
    for (int run = 0; run < 5; ++run) {
      r.restart(scene);
      const double pass = seconds([&] { r.advance(one, 4, never); }),
                   bare = seconds([&] { replay(log.rays, 0, log.rays.size()); });
      shares.push_back(bare / pass);
    }
    line("the same in a diffuse scene", "≥ 0.5", fmt::format("{:.2f}", median(shares)),
         fmt::format("36 rings of 49 k triangles under one lamp, 480×270, 4 samples: {:.2f} M rays",
                     double(log.rays.size()) / 1e6));
  }
  const Document doc = lampRoom(hall.kinds, 100, 96, 64);
  const ScenePtr scene = compile(doc);
  Rendering reference(scene), mine(scene);
  reference.advance(tasks, 1024, never);
  const Picture truth = picture(reference);
  const double time = seconds([&] { mine.advance(tasks, 16, never); });
  const double error = squaredError(picture(mine), truth);
  // Plain random numbers: each sample the first of another seed.
  Picture sum(96, 64);
  for (int k = 0; k < 16; ++k) {
    const Rendering one = [&] {
      Rendering r(compile(setValue(doc, doc.settings().id, "seed", Constant(double(100 + k)))));
      r.advance(tasks, 1, never);
      return r;
    }();
    const Picture p = picture(one);
    for (size_t i = 0; i < p.rgb.size(); ++i) sum.rgb[i] += p.rgb[i] / 16;
  }
  line("variance of plain random numbers ÷ ours", "> 1", fmt::format("{:.2f}", squaredError(sum, truth) / error),
       "a matte room with 100 lamps, 96×64, 16 samples each, against 1024 samples");
  // Uniform choice: a tree that knows nothing of its lamps.
  const auto blind = std::const_pointer_cast<Scene>(compile(doc));
  std::vector<LightTree::Entry> entries(blind->emitters.size());
  for (LightTree::Entry& e : entries) e.reach.radius = 1e6f;
  blind->tree = LightTree(entries);
  Rendering even(blind);
  const double evenTime = seconds([&] { even.advance(tasks, 16, never); });
  const double evenError = squaredError(picture(even), truth);
  line("variance at equal time, uniform choice of lamps ÷ ours", "> 1",
       fmt::format("{:.1f}", evenError * evenTime / (error * time)),
       fmt::format("the same room; by samples {:.1f}", evenError / error));
  // The sun core with its lamp seen in glass and brass: where noise is what it mostly is.
  const Document core = sized(findStarter("sun-core").make(hall.kinds).doc, 160, 90);
  std::string each;
  double least = 1e9;
  for (const auto& [name, d] : {std::pair{"the same room", doc}, std::pair{"the sun core 160×90", core}}) {
    const ScenePtr s = hall.compile(d, cache);
    Rendering far(s), near(s);
    far.advance(tasks, 512, never);
    near.advance(tasks, 16, never);
    const Picture raw = picture(near), wanted = picture(far), clean = Denoiser(near.film(), tasks).apply(raw, tasks);
    // As the eye would have it: by the root, so that a few bright pixels are not all.
    double before = 0, after = 0;
    for (size_t i = 0; i < raw.rgb.size(); ++i) {
      const auto root = [](float v) { return std::sqrt(std::max(0.0, double(v))); };
      before += std::pow(root(raw.rgb[i]) - root(wanted.rgb[i]), 2);
      after += std::pow(root(clean.rgb[i]) - root(wanted.rgb[i]), 2);
    }
    least = std::min(least, before / after);
    each += fmt::format("{}{}: {:.1f}", each.empty() ? "" : ", ", name, before / after);
  }
  line("squared error raw ÷ denoised, least of two", "> 1", fmt::format("{:.1f}", least),
       each + " (16 samples, square roots of light, against 512 samples)");
  // What denoising costs, in samples that could have been taken instead: all layers of the hall, and what covers it.
  const ScenePtr shown = hall.compile(sized(hall.doc, 480, 270), cache);
  std::vector<double> costs;
  for (int run = 0; run < 5; ++run) {
    Rendering r(shown);
    const double samples = seconds([&] { r.advance(tasks, 8, never); }) / 8;
    costs.push_back(seconds([&] {
                      const Denoiser denoiser(r.film(), tasks);
                      sceneLight(*shown, r.film(), shown->groupScales, tasks, &denoiser);
                    }) /
                    samples);
  }
  line("denoising all layers of the hall ÷ one of its samples", "told", fmt::format("{:.1f}", median(costs)),
       fmt::format("480×270, {} layers and what covers it, at 8 samples, median of 5", shown->table.size()));
  Rendering wide(hall.compile(sized(core, 960, 600), cache));
  wide.advance(tasks, 2, never);
  const Picture light = picture(wide);
  std::vector<double> weights, layers;
  for (int run = 0; run < 5; ++run) {
    std::optional<Denoiser> denoiser;
    weights.push_back(seconds([&] { denoiser.emplace(wide.film(), tasks); }));
    layers.push_back(seconds([&] { denoiser->apply(light, tasks); }));
  }
  line("the denoiser's weights at 960×600", "≤ 400 ms", fmt::format("{:.0f} ms", 1e3 * median(weights)),
       fmt::format("the sun core; a layer by them: {:.0f} ms (≤ 12 ms)", 1e3 * median(layers)));
}
