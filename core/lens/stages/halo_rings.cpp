#include "core/base/colorspace.h"
#include "core/base/sampling.h"
#include "core/image/convolution.h"
#include "core/lens/key.h"
#include "core/lens/stage.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

// Light at a distance from the source, in pixels, and an angle: rings with colours from inside to outside.
Picture ringsKernel(const Params& p, const LensContext& c) {
  const float radius = std::max(0.5f, c.size(p.number("radius"))), width = std::max(0.5f, c.size(p.number("width"))),
              soft = std::max(0.02f, p.real("soft"));
  const int rings = std::max(1, int(p.number("rings"))), rays = int(p.number("rays")), gaps = int(p.number("gaps"));
  const float apart = c.size(p.number("apart")), fall = p.real("fall"), gapWidth = p.real("gap_width"),
              turn = p.real("turn") * pi / 180, rayDepth = p.real("ray_depth");
  const Color inner = working(p.triple("inner")), outer = working(p.triple("outer"));
  const int reach = std::min(std::max(c.width, c.height), int(radius + float(rings - 1) * apart + 2 * width) + 2);
  Picture k(2 * reach + 1, 2 * reach + 1);
  std::vector<float> rayLight;
  RandomStream random(mixBits(uint32_t(p.number("seed")) * 31u + 7u));
  for (int i = 0; i < rays; ++i) rayLight.push_back(random.next());
  c.tasks.forEach(k.height, [&](int y) {
    for (int x = 0; x < k.width; ++x) {
      const float dx = float(x - reach), dy = float(reach - y), r = std::hypot(dx, dy);
      Color sum(0.0f);
      float strength = 1;
      for (int i = 0; i < rings; ++i, strength *= fall) {
        const float t = (r - radius - float(i) * apart) / width; // -½ … ½ across the ring
        if (std::abs(t) > 1) continue;
        // A plateau whose flanks are soft.
        sum +=
            mix(inner, outer, clamp01(t + 0.5f)) * (smoothstep((0.5f + 0.5f * soft - std::abs(t)) / soft) * strength);
      }
      if (isBlack(sum)) continue;
      const float angle = std::atan2(dy, dx) - turn, around = angle / (2 * pi) - std::floor(angle / (2 * pi));
      if (gaps > 0) {
        const float at = around * float(gaps),
                    d = std::abs(at - std::floor(at) - 0.5f) * 2; // 0 in the middle of a gap, 1 between them
        sum *= smoothstep((d - gapWidth) / 0.08f + 0.5f);
      }
      if (rays > 0) {
        const float at = around * float(rays);
        const int i = int(at) % rays;
        sum *= 1 - rayDepth * (1 - mix(rayLight[size_t(i)], rayLight[size_t((i + 1) % rays)],
                                       smoothstep(at - std::floor(at))));
      }
      for (int j = 0; j < 3; ++j) k.at(x, y)[j] = sum[j];
    }
  });
  // Of its light as much as the amount says goes into the rings.
  double sum = 0;
  for (size_t i = 0; i < k.pixels(); ++i) sum += double(luminance({k.rgb[3 * i], k.rgb[3 * i + 1], k.rgb[3 * i + 2]}));
  if (sum > 0)
    for (float& v : k.rgb) v = float(double(v) / sum);
  return k;
}

LensOperator prepare(const Params& p, const Picture& source, const LensContext& c) {
  auto shares = std::make_shared<const std::vector<float>>(keyShares(p, source, c.tasks));
  std::string key = fmt::format("halo rings|{}", c.frameHeight);
  for (const char* name :
       {"radius", "width", "soft", "rings", "rays", "gaps", "apart", "fall", "gap_width", "turn", "ray_depth", "seed"})
    key += fmt::format("|{}", p.number(name));
  for (const char* name : {"inner", "outer"})
    for (const double v : p.triple(name)) key += fmt::format("|{}", v);
  const auto convolution =
      convolutionFor(c.convolutions, key, c.width, c.height, c.tasks, [&] { return ringsKernel(p, c); });
  return {[=, &tasks = c.tasks](const Picture& layer) {
            return LensWork{{}, convolution->apply(Keyed(layer, *shares, tasks).light, tasks)};
          },
          {}};
}

} // namespace

