#include "core/air/haze.h"

#include "core/air/beam.h"
#include "core/air/voxel_grid.h"
#include "core/base/attenuation.h"
#include "core/base/colorspace.h"
#include "core/base/error.h"

#include <cmath>
#include <fmt/format.h>

namespace ilumbra {

std::vector<ParamDef> matterParams(double density) {
  return {
      choice("measure", "Measured by", {"density", "visibility"})
          .at(Invalidation::Shading)
          .help("How much there is of it"),
      number("density", "Density", "1/m", density)
          .soft(0.001, 10)
          .range(0, 1e6)
          .log()
          .at(Invalidation::Shading)
          .matters()
          .when("measure", "density")
          .help("Share of light that a thin layer scatters or takes, to the metre"),
      number("visibility", "Visibility", "m", 40)
          .soft(0.5, 1000)
          .range(1e-6, 1e9)
          .log()
          .at(Invalidation::Shading)
          .matters()
          .when("measure", "visibility")
          .help("Distance at which 2 % of the light comes through"),
      number("amount", "Amount", "%", 1)
          .soft(0, 1)
          .range(0, 1e4)
          .patterned()
          .at(Invalidation::Shading)
          .matters()
          .help("Share of the density from place to place: a pattern makes clouds, swathes and dust"),
      integer("fineness", "Fineness", 128)
          .soft(32, 512)
          .range(0, 1024)
          .at(Invalidation::Shading)
          .when("amount", "a pattern")
          .help("Of an uneven amount: so many voxels along its longest side hold it; 0: the pattern itself is asked at "
                "every place, slowly"),
      color("color", "Colour", {1, 1, 1})
          .soft(0, 1)
          .patterned()
          .at(Invalidation::Shading)
          .matters()
          .help("Share of what meets it that it scatters; the rest is lost"),
      number("anisotropy", "Anisotropy", "", 0.3)
          .soft(-0.9, 0.9)
          .range(-0.99, 0.99)
          .patterned()
          .at(Invalidation::Shading)
          .matters()
          .help("More than 0: light goes on forwards, as in mist; less: it is thrown back"),
      color("attenuation_color", "Tint at depth", {1, 1, 1})
          .range(0, 1)
          .patterned()
          .at(Invalidation::Shading)
          .in("Absorption")
          .help("White light after the depth below, besides what is scattered"),
      number("attenuation_depth", "Depth of the tint", "m", 0)
          .soft(0.01, 10)
          .range(0, 1e6)
          .at(Invalidation::Shading)
          .in("Absorption")
          .help("0: nothing is absorbed"),
      integer("scatterings", "Scatterings", 1)
          .soft(1, 64)
          .range(1, 1000)
          .at(Invalidation::Shading)
          .in("Light")
          .help("How often light may turn in it on its way: 1 is quick; more shows light from surfaces and the glow "
                "within clouds"),
      flag("shown", "Shown", true).at(Invalidation::Geometry).help("Off: as if it were not there")};
}

static Kind hazeKind() {
  return {.id = "air.haze",
          .label = "Haze",
          .helpText = "Air that shows light: all over the scene, or in a closed shape.",
          .params = join(
              {{reference("fills", "Fills", {"object."})
                    .at(Invalidation::Geometry)
                    .matters()
                    .help("The closed shape that it fills, hidden or shown; nothing: it is everywhere, with a pattern "
                          "as far as the scene reaches")},
               {choice("part", "Fills of it", {"all of it", "its inside"})
                    .at(Invalidation::Geometry)
                    .matters()
                    .help("Its inside: of a hollow body the innermost void, as the air in a room within its walls")},
               matterParams(0.1),
               {number("start", "From the camera", "m", 0)
                    .soft(0, 20)
                    .range(0, 1e9)
                    .at(Invalidation::Shading)
                    .in("Distance")
                    .help("Nearer than this there is none"),
                number("end", "To", "m", 0)
                    .soft(0, 100)
                    .range(0, 1e9)
                    .at(Invalidation::Shading)
                    .in("Distance")
                    .help("Further from the camera there is none; 0: no limit"),
                references("lit_by", "Lit by", {"light."})
                    .at(Invalidation::Placement)
                    .in("Light")
                    .help("The lights that it shows; nothing: all that reach it"),
                number("own_light", "Own light", "cd/m³", 0)
                    .soft(1, 100000)
                    .patternedBy("own_light_color")
                    .range(0, 1e12)
                    .log()
                    .matters()
                    .at(Invalidation::Mix)
                    .in("Own light")
                    .help("What a metre of it adds to what is seen: a glowing gas"),
                flag("own_light_on", "On", true).at(Invalidation::Mix).in("Own light").help("Off: dark"),
                color("own_light_color", "Light's colour", {1, 1, 1})
                    .soft(0, 1)
                    .patterned()
                    .matters()
                    .at(Invalidation::Mix)
                    .in("Own light")
                    .help("Of its own light")}}),
          .existence = Invalidation::Geometry};
}

AirKind hazeAir() { return {hazeKind(), AirForm::Filling}; }

// A line each, in the order of menus.
#define EACH_AIR(X)                                                                                                    \
  X(hazeAir)                                                                                                           \
  X(beamAir)                                                                                                           \
  X(gridAir)

#define DECLARE(name) AirKind name();
EACH_AIR(DECLARE)
#undef DECLARE

std::vector<AirKind> allAirs() {
#define MADE(name) name(),
  return {EACH_AIR(MADE)};
#undef MADE
}

AirForm airForm(const Node& node) {
  static const std::vector<AirKind> all = allAirs();
  for (const AirKind& k : all)
    if (k.kind.id == node.kind->id) return k.form;
  return AirForm::Filling;
}

double densityOfVisibility(double metres) { return -std::log(0.02) / metres; }

Color airLight(const Params& p, bool evenIfOff) {
  if (!p.node().kind->param("own_light") || !(evenIfOff || p.flag("own_light_on"))) return Color(0.0f);
  return (p.pattern("own_light_color") ? Color(1.0f) : working(p.triple("own_light_color"))) * p.real("own_light");
}

Haze hazeOf(const Params& p) {
  Haze h;
  const double density =
      p.text("measure") == "visibility" ? densityOfVisibility(p.number("visibility")) : p.number("density");
  const Color share = p.pattern("color") ? Color(1.0f) : working(p.triple("color"));
  for (int c = 0; c < 3; ++c)
    if (!(share[c] >= -1e-6f && share[c] <= 1 + 1e-4f))
      throw badInput(p.node().name + ".color: it cannot scatter more light than meets it, or less than none");
  h.extinction = Color(float(density));
  for (int c = 0; c < 3; ++c) h.scattering[c] = clamp01(share[c]) * float(density);
  if (const double depth = p.number("attenuation_depth"); depth > 0) {
    if (!p.pattern("attenuation_color"))
      h.extinction += absorptionOfTint(working(p.triple("attenuation_color")), float(depth));
  }
  h.anisotropy = p.real("anisotropy");
  return h;
}

float phase(float cosine, float g) {
  const float d = std::max(1e-6f, 1 + g * g - 2 * g * cosine);
  return (1 - g * g) / (4 * pi * d * std::sqrt(d));
}

float samplePhase(float u, float g) {
  if (std::abs(g) < 1e-3f) return 1 - 2 * u;
  const float term = (1 - g * g) / (1 - g + 2 * g * u);
  return std::clamp((1 + g * g - term * term) / (2 * g), -1.0f, 1.0f);
}

} // namespace ilumbra
