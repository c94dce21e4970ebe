#pragma once
#include "core/base/vec.h"

#include <vector>

namespace ilumbra {

/// Clear air around a round earth under the sun, seen from the ground: Rayleigh scattering, aerosols and ozone at
/// fifteen wavelengths; every scattering after the first by the sum of a geometric series (Hillaire 2020, "A Scalable
/// and Production Ready Sky and Atmosphere Rendering Technique", equations 5 to 10). Coefficients and sunlight as in
/// Bruneton 2017.
class Atmosphere {
 public:
  /// `sunHeight`: degrees above the horizon, -18 to 90. `turbidity`: of the vertical optical depth at 550 nm, what
  /// aerosols and air have together ÷ what the air has; 1 is air alone, 2.5 a clear day, 10 haze. `groundAlbedo`: 0
  /// to 1.
  Atmosphere(float sunHeight, float turbidity, float groundAlbedo);
  /// cd/m² in the working space, at `elevation` in degrees (0 to 90) and `away` in degrees from the sun's bearing (0 to
  /// 180).
  Color sky(float elevation, float away) const;
  /// What the sun gives on a surface that faces it, lux in the working space; black below the horizon.
  Color sun() const { return m_sun; }
  /// What the sky gives on level ground, lux.
  Color skyIlluminance() const { return m_illuminance; }

 private:
  std::vector<Color> m_map; ///< rows by the root of the elevation's share, columns by bearing
  Color m_sun{0.0f}, m_illuminance{0.0f};
};

} // namespace ilumbra
