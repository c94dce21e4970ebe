#pragma once
#include "core/base/vec.h"

namespace ilumbra {

/// The visible range that is integrated over, nm.
inline constexpr float shortestWave = 380, longestWave = 730;

/// CIE 1931 colour-matching functions at a wavelength in nm (Wyman, Sloan and Shirley 2013, "Simple Analytic
/// Approximations to the CIE XYZ Color Matching Functions", the multi-lobe fit).
V3f cieXyz(float wavelength);
/// XYZ (any scale, D65 white at Y = 1 becomes white) to the working space, by Bradford adaptation.
Color workingFromXyz(const V3f& xyz);

/// What one wavelength counts in each channel of the working space when all of them together are white: its mean over
/// wavelengths spread evenly from shortestWave to longestWave is 1 in every channel. Some are negative: pure colours
/// lie outside any three primaries.
Color waveResponse(float wavelength);
/// A wavelength for u in [0, 1), chosen by how much it counts, and waveResponse() ÷ its relative density: the mean over
/// u is 1 in every channel.
float sampleWavelength(float u, Color& weight);

/// Colour of a black body in the working space, luminance 1 (Planck's law with c2 = 1.438777e-2 m K). Kelvin, 500 to
/// 100000.
Color blackbody(float kelvin);
/// Its luminance, relative to that at 2856 K. Kelvin; below 300 none.
float blackbodyLuminance(float kelvin);

/// Index of refraction at a wavelength by Cauchy's two terms, n(λ) = A + B / λ², from the index at the yellow d line
/// (587.56 nm) and the Abbe number V = (n_d − 1) / (n_F − n_C).
float cauchyIndex(float nd, float abbe, float wavelength);

} // namespace ilumbra
