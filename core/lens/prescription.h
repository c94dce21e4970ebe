#pragma once
#include "core/base/vec.h"

#include <array>
#include <string>
#include <vector>

namespace ilumbra {

/// A lens as its maker writes it down: what light meets, from the front to the film. Lengths are millimetres.
struct Prescription {
  struct Surface {
    double radius = 0;                 ///< of curvature, positive where its middle lies behind it; 0: flat
    std::array<double, 2> after{0, 0}; ///< way to the next surface, at the short and at the long end of a zoom
    double index = 1, abbe = 60;       ///< of what comes after it, at 587.56 nm; air has index 1
    double aperture = 1e6;             ///< half of its clear opening
    double coating = 0; ///< nm at which a quarter-wave coat of index 1.38 takes its reflection away; 0: none
    bool stop = false;  ///< the iris: it bends nothing
  };
  std::string name;
  std::vector<Surface> surfaces; ///< exactly one of them the stop
};

/// Reads a prescription from its text, JSON as docs/lens-prescriptions.md tells; throws BadInput with the place.
Prescription parsePrescription(const std::string& text);
/// The same from a file.
Prescription readPrescription(const std::string& path);
std::string prescriptionText(const Prescription& p);
/// Those that ship: lenses of our own.
const std::vector<Prescription>& shippedPrescriptions();

/// A paraxial system (ray-transfer matrix): height and slope × index behind it, from those before it.
struct RayMatrix {
  double a = 1, b = 0, c = 0, d = 1;
  /// What comes after what was here.
  void then(const RayMatrix& m) {
    *this = {m.a * a + m.b * c, m.a * b + m.b * d, m.c * a + m.d * c, m.c * b + m.d * d};
  }
};

/// A lens at a zoom (0 short, 1 long) and a wave, focused far away.
struct LensSystem {
  LensSystem(const Prescription& p, double zoom, double wave);
  double focalLength = 0; ///< mm
  double backFocus = 0;   ///< mm from the last surface to the film
  RayMatrix toStop;       ///< of light on its way in
  /// Light that is mirrored at surface `second` and before that at surface `first`, which lies behind it, on to the
  /// film.
  struct GhostPath {
    RayMatrix toFilm;
    std::vector<RayMatrix> atStop;                  ///< each time that it passes the stop
    std::vector<std::pair<RayMatrix, double>> rims; ///< where it meets a mirroring surface, and that one's aperture
  };
  GhostPath ghost(size_t first, size_t second) const;
  /// Reflectance of a surface at normal incidence: with its coat (Airy's sum over one layer), or bare.
  double reflectance(size_t surface, double wave) const;

 private:
  const Prescription& m_p;
  double m_zoom, m_wave;
  std::vector<double> m_index, m_after; ///< by surface: behind it
  RayMatrix bend(size_t i) const;
  RayMatrix move(size_t i) const;
  RayMatrix mirror(size_t i, bool fromFront) const;
  double before(size_t i) const { return i == 0 ? 1 : m_index[i - 1]; }
};

} // namespace ilumbra
