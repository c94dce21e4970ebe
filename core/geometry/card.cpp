// A picture that stands in the scene, true to its aspect. Its look is in surface/card.cpp.
#include "core/geometry/grid.h"
#include "core/geometry/shape.h"
#include "core/pattern/image.h"
#include "core/pattern/playback.h"

namespace ilumbra {

ShapeKind cardShape() {
  return {
      {.id = "object.card",
       .label = "Card",
       .helpText = "A picture that stands in the scene: a still, a numbered sequence, a movie or an SVG drawing, "
                   "true to its aspect. With a material of its own it wears that instead.",
       .params = join(
           {{file("file", "Picture").at(Invalidation::Geometry).help("PNG, JPEG, OpenEXR, HDR, TIFF, SVG, or a movie"),
             sizeParam("height", "Height", 1, "Its width follows the picture's aspect").matters(),
             choice("stands", "Stands", {"on its foot", "about its middle"})
                 .at(Invalidation::Geometry)
                 .help("Where its own space has it"),
             flag("use_alpha", "Alpha is opacity", true)
                 .at(Invalidation::Shading)
                 .help("Where the picture is clear, so is the card"),
             number("card_opacity", "Opacity", "", 1)
                 .range(0, 1)
                 .patterned()
                 .at(Invalidation::Shading)
                 .matters()
                 .help("One number on top of the picture's alpha"),
             number("reflects", "Reflects", "", 1)
                 .range(0, 1)
                 .at(Invalidation::Shading)
                 .help("Share of light that it gives back by its colours; 0: only its own light"),
             number("own_light", "Own light", "cd/m²", 0)
                 .soft(1, 100000)
                 .range(0, 1e12)
                 .log()
                 .matters()
                 .at(Invalidation::Mix)
                 .help("What the picture's white shines with by itself, its other colours less"),
             flag("own_light_on", "Shines", true).at(Invalidation::Mix).help("Off: its own light is dark, and kept"),
             color("own_light_color", "Tint of own light", {1, 1, 1})
                 .soft(0, 1)
                 .at(Invalidation::Mix)
                 .help("Multiplies the own light"),
             number("picture_stops", "Picture's exposure", "stops", 0)
                 .soft(-4, 4)
                 .range(-30, 30)
                 .at(Invalidation::Shading)
                 .help("Brightens or darkens the picture before it is used"),
             flag("numbered", "Numbered files", false)
                 .at(Invalidation::Geometry)
                 .in("Playback")
                 .help("The picture is one of a numbered sequence")},
            playbackParams(Invalidation::Shading),
            objectParams()}),
       .changesByTime = isPlayed},
      [](const Params& p, const BuildFrom& from) {
        float aspect = 1;
        if (const std::string file = p.text("file"); !file.empty()) {
          const auto image = from.assets.image(file, isMovie(file) ? 0 : -1);
          aspect = float(image->width()) / float(image->height());
        }
        const float h = p.real("height"), w = h * aspect, low = p.text("stands") == "on its foot" ? 0 : -0.5f * h;
        Shape s;
        appendGrid(s.mesh, 1, 1, [&](float u, float v, V3f& place, V3f& normal) {
          place = {w * (u - 0.5f), low + h * v, 0};
          normal = {0, 0, 1};
        });
        return s;
      }};
}

} // namespace ilumbra
