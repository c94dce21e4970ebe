#pragma once
#include "core/base/vec.h"
#include "core/document/document.h"

namespace ilumbra {

/// Haze: what fills the set, or a closed shape, and scatters light.
Kind hazeKind();
std::vector<Kind> allAirs();

/// A homogeneous haze, per metre and channel of the working space.
struct Haze {
  Color scattering{0.0f};
  Color extinction{0.0f}; ///< scattering and absorption
  float anisotropy = 0;   ///< mean cosine of the angle by which it turns light
};
/// Throws BadInput with the parameter and the reason.
Haze hazeOf(const Params& params);

/// Density per metre of a haze that lets 2 % of the light through at this distance (Koschmieder 1924).
double densityOfVisibility(double metres);

/// Share of scattered light per steradian, by the cosine between the light's way before and after (Henyey and Greenstein 1941);
/// integrates to 1 over all directions.
float phase(float cosine, float anisotropy);

} // namespace ilumbra
