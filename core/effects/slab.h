#pragma once

namespace ilumbra {

struct Interior;

/// Share of light that gets through so many metres of scattering matter, in diffusion: sinh κ(z + e) / sinh κ(L + 2 e)
/// with κ² = 3 a (a + s'), the transport mean free path z = 1 / (a + s') and boundaries e = 2/3 z beyond the faces
/// (van Rossum and Nieuwenhuizen 1999, "Multiple scattering of classical waves", VI); by luminance, at most 1. a:
/// absorption, s': scattering less what goes on forwards, per metre.
double slabTransmittance(const Interior& matter, double metres);
/// The thickness, metres, that lets half of the light through; 0: it does not scatter.
double halfThrough(const Interior& matter);

} // namespace ilumbra