LensStage haloRingsStage() {
  return {
      .kind = {.id = "lens.halo_rings",
               .label = "Halo rings",
               .helpText =
                   "Rings of light around what is bright, as ice in the air, a dewy lens or an old film makes them.",
               .params = join({stageParams(0.3, 100),
                               {number("radius", "Radius", "%", 0.18)
                                    .soft(0.01, 0.6)
                                    .range(0.0005, 5)
                                    .log()
                                    .at(Invalidation::Lens)
                                    .matters()
                                    .help("Of the first ring, by the frame's height"),
                                number("width", "Width", "%", 0.03)
                                    .soft(0.002, 0.3)
                                    .range(0.0005, 5)
                                    .log()
                                    .at(Invalidation::Lens)
                                    .matters()
                                    .help("Across a ring, by the frame's height"),
                                number("soft", "Softness", "%", 0.8)
                                    .soft(0, 1)
                                    .range(0, 1)
                                    .at(Invalidation::Lens)
                                    .help("Of its flanks"),
                                integer("rings", "Rings", 1)
                                    .soft(1, 8)
                                    .range(1, 64)
                                    .at(Invalidation::Lens)
                                    .help("How many, one in the other"),
                                number("apart", "Apart", "%", 0.05)
                                    .soft(0, 0.3)
                                    .range(0, 5)
                                    .at(Invalidation::Lens)
                                    .help("From ring to ring, by the frame's height"),
                                number("fall", "Fall", "×", 0.6)
                                    .soft(0, 1)
                                    .range(0, 4)
                                    .at(Invalidation::Lens)
                                    .help("Light of each further ring, by the one before"),
                                color("inner", "Inside", {1, 0.55, 0.35})
                                    .soft(0, 1)
                                    .at(Invalidation::Lens)
                                    .in("Colour")
                                    .help("Colour at a ring's inner side"),
                                color("outer", "Outside", {0.45, 0.65, 1})
                                    .soft(0, 1)
                                    .at(Invalidation::Lens)
                                    .in("Colour")
                                    .help("Colour at its outer side"),
                                integer("gaps", "Gaps", 0)
                                    .soft(0, 12)
                                    .range(0, 360)
                                    .at(Invalidation::Lens)
                                    .in("Around")
                                    .help("Where rings are broken"),
                                number("gap_width", "Gap width", "%", 0.3)
                                    .soft(0, 1)
                                    .range(0, 1)
                                    .at(Invalidation::Lens)
                                    .in("Around")
                                    .help("Of what lies between two of them"),
                                integer("rays", "Rays", 0)
                                    .soft(0, 120)
                                    .range(0, 720)
                                    .at(Invalidation::Lens)
                                    .in("Around")
                                    .help("Uneven light around a ring"),
                                number("ray_depth", "Ray depth", "%", 0.6)
                                    .soft(0, 1)
                                    .range(0, 1)
                                    .at(Invalidation::Lens)
                                    .in("Around")
                                    .help("How dark it is between rays"),
                                number("turn", "Turn", "°", 0)
                                    .soft(-180, 180)
                                    .at(Invalidation::Lens)
                                    .in("Around")
                                    .help("Of gaps and rays"),
                                number("seed", "Seed", "", 1)
                                    .soft(1, 100)
                                    .range(0, 1e6)
                                    .at(Invalidation::Lens)
                                    .in("Around")
                                    .help("Other rays")},
                               keyParams(true)}),
               .slots = stageSlots(),
               .existence = Invalidation::Lens},
      .handles = {{StageHandle::Shape::SourceRing, "radius", "Radius of the ring"}},
      .prepare = prepare,
      .idle = keyIdle,
      .looks = {
          {"Ice in the air",
           {{"radius", "30 %"}, {"width", "4 %"}, {"inner", "1, 0.5, 0.3"}, {"outer", "0.6, 0.75, 1"}}},
          {"Dewy glass", {{"radius", "9 %"}, {"width", "5 %"}, {"rings", "3"}, {"apart", "6 %"}, {"fall", "0.5"}}},
          {"Back of the film",
           {{"radius", "4 %"},
            {"width", "2 %"},
            {"inner", "1, 0.25, 0.08"},
            {"outer", "1, 0.1, 0.02"},
            {"soft", "100 %"}}},
          {"Broken ring",
           {{"radius", "16 %"},
            {"width", "1 %"},
            {"gaps", "5"},
            {"gap_width", "25 %"},
            {"inner", "0.5, 1, 0.95"},
            {"outer", "0.5, 1, 0.95"}}},
          {"Lashes",
           {{"radius", "14 %"}, {"width", "14 %"}, {"rays", "90"}, {"ray_depth", "100 %"}, {"soft", "100 %"}}},
          {"Thin rainbow",
           {{"radius", "24 %"},
            {"width", "1.5 %"},
            {"rings", "2"},
            {"apart", "9 %"},
            {"inner", "0.2, 0.3, 1"},
            {"outer", "1, 0.2, 0.1"}}}}};
}

} // namespace ilumbra
