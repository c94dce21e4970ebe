#pragma once
#include "core/base/vec.h"
#include "core/document/document.h"

namespace ilumbra {

/// Where air stands: all over the set or in a shape, in the way of a light, or in the voxels of a file.
enum class AirForm { Filling, Beam, Grid };
struct AirKind {
  Kind kind;
  AirForm form;
};
/// Every kind of air. A new one is a file in this folder and a line here.
std::vector<AirKind> allAirs();
/// The form of a node; Filling of what is no air.
AirForm airForm(const Node& node);

/// Parameters that all air has: how much of it there is, what it does to light, what lights it.
std::vector<ParamDef> matterParams(double density);

/// The coefficients of air where its amount is 1, per metre and channel of the working space.
struct Haze {
  Color scattering{0.0f};
  Color extinction{0.0f}; ///< scattering and absorption
  float anisotropy = 0;   ///< mean cosine of the angle by which it turns light
};
/// What patterns drive counts as its pattern's most: white, no tint. Throws BadInput with the parameter and the reason.
Haze hazeOf(const Params& params);
/// Own light of air, cd/m² to the metre in the working space; black when it is off or there is none. `evenIfOff`: what
/// it would be. Where a pattern drives its colour, white.
Color airLight(const Params& params, bool evenIfOff = false);

/// Density per metre of a haze that lets 2 % of the light through at this distance (Koschmieder 1924).
double densityOfVisibility(double metres);

/// Share of scattered light per steradian, by the cosine between the light's way before and after (Henyey and
/// Greenstein 1941); integrates to 1 over all directions.
float phase(float cosine, float anisotropy);
/// The cosine for u in [0, 1), distributed as the phase function has it.
float samplePhase(float u, float anisotropy);

} // namespace ilumbra
