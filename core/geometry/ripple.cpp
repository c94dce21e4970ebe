// Waves over a surface, from a point or along a direction.
#include "core/document/units.h"
#include "core/geometry/form.h"
#include "core/geometry/mesh_tools.h"

namespace ilumbra {

ModifierKind rippleModifier() {
  return {{.id = "modifier.ripple",
           .label = "Ripple",
           .helpText = "Raises and lowers the surface in waves that run from a point or along a direction, upwards of "
                       "the object's own y.",
           .params = modifierParams(
               {number("height", "Height", "m", 0.02)
                    .soft(0, 0.2)
                    .range(0, 1e5)
                    .at(Invalidation::Geometry)
                    .matters()
                    .help("Of the waves, from the middle to the crest"),
                number("wavelength", "Wavelength", "m", 0.25)
                    .soft(0.01, 2)
                    .range(1e-5, 1e6)
                    .log()
                    .at(Invalidation::Geometry)
                    .matters()
                    .help("From crest to crest"),
                choice("form", "Form", {"from a point", "along x", "along z"})
                    .at(Invalidation::Geometry)
                    .help("How the waves run"),
                vector("centre", "Centre", "m", {0, 0, 0})
                    .soft(-2, 2)
                    .at(Invalidation::Geometry)
                    .help("Of waves from a point, in the object's own space"),
                number("fade", "Fade", "m", 0)
                    .soft(0, 5)
                    .range(0, 1e6)
                    .at(Invalidation::Geometry)
                    .help("Distance at which waves from a point have come down to a third; 0: they do not"),
                number("phase", "Phase", "°", 0)
                    .soft(0, 360)
                    .at(Invalidation::Geometry)
                    .help("Where in its wave the middle stands"),
                number("speed", "Speed", "m/s", 0)
                    .soft(-1, 1)
                    .range(-1e4, 1e4)
                    .at(Invalidation::Geometry)
                    .help("How fast crests run outwards; 0: they stand, or follow keys of the phase"),
                integer("steps", "Steps a wave", 12)
                    .soft(4, 32)
                    .range(0, 200)
                    .at(Invalidation::Geometry)
                    .help("Facets are split until so many follow each wave; 0: as they are")})},
          [](Form& form, const Params& p, const BuildFrom& from) {
            Mesh& mesh = meshOf(form);
            const float height = p.real("height"), wave = p.real("wavelength"), fade = p.real("fade");
            if (const int steps = int(p.number("steps")); steps > 0) splitLongEdges(mesh, 1.5f * wave / float(steps));
            const double rate = settingsOf(from.doc).number("rate"), seconds = (p.frame() - 1) / std::max(1e-3, rate);
            const float phase =
                p.real("phase") * pi / 180 -
                float(std::fmod(2 * M_PI * p.number("speed") * seconds / p.number("wavelength"), 2 * M_PI));
            const std::string run = p.text("form");
            const Triple c = p.triple("centre");
            deform(mesh, [&](const V3f& q) {
              const float x = q.x - float(c[0]), z = q.z - float(c[2]);
              const float r = run == "along x" ? x : run == "along z" ? z : std::sqrt(x * x + z * z);
              float h = height * std::cos(2 * pi * r / wave + phase);
              if (fade > 0 && run == "from a point") h *= std::exp(-1.1f * r / fade);
              return V3f(q.x, q.y + h, q.z);
            });
          },
          [](const Params& p) { return p.number("speed") != 0; }};
}

} // namespace ilumbra
