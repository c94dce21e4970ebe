#include "core/lens/stages/starburst.h"
#include "core/base/colorspace.h"
#include "core/base/sampling.h"
#include "core/base/spectrum.h"
#include "core/compile/camera.h"
#include "core/image/convolution.h"
#include "core/lens/key.h"
#include "core/lens/stage.h"

#include <fmt/format.h>

namespace ilumbra {

namespace {

constexpr int grid = 2048; // of the transform
constexpr float radius =
    128; // of the aperture in it: one ring of the pattern takes nearly ten cells, fine enough to read between them

// What of a cell of the opening is clear: blades, dust and scratches.
std::vector<float> opening(const StarburstAperture& a) {
  std::vector<float> clear(size_t(grid) * grid, 0.0f);
  const Aperture blades(a.blades, a.rounding, a.turn);
  constexpr int middle = grid / 2;
  const int reach = int(radius) + 2;
  for (int y = -reach; y <= reach; ++y)
    for (int x = -reach; x <= reach; ++x) {
      // Soft within a cell, so that edges have no steps.
      const float fx = float(x), fy = float(y), r = std::sqrt(fx * fx + fy * fy),
                  edge = radius * blades.edge(std::atan2(-fy, fx));
      clear[size_t(y + middle) * grid + size_t(x + middle)] = clamp01(edge - r + 0.5f);
    }
  RandomStream random(mixBits(a.seed * 7919u + 3u));
  const auto shade = [&](int x, int y, float by) {
    if (std::abs(x) <= reach && std::abs(y) <= reach) clear[size_t(y + middle) * grid + size_t(x + middle)] *= 1 - by;
  };
  for (int i = 0, n = int(a.dust * 120); i < n; ++i) {
    const float angle = 2 * pi * random.next(), from = radius * std::sqrt(random.next()),
                size = 1 + 6 * sqr(random.next());
    const float cx = from * std::cos(angle), cy = from * std::sin(angle), dark = 0.3f + 0.6f * random.next();
    for (int y = int(cy - size) - 1; y <= int(cy + size) + 1; ++y)
      for (int x = int(cx - size) - 1; x <= int(cx + size) + 1; ++x)
        shade(x, y, dark * clamp01(size - std::hypot(float(x) - cx, float(y) - cy)));
  }
  for (int i = 0, n = int(a.scratches * 40); i < n; ++i) {
    const float angle = pi * random.next(), off = radius * (2 * random.next() - 1),
                length = radius * (0.3f + random.next()), along = radius * (random.next() - 0.5f),
                dark = 0.4f + 0.5f * random.next();
    const float dx = std::cos(angle), dy = std::sin(angle), width = 0.5f + random.next();
    for (float t = -length; t <= length; t += 0.5f) {
      const float cx = dx * (t + along) - dy * off, cy = dy * (t + along) + dx * off;
      shade(int(std::lround(cx)), int(std::lround(cy)), 0.5f * dark * std::min(1.0f, width));
    }
  }
  return clear;
}

} // namespace

Picture starburstKernel(const StarburstAperture& a, const std::vector<std::pair<float, Color>>& waves, float ringPixels,
                        int reach, const Tasks& tasks) {
  const std::vector<std::complex<float>> wave = spectrum(opening(a), grid);
  // In the transform the first dark ring of a round opening lies 1.22 · grid / (2 · radius) cells out, at the longest
  // of all waves' mean, 550 nm; a wave's pattern is as much wider as it is longer.
  constexpr float ringCells = 1.219670f * grid / (2 * radius);
  const float cellsPerPixel = ringCells / ringPixels;
  const int side = 2 * reach + 1;
  Picture kernel(side, side);
  // A pixel's value is the mean over it, by as many points as the pattern is fine: of an opening `radius` cells wide it
  // changes over some grid / (2 · radius) cells, which is 8, and its power over half of that.
  const int fine = std::clamp(int(std::ceil(cellsPerPixel * 0.5f)), 1, 12);
  const auto read = [&](float cx, float fy) {
    // The lower half is the upper one turned by half a turn.
    if (fy < 0) {
      fy = -fy;
      cx = -cx;
    }
    const float fx = cx + grid / 2;
    const int x = int(std::floor(fx)), y = int(fy);
    if (x < 0 || x + 1 >= grid || y + 1 > grid / 2) return 0.0f;
    const float tx = fx - float(x), ty = fy - float(y);
    // Between cells the field is read, not its power: it goes smoothly through its zeros.
    const std::complex<float>* p = wave.data() + size_t(y) * grid + size_t(x);
    return std::norm((p[0] * (1 - tx) + p[1] * tx) * (1 - ty) + (p[grid] * (1 - tx) + p[grid + 1] * tx) * ty);
  };
  // Half of it; the other is the same turned by half a turn, for the opening is real.
  tasks.forEach(reach + 1, [&](int row) {
    const int y = row - reach;
    for (int x = -reach; x <= reach; ++x) {
      Color sum(0.0f);
      // Far out the wavelengths overlap and smooth it too.
      const int n = x * x + y * y > 64 * 64 ? (fine + 1) / 2 : std::max(2, fine);
      for (const auto& [length, weight] : waves) {
        const float scale = cellsPerPixel * 550 / length;
        float v = 0;
        for (int j = 0; j < n; ++j)
          for (int i = 0; i < n; ++i)
            v += read((float(x) + (float(i) + 0.5f) / float(n) - 0.5f) * scale,
                      (float(y) + (float(j) + 0.5f) / float(n) - 0.5f) * scale);
        sum += weight * (v / float(n * n) * sqr(scale));
      }
      for (int k = 0; k < 3; ++k) kernel.at(reach + x, reach + y)[k] = kernel.at(reach - x, reach - y)[k] = sum[k];
    }
  });
  return kernel;
}

std::vector<std::pair<float, Color>> starburstWaves(float colour) {
  std::vector<std::pair<float, Color>> waves;
  constexpr int count = 24;
  for (int i = 0; i < count; ++i) {
    const float wave = mix(shortestWave, longestWave, (float(i) + 0.5f) / count);
    const Color response = waveResponse(wave) * (1.0f / count);
    // Less colour: all waves come closer to the middle one, as through a filter.
    waves.emplace_back(550 + (wave - 550) * colour, response);
  }
  Color sum(0.0f);
  for (const auto& w : waves) sum += w.second;
  for (auto& w : waves) w.second = w.second / sum;
  return waves;
}

namespace {

LensOperator prepare(const Params& p, const Picture& source, const LensContext& c) {
  auto shares = std::make_shared<const std::vector<float>>(keyShares(p, source, c.tasks));
  StarburstAperture a{.blades = int(p.number("blades")),
                      .rounding = p.real("rounding"),
                      .turn = p.real("turn"),
                      .dust = p.real("dust"),
                      .scratches = p.real("scratches"),
                      .seed = uint32_t(p.number("seed"))};
  float stop = p.real("f_stop");
  double filmWidth = 36;
  if (const Node* camera = activeCamera(c.doc)) {
    const Params lens(*camera, c.frame);
    filmWidth = lens.number("film_width");
    if (p.text("aperture_from") == "camera") {
      a.blades = int(lens.number("blades"));
      a.rounding = lens.real("blade_rounding");
      a.turn = lens.real("blade_turn");
      if (lens.number("f_stop") > 0) stop = lens.real("f_stop");
    }
  }
  // First dark ring, 1.22 λ N on the film.
  const float ring = p.text("scale_by") == "physics"
                         ? float(1.219670 * 550e-6 * double(stop) / filmWidth * c.frameWidth) * p.real("enlarged")
                         : std::max(0.05f, c.size(p.number("size")));
  const int reach =
      std::clamp(int(ring * 0.45f * grid / (1.219670f * grid / (2 * radius))), 8, std::max(c.width, c.height));
  // The middle is what the light would be without a lens: with less of it the rays come forth.
  const Color tint = chromaticity(working(p.triple("tint")));
  const float core = p.real("core"), color = p.real("color");
  const std::string key = fmt::format("starburst|{}|{}|{}|{}|{}|{}|{}|{}|{}|{}|{}|{}|{}", a.blades, a.rounding, a.turn,
                                      a.dust, a.scratches, a.seed, color, ring, reach, core, tint.x, tint.y, tint.z);
  const auto convolution = convolutionFor(c.convolutions, key, c.width, c.height, c.tasks, [&] {
    Picture kernel = starburstKernel(a, starburstWaves(color), std::max(0.05f, ring), reach, c.tasks);
    for (int y = 0; y < kernel.height; ++y)
      for (int x = 0; x < kernel.width; ++x) {
        const float r = std::hypot(float(x - reach), float(y - reach)) / std::max(1.0f, ring);
        const float keep = r < 3 ? mix(core, 1.0f, clamp01(r / 3)) : 1;
        for (int k = 0; k < 3; ++k) kernel.at(x, y)[k] *= keep * tint[k];
      }
    return kernel;
  });
  return {[=, &tasks = c.tasks](const Picture& layer) {
            return LensWork{{}, convolution->apply(Keyed(layer, *shares, tasks).light, tasks)};
          },
          {}};
}

} // namespace

LensStage starburstStage() {
  return {
      .kind = {.id = "lens.starburst",
               .label = "Starburst",
               .helpText = "The pattern that light makes when it is bent at the edges of the aperture: summed over the "
                           "wavelengths, from the aperture's true shape.",
               .params =
                   join({stageParams(0.5, 100),
                         {choice("aperture_from", "Aperture", {"own", "camera"})
                              .at(Invalidation::Lens)
                              .help("Its own, or as the camera's"),
                          integer("blades", "Blades", 6)
                              .soft(3, 12)
                              .range(0, 64)
                              .at(Invalidation::Lens)
                              .matters()
                              .when("aperture_from", "own")
                              .help("An even number makes as many rays, an odd one twice as many; below 3 it is round"),
                          number("rounding", "Rounding", "%", 0.1)
                              .soft(0, 1)
                              .range(0, 1)
                              .at(Invalidation::Lens)
                              .when("aperture_from", "own")
                              .help("How far the blades bulge out to the circle"),
                          number("turn", "Turn", "°", 12)
                              .soft(-90, 90)
                              .at(Invalidation::Lens)
                              .when("aperture_from", "own")
                              .help("Of the aperture"),
                          choice("scale_by", "Size by", {"picture", "physics"})
                              .at(Invalidation::Lens)
                              .help("As large as is wanted, or as large as the aperture makes it on the camera's film"),
                          number("size", "Size", "%", 0.006)
                              .soft(0.0005, 0.05)
                              .range(0.0001, 1)
                              .log()
                              .at(Invalidation::Lens)
                              .matters()
                              .when("scale_by", "picture")
                              .help("Radius of the first dark ring at 550 nm, by the frame's height"),
                          number("f_stop", "f-stop", "", 16)
                              .soft(1, 32)
                              .range(0.5, 512)
                              .at(Invalidation::Lens)
                              .when("scale_by", "physics")
                              .help("Where the camera states none"),
                          number("enlarged", "Enlarged", "×", 1)
                              .soft(1, 100)
                              .range(0.01, 10000)
                              .log()
                              .at(Invalidation::Lens)
                              .when("scale_by", "physics")
                              .help("1: true to the film; more: as a smaller film would see it"),
                          number("core", "Core", "%", 0.3)
                              .soft(0, 1)
                              .range(0, 1)
                              .at(Invalidation::Lens)
                              .help("How much of the pattern's bright middle is kept"),
                          number("dust", "Dust", "%", 0.1)
                              .soft(0, 1)
                              .range(0, 4)
                              .at(Invalidation::Lens)
                              .in("Glass")
                              .help("Specks on the lens: a fine haze of rays"),
                          number("scratches", "Scratches", "%", 0.1)
                              .soft(0, 1)
                              .range(0, 4)
                              .at(Invalidation::Lens)
                              .in("Glass")
                              .help("Single bright rays across them"),
                          number("seed", "Seed", "", 1)
                              .soft(1, 100)
                              .range(0, 1e6)
                              .at(Invalidation::Lens)
                              .in("Glass")
                              .help("Other dust and scratches")},
                         keyParams(true),
                         {number("color", "Colour", "%", 1)
                              .soft(0, 1)
                              .range(0, 2)
                              .at(Invalidation::Lens)
                              .in("Colour")
                              .help("How far the wavelengths part"),
                          color("tint", "Tint", {1, 1, 1})
                              .soft(0, 1)
                              .at(Invalidation::Lens)
                              .in("Colour")
                              .help("Keeps the luminance")}}),
               .slots = stageSlots(),
               .existence = Invalidation::Lens},
      .handles = {{StageHandle::Shape::SourceRing, "size", "Size of the starburst", 8}},
      .prepare = prepare,
      .idle = keyIdle,
      .looks = {{"Six blades, stopped down", {{"blades", "6"}, {"rounding", "0 %"}, {"size", "0.8 %"}}},
                {"Eighteen rays", {{"blades", "9"}, {"rounding", "5 %"}, {"size", "0.6 %"}}},
                {"Old eight-bladed lens",
                 {{"blades", "8"}, {"rounding", "25 %"}, {"dust", "60 %"}, {"scratches", "50 %"}, {"size", "0.7 %"}}},
                {"Round and dusty", {{"blades", "0"}, {"dust", "100 %"}, {"scratches", "0 %"}, {"size", "1.2 %"}}},
                {"Scratched porthole",
                 {{"blades", "0"}, {"dust", "10 %"}, {"scratches", "200 %"}, {"size", "0.5 %"}, {"core", "10 %"}}},
                {"Rainbow cross",
                 {{"blades", "4"}, {"rounding", "0 %"}, {"size", "1.6 %"}, {"color", "160 %"}, {"core", "10 %"}}},
                {"As the camera's", {{"aperture_from", "camera"}, {"scale_by", "physics"}, {"enlarged", "30"}}}}};
}

} // namespace ilumbra
