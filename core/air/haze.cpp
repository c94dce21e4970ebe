#include "core/air/haze.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"

#include <cmath>
#include <fmt/format.h>

namespace ilumbra {

Kind hazeKind() {
  return {.id = "air.haze",
          .label = "Haze",
          .helpText = "Air that shows light: all over the set, or in a closed shape.",
          .params = {reference("fills", "Fills", {"object."}).at(Stage::Geometry).matters().help("The closed shape that it fills, hidden or shown; nothing: it is everywhere"),
                     choice("measure", "Measured by", {"density", "visibility"}).at(Stage::Shading).help("How much there is of it"),
                     number("density", "Density", "1/m", 0.1).soft(0.001, 10).range(0, 1e6).log().at(Stage::Shading).matters().help("Share of light that a thin layer scatters or takes, to the metre"),
                     number("visibility", "Visibility", "m", 40).soft(0.5, 1000).range(1e-6, 1e9).log().at(Stage::Shading).help("Distance at which 2 % of the light comes through"),
                     color("color", "Colour", {1, 1, 1}).soft(0, 1).at(Stage::Shading).matters().help("Share of what meets it that it scatters; the rest is lost"),
                     number("anisotropy", "Anisotropy", "", 0.3).soft(-0.9, 0.9).range(-0.99, 0.99).at(Stage::Shading).matters().help("More than 0: light goes on forwards, as in mist; less: it is thrown back"),
                     flag("shown", "Shown", true).at(Stage::Geometry).help("Off: as if it were not there")},
          .existence = Stage::Geometry};
}

std::vector<Kind> allAirs() { return {hazeKind()}; }

double densityOfVisibility(double metres) { return -std::log(0.02) / metres; }

Haze hazeOf(const Params& p) {
  Haze h;
  const double density = p.text("measure") == "visibility" ? densityOfVisibility(p.number("visibility")) : p.number("density");
  const Color share = working(p.triple("color"));
  for (int c = 0; c < 3; ++c)
    if (!(share[c] >= -1e-6f && share[c] <= 1 + 1e-4f)) throw badInput(p.node().name + ".color: it cannot scatter more light than meets it, or less than none");
  h.extinction = Color(float(density));
  for (int c = 0; c < 3; ++c) h.scattering[c] = clamp01(share[c]) * float(density);
  h.anisotropy = p.real("anisotropy");
  return h;
}

float phase(float cosine, float g) {
  const float d = std::max(1e-6f, 1 + g * g - 2 * g * cosine);
  return (1 - g * g) / (4 * pi * d * std::sqrt(d));
}

} // namespace ilumbra
