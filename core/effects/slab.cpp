#include "core/effects/slab.h"

#include "core/base/colorspace.h"
#include "core/surface/material.h"

#include <cmath>

namespace ilumbra {

double slabTransmittance(const Interior& m, double metres) {
  Color through(0.0f);
  for (int c = 0; c < 3; ++c) {
    const double absorbs = double(m.extinction[c]) * (1 - double(m.albedo[c])),
                 scatters = double(m.extinction[c] * m.albedo[c]) * (1 - double(m.anisotropy));
    if (!(absorbs + scatters > 0)) {
      through[c] = 1;
      continue;
    }
    const double z = 1 / (absorbs + scatters), e = 2 * z / 3, k = std::sqrt(3 * absorbs * (absorbs + scatters)),
                 whole = metres + 2 * e;
    // Far in, a ratio of exponentials: sinh alone would overflow.
    const double t = k * whole < 1e-4 ? (z + e) / whole
                     : k * whole > 40 ? std::exp(k * (z + e - whole)) * (1 - std::exp(-2 * k * (z + e)))
                                      : std::sinh(k * (z + e)) / std::sinh(k * whole);
    through[c] = float(std::min(1.0, t));
  }
  return double(luminance(through));
}

double halfThrough(const Interior& m) {
  if (!m.scatters()) return 0;
  double low = 0, high = 1e-6;
  while (slabTransmittance(m, high) > 0.5 && high < 1e6) high *= 2;
  for (int step = 0; step < 60; ++step)
    (slabTransmittance(m, 0.5 * (low + high)) > 0.5 ? low : high) = 0.5 * (low + high);
  return high;
}

} // namespace ilumbra
