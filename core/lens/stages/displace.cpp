#include "core/image/resample.h"
#include "core/lens/stage.h"

namespace ilumbra {
namespace {

LensOperator prepare(const Params& p, const Picture& source, const LensContext& c) {
  const float across = c.size(p.number("across")), down = c.size(p.number("down")), middle = p.real("middle"),
              smoothing = c.size(p.number("smoothing"));
  const Edge edge = edgeOf(p.text("edge"));
  // The map: across in the first channel, down in the second.
  Picture map(c.width, c.height);
  const auto use = p.pattern("map");
  if (p.text("map_from") == "map" && use && c.assets) {
    const Program program = Program::compile(c.doc, use->pattern, c.frame, *c.assets, false);
    c.tasks.forEach(c.height, [&](int y) {
      const std::vector<Sample4> row = patternRow(program, c, y);
      for (int x = 0; x < c.width; ++x)
        for (int k = 0; k < 3; ++k) map.at(x, y)[k] = row[size_t(x)][k];
    });
  } else if (p.text("map_from") == "map") {
    std::fill(map.rgb.begin(), map.rgb.end(), p.real("map"));
  } else {
    // What light there is, pressed into 0 to 1: its own, or that of other things, whose red and green may push apart.
    const bool own = p.text("map_from") == "light";
    const Picture& light = own ? source : c.map;
    const bool each = !own && p.flag("apart");
    for (size_t i = 0; i < light.pixels(); ++i)
      for (size_t k = 0; k < 3; ++k) {
        const float l =
            std::max(0.0f, each ? light.rgb[3 * i + k]
                                : luminance({light.rgb[3 * i], light.rgb[3 * i + 1], light.rgb[3 * i + 2]}));
        map.rgb[3 * i + k] = l / (1 + l);
      }
  }
  if (smoothing > 0.02f) {
    // About the middle, so that what lies beyond the edge pushes nothing.
    for (float& v : map.rgb) v -= middle;
    map = blurred(map, smoothing, c.tasks);
    for (float& v : map.rgb) v += middle;
  }
  auto shared = std::make_shared<const Picture>(std::move(map));
  const bool apart = p.flag("apart");
  return {[=, &tasks = c.tasks](const Picture& layer) {
    return LensWork{{},
                    warped(layer, edge, tasks,
                           [&](float x, float y) {
                             const float* m = shared->at(int(x), int(y));
                             return V2f(x + across * 2 * (m[0] - middle),
                                        y + down * 2 * ((apart ? m[1] : m[0]) - middle));
                           }),
                    true};
  }};
}

} // namespace

LensStage displaceStage() {
  return {.kind = {.id = "lens.displace",
                   .label = "Displace",
                   .helpText = "Reads every pixel of its sources elsewhere: by a map that is a pattern, a picture or a "
                               "sequence (filmed ripples, say), by the light itself, or by that of other things.",
                   .params =
                       join({stageParams(1, 1),
                             {choice("map_from", "Map from", {"map", "light", "layer"})
                                  .at(Invalidation::Lens)
                                  .help("The map below, the brightness of the sources, or that of other things"),
                              references("map_of", "Map of", stageSources())
                                  .at(Invalidation::Shading)
                                  .when("map_from", "layer")
                                  .help("Lights, objects, materials or a picture's layers whose brightness pushes, "
                                        "wherever they are seen"),
                              number("map", "Map", "", 0.5)
                                  .soft(0, 1)
                                  .range(-100, 100)
                                  .patterned()
                                  .at(Invalidation::Lens)
                                  .when("map_from", "map")
                                  .help("A pattern, laid over the picture"),
                              number("across", "Across", "%", 0.01)
                                  .soft(-0.1, 0.1)
                                  .range(-10, 10)
                                  .at(Invalidation::Lens)
                                  .matters()
                                  .help("How far the strongest push goes, by the frame's height"),
                              number("down", "Down", "%", 0.01)
                                  .soft(-0.1, 0.1)
                                  .range(-10, 10)
                                  .at(Invalidation::Lens)
                                  .matters()
                                  .help("How far the strongest push goes, by the frame's height"),
                              flag("apart", "Green goes down", false)
                                  .at(Invalidation::Lens)
                                  .help("On: the map's red pushes across and its green down; off: one value does both"),
                              number("middle", "Middle", "", 0.5)
                                  .soft(0, 1)
                                  .range(-100, 100)
                                  .at(Invalidation::Lens)
                                  .help("The value of the map that pushes nowhere"),
                              number("smoothing", "Smoothing", "%", 0)
                                  .soft(0, 0.05)
                                  .range(0, 2)
                                  .at(Invalidation::Lens)
                                  .help("Blur of the map, by the frame's height"),
                              choice("edge", "Beyond the edge", edgeNames())
                                  .at(Invalidation::Lens)
                                  .help("What is read outside the picture")}}),
                   .slots = stageSlots(),
                   .existence = Invalidation::Lens},
          .prepare = prepare,
          .idle =
              [](const Params& p) {
                return p.text("map_from") == "layer" && p.references("map_of").empty()
                           ? std::string("its map is of nothing: name what pushes")
                       : p.number("across") == 0 && p.number("down") == 0
                           ? std::string("it pushes nothing: across and down are 0")
                           : std::string();
              },
          .carries = true,
          .looks = {
              {"Ripples", {{"across", "0.6 %"}, {"down", "1.2 %"}, {"smoothing", "0.5 %"}}},
              {"Hot air", {{"across", "0.3 %"}, {"down", "0.2 %"}, {"smoothing", "0.2 %"}}},
              {"Pressed glass", {{"across", "2 %"}, {"down", "2 %"}, {"smoothing", "0 %"}}},
              {"By its own light", {{"map_from", "light"}, {"across", "1.5 %"}, {"down", "0 %"}, {"smoothing", "1 %"}}},
              {"Torn tape", {{"across", "5 %"}, {"down", "0 %"}, {"edge", "wrapped"}}},
              {"Old pane", {{"across", "1 %"}, {"down", "0.4 %"}, {"smoothing", "3 %"}, {"edge", "held"}}}}};
}

} // namespace ilumbra
